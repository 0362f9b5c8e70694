// Every action of the window: its menu, words, key, and what it does.
#include "app/frame/main_window.h"

#include "app/dialogs/paper_dialog.h"
#include "app/faces/face.h"
#include "app/openrow/open_row.h"
#include "app/session/as_text.h"
#include "app/session/landing_edits.h"
#include "app/theme/ornament_look.h"
#include "app/theme/type.h"
#include "song/edits.h"
#include "song/settings/setting_text.h"
#include "time/note_value.h"

#include <QApplication>

#include <algorithm>

namespace ivrin::app {
namespace {

using K = QKeySequence;

} // namespace

void MainWindow::addActions() {
  addSongActions(tr("Song"));
  addEditActions(tr("Edit"));
  addPlaceActions(tr("Place"));
  addRecipeActions(tr("Place"));
  addRoomActions(tr("Place"));
  listening_->addActions(tr("Listen"));
  actions_->add({"output",
                 tr("Listen"),
                 tr("Out&put…"),
                 tr("Device, rate and buffer"),
                 {},
                 [this] { outputDialog(); },
                 false,
                 true});
  addTravelActions(tr("Travel"));
  addLookActions(tr("View"));
  const QString help = tr("Help");
  actions_->add({"keys", help, tr("&Keys"), tr("All keys on one page"), {K::HelpContents}, [this] { showKeys(); }});
  actions_->add(
      {"about", help, tr("&About Ivrin"), {}, {}, [this] {
         tell(this, tr("About Ivrin"),
              tr("<h3>Ivrin %1</h3><p>Transitions and ear candy from the stems of a song, on the beat grid.</p>"
                 "<p>Free software under the GPL, version 3 or later. EB Garamond and Cabin are open fonts under "
                 "the SIL Open Font License.</p>")
                  .arg(QApplication::applicationVersion()));
       }});
}

void MainWindow::addSongActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  add({"new", menu, tr("&New from stems…"), tr("A new song from audio files"), {K::New}, [this] { newDialog(); }});
  add({"open", menu, tr("&Open…"), tr("Open a song"), {K::Open}, [this] { openDialog(); }});
  if (!demoSong_.empty()) add({"demo", menu, tr("Open the &demo song"), {}, {}, [this] { openSong(demoSong_); }});
  add({"save", menu, tr("&Save"), tr("Save the song"), {K::Save}, [this] { saveNow(); }, false, true});
  add({"saveAs", menu, tr("Save &as…"), {}, {K(Qt::CTRL | Qt::SHIFT | Qt::Key_S)}, [this] { saveDialog(); }});
  add({"left", menu, tr("Edits not sa&ved…"), tr("What windows left that ended before they saved"), {}, [this] {
         leftDialog();
       }});
  add({"findStems",
       menu,
       tr("Look for &missing stems…"),
       tr("In a folder and below, by what they hold"),
       {},
       [this] { findStems(); },
       false,
       true});
  addRowActions(menu);
  addGridEdits(menu);
  add({"stemFile", menu, tr("The file of the caret's ro&w…"), {}, {}, [this] { chooseStemFile(score_->caretRow()); }});
  add({"lead",
       menu,
       tr("Bars &before the stems…"),
       tr("So many bars belong to the song before its stems start: room for what sounds there"),
       {},
       [this] { askLead(); }});
  add({"export",
       menu,
       tr("&Export…"),
       tr("Write mix, rows and ornaments as audio files"),
       {K(Qt::CTRL | Qt::Key_E)},
       [this] { exportDialog(); },
       false,
       true});
  add({"quit", menu, tr("&Quit"), {}, {K::Quit}, [this] { close(); }, false, true});
}

// ---------------------------------------------------------------- editing ornaments

void MainWindow::addEditActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  add({"undo", menu, tr("&Undo"), {}, {K::Undo}, [this] { session_.undo(); }});
  add({"redo", menu, tr("&Redo"), {}, {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), K(Qt::CTRL | Qt::Key_Y)}, [this] {
         session_.redo();
       }});
  add({"copy",
       menu,
       tr("&Copy"),
       tr("Copy the ornaments in hand: the marked, the open, or the one at the caret"),
       {K::Copy},
       [this] {
         copied_ = ornamentsInHand();
         updateActions();
       },
       false,
       true});
  add({"paste",
       menu,
       tr("&Paste at the caret"),
       tr("Paste what was copied on the caret's row, at its place"),
       {K::Paste},
       [this] { paste(); }});
  add({"duplicate",
       menu,
       tr("D&uplicate to the next landing"),
       tr("The same, as far from the next landing as it is from its own"),
       {K(Qt::CTRL | Qt::Key_D)},
       [this] { duplicateToNextLanding(); }});
  add({"delete", menu, tr("&Delete"), tr("Delete the open ornament, or the marked ones"), {K(Qt::Key_Delete)}, [this] {
         deleteInHand();
       }});
  add({"selectAll", menu, tr("&Mark all ornaments"), {}, {K::SelectAll}, [this] {
         std::set<std::string> all;
         for (const auto& o : session_.song().ornaments) all.insert(o->id);
         score_->closeOrnament();
         score_->mark(std::move(all));
       }});
  add({"mark",
       menu,
       tr("Mark the one at the caret"),
       tr("To handle it together with others"),
       {K(Qt::CTRL | Qt::Key_Return)},
       [this] {
         const std::string id = score_->ornamentAtCaret();
         if (id.empty()) return;
         std::set<std::string> now = score_->marked();
         if (!now.erase(id)) now.insert(id);
         score_->mark(std::move(now));
       }});
  add({"enabled",
       menu,
       tr("B&ypass, or hear it again"),
       tr("The row as it is without the ornaments in hand; their settings stay"),
       {K(Qt::Key_X)},
       [this] { toggleEnabled(); },
       false,
       true});
  add({"tie",
       menu,
       tr("&Tie to the landing"),
       tr("It moves with the landing that bars are counted to; again: it is free"),
       {K(Qt::Key_J)},
       [this] { toggleTie(); }});
  add({"sourceHere",
       menu,
       tr("Take the s&ource from the selection"),
       tr("The open ornament stays where it is and takes what is selected as its source"),
       {K(Qt::CTRL | Qt::Key_T)},
       [this] { sourceFromSelection(); }});
  add({"sourceHome", menu, tr("Take the source from its own place"), {}, {K(Qt::CTRL | Qt::SHIFT | Qt::Key_T)}, [this] {
         const Ornament* found = session_.song().ornament(score_->ornamentAtCaret());
         if (!found || found->source.empty()) return;
         Ornament o = *found;
         o.source.clear();
         const QString name = kindWord(o.kind);
         session_.edit(tr("source of %1").arg(name), withOrnamentReplaced(session_.song(), std::move(o)));
         session_.settle();
       }});
  const QString move = tr("Move");
  add({"earlier",
       menu,
       tr("By the grid, &earlier"),
       tr("By one step of the grid"),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Left)},
       [this] { score_->nudge(-1); },
       false,
       true,
       move});
  add({"later",
       menu,
       tr("By the grid, &later"),
       tr("By one step of the grid"),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Right)},
       [this] { score_->nudge(1); },
       false,
       false,
       move});
  add({"sampleEarlier",
       menu,
       tr("By a sample, earlier"),
       {},
       {K(Qt::Key_Comma)},
       [this] { score_->nudgeFrames(-1); },
       false,
       false,
       move});
  add({"sampleLater",
       menu,
       tr("By a sample, later"),
       {},
       {K(Qt::Key_Period)},
       [this] { score_->nudgeFrames(1); },
       false,
       false,
       move});
  add({"orderUp",
       menu,
       tr("Before the previous one of its row"),
       {},
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Up)},
       [this] { score_->reorder(-1); },
       false,
       false,
       move});
  add({"orderDown",
       menu,
       tr("After the next one of its row"),
       {},
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Down)},
       [this] { score_->reorder(1); },
       false,
       false,
       move});
  const QString handles = tr("Handles");
  add({"nextHandle",
       menu,
       tr("The &next handle"),
       tr("Of the open ornament's drawing; the arrow keys move it"),
       {K(Qt::Key_N)},
       [this] { walkHandles(1); },
       false,
       false,
       handles});
  add({"previousHandle",
       menu,
       tr("The &previous handle"),
       {},
       {K(Qt::SHIFT | Qt::Key_N)},
       [this] { walkHandles(-1); },
       false,
       false,
       handles});
  add({"curve",
       menu,
       tr("The &curves in turn"),
       tr("Draw the open ornament's curves, those of its finish too; C in a number opens its own"),
       {K(Qt::Key_C)},
       [this] {
         if (!score_->nextCurve())
           measure_->say(tr("There is no curve to draw: open an ornament that has one."), false);
       },
       false,
       false,
       handles});
  add({"numbers",
       menu,
       tr("N&umbers of the open row, and back"),
       tr("The keys go to its numbers; Return goes there too"),
       {K(Qt::Key_F6)},
       [this] { toNumbersAndBack(); },
       false,
       false,
       handles});
  int key = Qt::Key_1;
  for (const char* slot : {"A", "B", "C", "D"}) {
    add({QStringLiteral("variant") + QString::fromLatin1(slot),
         menu,
         tr("Variant %1").arg(QString::fromLatin1(slot)),
         tr("Hear this variant of the open ornament; an empty one starts as a copy"),
         {K(key++)},
         [this, slot] { chooseVariant(slot); },
         false,
         false,
         tr("Variants")});
  }
  add({"fourTries",
       menu,
       tr("&Four tries"),
       tr("Four variations of the open ornament to listen through; again: four others"),
       {K(Qt::Key_Y)},
       [this] { score_->tries().begin(); },
       false,
       true});
  addOwnActions(menu);
  addPatternActions(menu);
  add({"close",
       menu,
       tr("C&lose row, clear selection"),
       {},
       {K(Qt::Key_Escape)},
       [this] {
         if (score_->tries().running())
           score_->tries().none();
         else if (score_->stopWalking())
           ;
         else if (score_->selection())
           score_->select(std::nullopt);
         else if (!score_->marked().empty())
           score_->mark({});
         else if (score_->openRow() && score_->openRow()->closeFinish())
           ;
         else if (score_->curveLane())
           score_->closeCurve();
         else if (score_->ornamentIsOpen() || !letProposedGo())
           score_->closeOrnament();
       },
       false,
       true});
}

void MainWindow::walkHandles(int step) {
  if (!score_->walkHandles(step))
    measure_->say(tr("Handles are in the drawing of an open ornament: Return opens one."), false);
}

void MainWindow::toNumbersAndBack() {
  OpenRow* row = score_->openRow();
  if (!row)
    measure_->say(tr("Numbers are in the row of an open ornament: Return opens one."), false);
  else if (row->hasFocus())
    score_->setFocus();
  else
    row->focusNumbers();
}

/// Keys that kinds have of their own: the open ornament's, else those of the one at the caret.
void MainWindow::addOwnActions(const QString& menu) {
  for (const Face* f : allFaces())
    for (const OwnAction& a : f->actions())
      actions_->add({a.id,
                     menu,
                     a.text,
                     {},
                     {a.key},
                     [this, f, a] { stepSetting(*f, a.setting, a.steps); },
                     false,
                     false,
                     f->actionsMenu()});
}

void MainWindow::stepSetting(const Face& face, const char* key, int steps) {
  const Ornament* o = session_.song().ornament(score_->ornamentAtCaret());
  const Kind* kind = allKinds().find(std::string(face.kind()));
  if (!o || o->kind != face.kind()) {
    measure_->say(tr("There is no %1 here.").arg(kindWord(kind->table().id)), false);
    return;
  }
  const SettingSpec* spec = kind->table().find(key);
  const TempoMap& map = session_.plan()->map();
  const Value next = steppedSetting(*spec, settingOr(kind->table(), o->settings, key), steps, map, o->start);
  const QString label = asWords(spec->label), id = QString::fromStdString(o->id);
  session_.edit(tr("%1 of %2").arg(label, kindWord(o->kind)), withSetting(session_.song(), o->id, key, next),
                "key-" + id.toStdString() + key);
  measure_->say(tr("%1: %2").arg(label, QString::fromStdString(settingText(*spec, next))), false);
}

std::vector<Ornament> MainWindow::ornamentsInHand() const {
  std::vector<Ornament> all;
  for (const std::string& id : score_->inHand())
    if (const Ornament* o = session_.song().ornament(id)) all.push_back(*o);
  std::stable_sort(all.begin(), all.end(), [](const Ornament& a, const Ornament& b) { return a.start < b.start; });
  return all;
}

namespace {

QString wordsFor(const std::vector<Ornament>& all) {
  return all.size() == 1 ? kindWord(all.front().kind)
                         : QObject::tr("%n ornament(s)", nullptr, static_cast<int>(all.size()));
}

} // namespace

void MainWindow::deleteInHand() {
  // Never the one that merely stands near the caret.
  if (score_->marked().empty() && session_.chosen().empty()) return;
  const auto all = ornamentsInHand();
  score_->closeOrnament();
  Song next = session_.song();
  for (const Ornament& o : all) next = withoutOrnament(std::move(next), o.id);
  session_.edit(tr("delete %1").arg(wordsFor(all)), std::move(next));
  session_.settle();
}

void MainWindow::paste() {
  if (copied_.empty()) return;
  const Beats at = score_->selection() ? score_->selection()->begin : score_->caret();
  const Beats by = at - copied_.front().start;
  const bool oneRow =
      std::all_of(copied_.begin(), copied_.end(), [&](const Ornament& o) { return o.on == copied_.front().on; });
  std::vector<Ornament> pasted = copied_;
  for (Ornament& o : pasted) {
    o.start = o.start + by;
    if (oneRow || !session_.song().hasRow(o.on)) o.on = score_->caretRow();
    o.landing.reset();
  }
  session_.edit(tr("paste of %1").arg(wordsFor(copied_)), withOrnaments(session_.song(), std::move(pasted)).song);
  session_.settle();
}

void MainWindow::duplicateToNextLanding() {
  const auto chosen = ornamentsInHand();
  const auto all = session_.song().allLandings();
  std::vector<Ornament> made;
  for (Ornament o : chosen) {
    // Its own landing: what it is tied to, else the next one after it begins.
    const auto own = std::find_if(all.begin(), all.end(),
                                  [&](const Landing& l) { return o.landing ? l.id == *o.landing : l.at > o.start; });
    if (own == all.end() || own + 1 == all.end()) continue;
    o.start = o.start + ((own + 1)->at - own->at);
    if (o.landing) o.landing = (own + 1)->id;
    made.push_back(std::move(o));
  }
  if (made.size() < chosen.size()) measure_->say(tr("There is no landing after this one."), false);
  if (made.empty()) return;
  session_.edit(tr("duplicate of %1").arg(wordsFor(chosen)), withOrnaments(session_.song(), std::move(made)).song);
  session_.settle();
}

void MainWindow::toggleEnabled() {
  const auto all = ornamentsInHand();
  if (all.empty()) return;
  const bool on = !all.front().enabled;
  Song next = session_.song();
  for (Ornament o : all) {
    o.enabled = on;
    next = withOrnamentReplaced(std::move(next), std::move(o));
  }
  session_.edit((on ? tr("hear %1 again") : tr("bypass %1")).arg(wordsFor(all)), std::move(next));
  session_.settle();
}

void MainWindow::toggleTie() {
  const auto all = ornamentsInHand();
  const Landing* l = score_->landing();
  if (all.empty() || !l) return;
  const bool tie = all.front().landing != l->id;
  Song next = session_.song();
  for (Ornament o : all) {
    o.landing = tie ? std::optional(l->id) : std::nullopt;
    next = withOrnamentReplaced(std::move(next), std::move(o));
  }
  session_.edit((tie ? tr("tie of %1") : tr("untie of %1")).arg(wordsFor(all)), std::move(next));
  session_.settle();
  measure_->say(tie ? tr("Tied to %1: it moves with it.").arg(QString::fromStdString(l->name)) : tr("Tied to nothing."),
                false);
}

void MainWindow::sourceFromSelection() {
  const Ornament* found = session_.song().ornament(session_.chosen());
  const auto s = score_->selection();
  if (!found || !s) return;
  Ornament o = *found;
  o.source.clear();
  for (const std::string& row : s->rows())
    o.source.push_back({row == o.on ? std::nullopt : std::optional(row), s->begin, s->end - s->begin, 0});
  const QString name = kindWord(o.kind);
  session_.edit(tr("source of %1").arg(name), withOrnamentReplaced(session_.song(), std::move(o)));
  session_.settle();
  score_->select(std::nullopt);
}

void MainWindow::chooseVariant(const std::string& slot) {
  if (score_->tries().running()) {
    score_->tries().hear(slot.front() - 'A');
    return;
  }
  const Ornament* o = session_.song().ornament(session_.chosen());
  if (!o) return;
  const QString name = kindWord(o->kind);
  session_.edit(tr("variant %1 of %2").arg(QString::fromStdString(slot), name),
                withVariant(session_.song(), o->id, slot));
  session_.settle();
}

// ---------------------------------------------------------------- placing

void MainWindow::addPlaceActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  for (const Kind* k : allKinds().all()) {
    const QString id = QString::fromStdString(k->table().id), key = QString::fromStdString(k->table().key);
    QString name = asWords(k->table().name);
    const auto letter = name.indexOf(key, 0, Qt::CaseInsensitive); // in the menu too, where the name has it
    add({"place-" + id,
         menu,
         letter < 0 ? name : name.insert(letter, '&'),
         asWords(k->table().meaning),
         {K(key)},
         [this, id] { score_->placeOnSelection(id); }});
  }
  add({"newLanding",
       menu,
       tr("New &landing here"),
       tr("At the playhead while playing, else at the caret"),
       {K(Qt::Key_M)},
       [this] { form_->rename(addLanding(session_, here(), false, tr("landing"))); },
       false,
       true});
  add({"newSection",
       menu,
       tr("New &section here"),
       tr("At the bar of the playhead while playing, else of the caret"),
       {K(Qt::SHIFT | Qt::Key_M)},
       [this] {
         form_->rename(addLanding(session_, landingPlace(session_, here(), false, {}), true, tr("Section")));
       }});
  add({"rename", menu, tr("Re&name the landing…"), tr("The one that bars are counted to"), {K(Qt::Key_F2)}, [this] {
         if (score_->landing()) form_->rename(score_->landing()->id);
       }});
  add({"landingEarlier",
       menu,
       tr("Move the landing a bar earlier"),
       tr("With all that is tied to it"),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_PageUp)},
       [this] { form_->nudge(-1); }});
  add({"landingLater",
       menu,
       tr("Move the landing a bar later"),
       tr("With all that is tied to it"),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_PageDown)},
       [this] { form_->nudge(1); }});
  add({"removeLanding",
       menu,
       tr("&Remove the landing"),
       tr("What was tied to it stays where it is"),
       {K(Qt::CTRL | Qt::Key_Delete)},
       [this] {
         if (score_->landing()) removeLanding(session_, std::string(score_->landing()->id));
       }});
}

Beats MainWindow::here() const {
  if (!session_.player().playing()) return score_->caret();
  const Beats now = session_.playBeat();
  return score_->grid().ticks > 0 ? snapToGrid(now, score_->grid(), session_.plan()->map()) : now;
}

// ---------------------------------------------------------------- what can be done now

void MainWindow::updateActions() {
  const bool open = session_.isOpen();
  static const QSet<QString> atAnyTime{"new", "open", "demo", "left", "quit", "output", "keys", "about", "night"};
  for (QAction* a : actions_->all()) {
    const QString id = a->objectName();
    a->setEnabled(open || atAnyTime.contains(id) || id.startsWith(QLatin1String("paper-")) ||
                  id.startsWith(QLatin1String("grid-")));
  }
  const History& h = session_.history();
  QAction *undo = action(QStringLiteral("undo")), *redo = action(QStringLiteral("redo"));
  undo->setEnabled(open && h.canUndo());
  redo->setEnabled(open && h.canRedo());
  ActionRegistry::retitle(undo, h.canUndo() ? tr("Undo %1").arg(asText(h.undoLabel())) : tr("Undo"));
  ActionRegistry::retitle(redo, h.canRedo() ? tr("Redo %1").arg(asText(h.redoLabel())) : tr("Redo"));
  action(QStringLiteral("paste"))->setEnabled(open && !copied_.empty());
  action(QStringLiteral("delete"))->setEnabled(!session_.chosen().empty() || !score_->marked().empty());
  action(QStringLiteral("fourTries"))->setEnabled(!session_.chosen().empty());
  action(QStringLiteral("sourceHere"))->setEnabled(!session_.chosen().empty() && score_->selection());
  for (const char* slot : {"A", "B", "C", "D"})
    action(QStringLiteral("variant") + QString::fromLatin1(slot))->setEnabled(!session_.chosen().empty());
  action(QStringLiteral("findStems"))->setEnabled(open && !session_.stems().missing().empty());
  const QString title = QString::fromStdString(session_.song().title);
  const QString shown = title.isEmpty() ? tr("Untitled") : shortened(title, 80);
  setWindowTitle(
      open ? (session_.readOnly() ? tr("%1 (read only)[*] – Ivrin") : QStringLiteral("%1[*] – Ivrin")).arg(shown)
           : QStringLiteral("Ivrin[*]"));
  setWindowModified(open && h.changedSinceSave());
  if (open && action(QStringLiteral("loop"))->isChecked() && score_->selection()) listening_->renewLoop();
}

} // namespace ivrin::app

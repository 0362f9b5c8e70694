#include "app/actions/ornament_actions.h"

#include "app/faces/face.h"
#include "app/openrow/open_row.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "manners/manners.h"
#include "song/edits.h"
#include "song/settings/setting_text.h"

#include <algorithm>

namespace ivrin::app {
namespace {

using K = QKeySequence;

QString wordsFor(const std::vector<Ornament>& all) {
  return all.size() == 1 ? kindWord(all.front().kind)
                         : QObject::tr("%n ornament(s)", nullptr, static_cast<int>(all.size()));
}

} // namespace

void OrnamentActions::addActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  add({"undo", menu, tr("&Undo"), {}, {K::Undo}, [this] { session_.undo(); }});
  add({"redo", menu, tr("&Redo"), {}, {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), K(Qt::CTRL | Qt::Key_Y)}, [this] {
         session_.redo();
       }});
  add({"copy",
       menu,
       tr("&Copy"),
       tr("Copies the selected ornaments, the open one, or the one at the cursor."),
       {K::Copy},
       [this] { copy(); },
       false,
       true});
  add({"paste",
       menu,
       tr("&Paste at the cursor"),
       tr("Pastes the copied ornaments at the cursor, on its row."),
       {K::Paste},
       [this] { paste(); }});
  add({"duplicate",
       menu,
       tr("D&uplicate to next landing"),
       tr("Places a copy at the same distance from the next landing."),
       {K(Qt::CTRL | Qt::Key_D)},
       [this] { duplicateToNextLanding(); }});
  add({"delete",
       menu,
       tr("&Delete"),
       tr("Deletes the open ornament or the selected ones."),
       {K(Qt::Key_Delete)},
       [this] { deleteInHand(); }});
  add({"selectAll", menu, tr("&Select all ornaments"), {}, {K::SelectAll}, [this] { markAll(); }});
  add({"mark",
       menu,
       tr("Select ornament at cursor"),
       tr("Adds the ornament at the cursor to the selected ones, or removes it from them."),
       {K(Qt::CTRL | Qt::Key_Return)},
       [this] { markAtCaret(); }});
  addTies(menu);
  addMoves(menu);
  addHandles(menu);
  addVariants(menu);
  addOwn(menu);
}

void OrnamentActions::addTies(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  add({"enabled",
       menu,
       tr("B&ypass"),
       tr("Plays the row without the selected ornaments. Their settings are kept."),
       {K(Qt::Key_X)},
       [this] { toggleEnabled(); },
       false,
       true});
  add({"tie",
       menu,
       tr("&Tie to landing"),
       tr("Moves the ornament with the current landing. Press again to untie it."),
       {K(Qt::Key_J)},
       [this] { toggleTie(); }});
  add({"sourceHere",
       menu,
       tr("Use selection as s&ource"),
       tr("The open ornament stays in place and takes the selected sound as its source."),
       {K(Qt::CTRL | Qt::Key_T)},
       [this] { sourceFromSelection(); }});
  add({"sourceHome", menu, tr("Reset source"), {}, {K(Qt::CTRL | Qt::SHIFT | Qt::Key_T)}, [this] { sourceHome(); }});
}

void OrnamentActions::addMoves(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  const QString move = tr("Move");
  add({"earlier",
       menu,
       tr("Nudge &earlier by grid"),
       tr("Moves it by one grid step."),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Left)},
       [this] { score_->hand().nudge(-1); },
       false,
       true,
       move});
  add({"later",
       menu,
       tr("Nudge &later by grid"),
       tr("Moves it by one grid step."),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Right)},
       [this] { score_->hand().nudge(1); },
       false,
       false,
       move});
  add({"sampleEarlier",
       menu,
       tr("Nudge earlier by sample"),
       {},
       {K(Qt::Key_Comma)},
       [this] { score_->hand().nudgeFrames(-1); },
       false,
       false,
       move});
  add({"sampleLater",
       menu,
       tr("Nudge later by sample"),
       {},
       {K(Qt::Key_Period)},
       [this] { score_->hand().nudgeFrames(1); },
       false,
       false,
       move});
  add({"orderUp",
       menu,
       tr("Process earlier in the row"),
       {},
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Up)},
       [this] { score_->hand().reorder(-1); },
       false,
       false,
       move});
  add({"orderDown",
       menu,
       tr("Process later in the row"),
       {},
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Down)},
       [this] { score_->hand().reorder(1); },
       false,
       false,
       move});
}

void OrnamentActions::addHandles(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  const QString handles = tr("Handles");
  add({"nextHandle",
       menu,
       tr("&Next handle"),
       tr("Chooses a handle in the open ornament's drawing. The arrow keys move it."),
       {K(Qt::Key_N)},
       [this] { walkHandles(1); },
       false,
       false,
       handles});
  add({"previousHandle",
       menu,
       tr("&Previous handle"),
       {},
       {K(Qt::SHIFT | Qt::Key_N)},
       [this] { walkHandles(-1); },
       false,
       false,
       handles});
  add({"curve",
       menu,
       tr("Edit next &curve"),
       tr("Shows the open ornament's curves one after another. C on a setting opens its own curve."),
       {K(Qt::Key_C)},
       [this] { nextCurve(); },
       false,
       false,
       handles});
  add({"numbers",
       menu,
       tr("Settin&gs / score"),
       tr("Moves the keyboard between the score and the open ornament's settings."),
       {K(Qt::Key_F6)},
       [this] { toNumbersAndBack(); },
       false,
       false,
       handles});
}

void OrnamentActions::addVariants(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  int key = Qt::Key_1;
  for (const char* slot : {"A", "B", "C", "D"}) {
    add({QStringLiteral("variant") + QString::fromLatin1(slot),
         menu,
         tr("Variant %1").arg(QString::fromLatin1(slot)),
         tr("Switches the open ornament to this variant. An empty variant starts as a copy."),
         {K(key++)},
         [this, slot] { chooseVariant(slot); },
         false,
         false,
         tr("Variants")});
  }
  add({"fourTries",
       menu,
       tr("&Four ideas"),
       tr("Offers four variations of the open ornament. Press again for four others."),
       {K(Qt::Key_Y)},
       [this] { score_->opened().tries().begin(); },
       false,
       true});
}

void OrnamentActions::addClose(const QString& menu, SectionActions& sections) {
  actions_->add({"close",
                 menu,
                 tr("C&lose ornament, clear selection"),
                 {},
                 {K(Qt::Key_Escape)},
                 [this, &sections] { closeNext(sections); },
                 false,
                 true});
}

/// One level at a time, from the innermost: a value that is typed has taken the key already.
void OrnamentActions::closeNext(SectionActions& sections) {
  if (score_->opened().tries().running())
    score_->opened().tries().none();
  else if (score_->opened().stopWalking())
    ;
  else if (score_->opened().lane())
    score_->opened().closeCurve();
  else if (score_->opened().row() && score_->opened().row()->closeFinish())
    ;
  else if (score_->opened().isOpen())
    score_->opened().close();
  else if (score_->selection())
    score_->select(std::nullopt);
  else if (!score_->hand().marked().empty())
    score_->hand().mark({});
  else
    sections.letProposedGo();
}

void OrnamentActions::copy() {
  copied_ = ornamentsInHand();
  warnedAt_.reset();
  if (copiedChanged) copiedChanged();
  if (!copied_.empty()) measure_->say(tr("Copied: %1.").arg(wordsFor(copied_)), false);
}

void OrnamentActions::markAll() {
  std::set<std::string> all;
  for (const auto& o : session_.song().ornaments) all.insert(o->id);
  score_->opened().close();
  score_->hand().mark(std::move(all));
}

void OrnamentActions::markAtCaret() {
  const std::string id = score_->hand().atCaret();
  if (id.empty()) return;
  std::set<std::string> now = score_->hand().marked();
  if (!now.erase(id)) now.insert(id);
  score_->hand().mark(std::move(now));
}

void OrnamentActions::sourceHome() {
  const Ornament* found = session_.song().ornament(score_->hand().atCaret());
  if (!found || found->source.empty()) return;
  Ornament o = *found;
  o.source.clear();
  const QString name = kindWord(o.kind);
  edit(tr("change source of %1").arg(name), withOrnamentReplaced(session_.song(), std::move(o)));
}

void OrnamentActions::nextCurve() {
  if (!score_->opened().nextCurve()) measure_->say(tr("No curve to edit. Open an ornament that has one."), false);
}

void OrnamentActions::walkHandles(int step) {
  if (!score_->opened().walk(step))
    measure_->say(
        tr("No ornament is open. Press Return to open the one at the cursor; its handles are in its drawing."), false);
}

void OrnamentActions::toNumbersAndBack() {
  OpenRow* row = score_->opened().row();
  if (!row)
    measure_->say(tr("No ornament is open. Press Return to open the one at the cursor; its settings are in its row."),
                  false);
  else if (row->hasFocus())
    score_->setFocus();
  else
    row->focusNumbers();
}

/// Keys that kinds have of their own: the open ornament's, else those of the one at the caret.
void OrnamentActions::addOwn(const QString& menu) {
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

void OrnamentActions::stepSetting(const Face& face, const char* key, int steps) {
  const Ornament* o = session_.song().ornament(score_->hand().atCaret());
  const Kind* kind = allKinds().find(std::string(face.kind()));
  if (!o || o->kind != face.kind()) {
    measure_->say(tr("There is no %1 at the cursor.").arg(kindWord(kind->table().id)), false);
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

void OrnamentActions::deleteInHand() {
  // Never the one that merely stands near the caret.
  if (score_->hand().marked().empty() && session_.chosen().empty()) return;
  const auto all = ornamentsInHand();
  score_->opened().close();
  Song next = session_.song();
  for (const Ornament& o : all) next = withoutOrnament(std::move(next), o.id);
  session_.edit(tr("delete %1").arg(wordsFor(all)), std::move(next));
  session_.settle();
}

/// Of what is pasted, what would hear nothing there: it takes from its row, and that rests.
bool OrnamentActions::hearsNothing(const Ornament& o) const {
  const Manners* manners = mannersOf(o.kind);
  if (!o.source.empty() || !manners || !manners->needsSound() || !session_.song().stem(o.on)) return false;
  const FrameRange there = session_.plan()->map().frames(o.span());
  const auto& phrases = session_.rows().phrases(o.on);
  return !phrases.empty() && std::none_of(phrases.begin(), phrases.end(),
                                          [&](const FrameRange& p) { return !intersect(p, there).empty(); });
}

void OrnamentActions::paste(bool withSource) {
  if (copied_.empty()) return;
  const Beats at = score_->selection() ? score_->selection()->begin : score_->caret().at();
  const Beats by = at - copied_.front().start;
  const bool oneRow =
      std::all_of(copied_.begin(), copied_.end(), [&](const Ornament& o) { return o.on == copied_.front().on; });
  std::vector<Ornament> pasted = copied_;
  for (Ornament& o : pasted) {
    o.start = o.start + by;
    if (oneRow || !session_.song().hasRow(o.on)) o.on = score_->caret().row();
    o.landing.reset();
  }
  const std::pair here(score_->caret().row(), at);
  if (const auto silent =
          std::find_if(pasted.begin(), pasted.end(), [this](const Ornament& o) { return hearsNothing(o); });
      silent != pasted.end() && !withSource && warnedAt_ != here) {
    warnedAt_ = here;
    measure_->say(tr("Paste stopped: %1 is silent at bar %2, so %3 would not be heard. Paste again to place it anyway.")
                      .arg(asText(session_.song().rowName(silent->on)))
                      .arg(session_.plan()->map().barAt(silent->start).bar)
                      .arg(kindWord(silent->kind)),
                  false, tr("Keep its source"), [this] { paste(true); });
    return;
  }
  warnedAt_.reset();
  if (withSource)
    for (std::size_t i = 0; i < pasted.size(); ++i)
      if (hearsNothing(pasted[i])) pasted[i].source = {{copied_[i].on, copied_[i].start, copied_[i].length, 0}};
  const std::int64_t bar = session_.plan()->map().barAt(at).bar;
  session_.edit(tr("paste %1").arg(wordsFor(copied_)), withOrnaments(session_.song(), std::move(pasted)).song);
  session_.settle();
  measure_->say(tr("Pasted %2 at bar %1.").arg(bar).arg(wordsFor(copied_)), false);
}

void OrnamentActions::duplicateToNextLanding() {
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
  if (made.size() < chosen.size()) measure_->say(tr("There is no landing after this one. Press M to set one."), false);
  if (made.empty()) return;
  if (made.size() == chosen.size()) {
    const bool silent = std::any_of(made.begin(), made.end(), [this](const Ornament& o) { return hearsNothing(o); });
    measure_->say((silent ? tr("Duplicated %2 to bar %1. The row is silent there, so nothing is heard.")
                          : tr("Duplicated %2 to bar %1."))
                      .arg(session_.plan()->map().barAt(made.front().start).bar)
                      .arg(wordsFor(made)),
                  false);
  }
  session_.edit(tr("duplicate %1").arg(wordsFor(chosen)), withOrnaments(session_.song(), std::move(made)).song);
  session_.settle();
}

void OrnamentActions::toggleEnabled() {
  const auto all = ornamentsInHand();
  if (all.empty()) return;
  const bool on = !all.front().enabled;
  Song next = session_.song();
  for (Ornament o : all) {
    o.enabled = on;
    next = withOrnamentReplaced(std::move(next), std::move(o));
  }
  session_.edit((on ? tr("turn on %1") : tr("bypass %1")).arg(wordsFor(all)), std::move(next));
  session_.settle();
}

void OrnamentActions::toggleTie() {
  const auto all = ornamentsInHand();
  const Landing* l = score_->landing();
  if (all.empty() || !l) return;
  const bool tie = all.front().landing != l->id;
  Song next = session_.song();
  for (Ornament o : all) {
    o.landing = tie ? std::optional(l->id) : std::nullopt;
    next = withOrnamentReplaced(std::move(next), std::move(o));
  }
  session_.edit((tie ? tr("tie %1") : tr("untie %1")).arg(wordsFor(all)), std::move(next));
  session_.settle();
  measure_->say(tie ? tr("Tied to %1. The ornament moves with this landing.").arg(QString::fromStdString(l->name))
                    : tr("Untied from its landing."),
                false);
}

void OrnamentActions::sourceFromSelection() {
  const Ornament* found = session_.song().ornament(session_.chosen());
  const auto s = score_->selection();
  if (!found || !s) return;
  Ornament o = *found;
  o.source.clear();
  for (const std::string& row : s->rows())
    o.source.push_back({row == o.on ? std::nullopt : std::optional(row), s->begin, s->end - s->begin, 0});
  const QString name = kindWord(o.kind);
  session_.edit(tr("change source of %1").arg(name), withOrnamentReplaced(session_.song(), std::move(o)));
  session_.settle();
  score_->select(std::nullopt);
}

void OrnamentActions::chooseVariant(const std::string& slot) {
  if (score_->opened().tries().running()) {
    score_->opened().tries().hear(slot.front() - 'A');
    return;
  }
  const Ornament* o = session_.song().ornament(session_.chosen());
  if (!o) return;
  const QString name = kindWord(o->kind);
  session_.edit(tr("variant %1 of %2").arg(QString::fromStdString(slot), name),
                withVariant(session_.song(), o->id, slot));
  session_.settle();
}

} // namespace ivrin::app

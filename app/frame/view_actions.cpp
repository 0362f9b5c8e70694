// Actions that change where one is and what is seen: travelling, looking, the grid.
#include "app/frame/main_window.h"
#include "app/session/as_text.h"
#include "app/theme/ornament_look.h"

#include "app/theme/palette.h"
#include "time/note_value.h"

#include <algorithm>

namespace ivrin::app {
namespace {

using K = QKeySequence;
constexpr int kGridValues[] = {1, 2, 4, 8, 16, 32, 64};

} // namespace

// ---------------------------------------------------------------- travelling

/// The keyboard's place in the song goes as in a text: by words, phrases and pages, which are landings here. With Shift
/// the selection goes along.
void MainWindow::addTravelActions(const QString& menu) {
  struct Way {
    const char* id;
    QString back, on;
    QKeyCombination backKey, onKey;
    CaretUnit unit;
  };
  const Way ways[] = {
      {"Landing", tr("&Previous landing"), tr("&Next landing"), Qt::Key_PageUp, Qt::Key_PageDown, CaretUnit::landing},
      {"Bar", tr("Previous bar"), tr("Next &bar"), Qt::CTRL | Qt::Key_PageUp, Qt::CTRL | Qt::Key_PageDown,
       CaretUnit::bar},
      {"Word", tr("Previous word"), tr("Next &word"), Qt::CTRL | Qt::Key_Left, Qt::CTRL | Qt::Key_Right,
       CaretUnit::word},
      {"Phrase", tr("Previous phrase"), tr("Next p&hrase"), Qt::CTRL | Qt::Key_Up, Qt::CTRL | Qt::Key_Down,
       CaretUnit::phrase},
      {"", tr("To the &start"), tr("To the &end"), Qt::Key_Home, Qt::Key_End, CaretUnit::end}};
  const QString extending = tr("The selection goes along");
  for (const bool extend : {false, true})
    for (const Way& w : ways) {
      const auto add = [&](const char* way, const QString& text, QKeyCombination key, int step) {
        if (extend && (key.keyboardModifiers() & Qt::ControlModifier)) return; // taken by moves of ornaments
        actions_->add({(extend ? QStringLiteral("select%1%2") : QStringLiteral("caret%1%2"))
                           .arg(QString::fromLatin1(way), QString::fromLatin1(w.id)),
                       menu,
                       text,
                       {},
                       {extend ? QKeySequence(QKeyCombination(Qt::ShiftModifier, key.key())) : QKeySequence(key)},
                       [this, unit = w.unit, step, extend] { score_->travelCaret(unit, step, extend); },
                       false,
                       false,
                       extend ? extending : QString()});
      };
      add(w.unit == CaretUnit::end ? "Start" : "Previous", w.back, w.backKey, -1);
      add(w.unit == CaretUnit::end ? "End" : "Next", w.on, w.onKey, 1);
    }
  addSelectionActions(menu);
  addOpeningActions(menu);
  actions_->add({"centre",
                 menu,
                 tr("&Centre on the landing"),
                 tr("The one that bars are counted to"),
                 {K(Qt::CTRL | Qt::Key_L)},
                 [this] { score_->centreOnLanding(); }});
}

// ---------------------------------------------------------------- looking

void MainWindow::addLookActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  add({"follow",
       menu,
       tr("Fo&llow the playhead"),
       tr("Turn the page with it; looking elsewhere ends that until play is pressed"),
       {K(Qt::CTRL | Qt::Key_F)},
       [this] {
         score_->setFollows(action(QStringLiteral("follow"))->isChecked());
         score_->tick();
       },
       true});
  action(QStringLiteral("follow"))->setChecked(true);
  connect(score_, &ScoreView::followsChanged, action(QStringLiteral("follow")), &QAction::setChecked);
  add({"nearer",
       menu,
       tr("Zoom &in"),
       {},
       {K::ZoomIn, K(Qt::CTRL | Qt::Key_Equal)},
       [this] { score_->zoom(1.5, score_->axis().x0 + score_->axis().width / 2); },
       false,
       true});
  add({"farther", menu, tr("Zoom &out"), {}, {K::ZoomOut}, [this] {
         score_->zoom(1 / 1.5, score_->axis().x0 + score_->axis().width / 2);
       }});
  add({"whole", menu, tr("The &whole song"), {}, {K(Qt::CTRL | Qt::Key_0)}, [this] {
         if (session_.isOpen())
           score_->showRange(-1, session_.plan()->map().quartersAt(session_.plan()->end(true)) + 1, true);
       }});
  add({"foldRow",
       menu,
       tr("Fold the caret's ro&w"),
       tr("To a thin staff, or back"),
       {K(Qt::SHIFT | Qt::Key_F)},
       [this] { score_->toggleFold(score_->caretRow()); },
       false,
       true});
  add({"foldQuiet",
       menu,
       tr("Fold &quiet staves"),
       tr("Staves without ornaments in view fold by themselves"),
       {K(Qt::Key_F)},
       [this] { score_->setFoldsQuiet(action(QStringLiteral("foldQuiet"))->isChecked()); },
       true});
  addGridActions(menu);
  addReadActions(menu);
  const QString papers = tr("Paper");
  add({"paper-desktop",
       menu,
       tr("As the &desktop"),
       {},
       {},
       [this] { setPaperChoice(QStringLiteral("desktop")); },
       true,
       true,
       papers});
  add({"paper-day",
       menu,
       tr("D&ay"),
       tr("Dark ink on warm white"),
       {},
       [this] { setPaperChoice(QStringLiteral("day")); },
       true,
       false,
       papers});
  add({"paper-night",
       menu,
       tr("Ni&ght"),
       tr("Pale ink on dark paper"),
       {},
       [this] { setPaperChoice(QStringLiteral("night")); },
       true,
       false,
       papers});
  add({"night",
       menu,
       tr("The other paper"),
       tr("Day or night"),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_N)},
       [this] { setPaperChoice(paper().night ? QStringLiteral("day") : QStringLiteral("night")); },
       false,
       false,
       papers});
}

/// What is seen at a glance, said on request: it stands in the measure line, and screen readers read it out.
void MainWindow::addReadActions(const QString& menu) {
  const QString sub = tr("Read out");
  const auto add = [&](const char* id, const QString& text, QKeyCombination key, std::function<QString()> words) {
    actions_->add({QString::fromLatin1(id),
                   menu,
                   text,
                   {},
                   {K(key)},
                   [this, words = std::move(words)] {
                     const QString said = words();
                     measure_->tell(said.isEmpty() ? tr("There is nothing to say.") : said);
                   },
                   false,
                   false,
                   sub});
  };
  add("readPlace", tr("&Place and figures"), QKeyCombination(Qt::Key_F7), [this] {
    const QString place =
        tr("%1 on %2").arg(head_->positionText(), asText(session_.song().rowName(score_->caretRow())));
    const QString figures = measure_->figures();
    return figures.isEmpty() ? place : QStringLiteral("%1 · %2").arg(place, figures);
  });
  add("readOrnament", tr("The &ornament"), Qt::SHIFT | Qt::Key_F7, [this] {
    const std::string id = score_->ornamentAtCaret();
    const Ornament* o = session_.song().ornament(id);
    if (!o) return tr("No ornament stands on %1.").arg(asText(session_.song().rowName(score_->caretRow())));
    const TempoMap& map = session_.plan()->map();
    return tr("%1 at %2, over %3: %4")
        .arg(kindWord(o->kind), barWords(map, o->start), spanWords(map, o->start, o->length),
             o->enabled ? score_->saidOf(id) : tr("bypassed"));
  });
  add("readMeters", tr("The &meters"), QKeyCombination(Qt::Key_F8),
      [this] { return tr("%1 · monitor %2 dB").arg(head_->meterText()).arg(listening_->monitorDb(), 0, 'f', 1); });
  add("readMessage", tr("The &last message"), Qt::SHIFT | Qt::Key_F8, [this] { return measure_->lastSaid(); });
}

void MainWindow::addGridActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  const QString grid = tr("Grid");
  int key = Qt::Key_1;
  for (const int value : kGridValues)
    add({QStringLiteral("grid-%1").arg(value),
         menu,
         QStringLiteral("1/%1").arg(value),
         tr("Selections, edges and moves snap to this; Shift with the mouse leaves it"),
         {K(Qt::CTRL | static_cast<Qt::Key>(key++))},
         [this, value] {
           gridValue_ = value;
           applyGrid();
         },
         true,
         value == 1,
         grid});
  const auto form = [this](const QString& f) {
    return [this, f] {
      gridForm_ = gridForm_ == f ? QString() : f;
      applyGrid();
    };
  };
  add({"grid-dotted",
       menu,
       tr("&Dotted"),
       {},
       {K(Qt::SHIFT | Qt::Key_D)},
       form(QStringLiteral(".")),
       true,
       true,
       grid});
  add({"grid-triplet",
       menu,
       tr("&Triplet"),
       {},
       {K(Qt::SHIFT | Qt::Key_T)},
       form(QStringLiteral("t")),
       true,
       false,
       grid});
  add({"grid-free",
       menu,
       tr("&Free, no grid"),
       {},
       {K(Qt::CTRL | Qt::Key_8)},
       [this] {
         gridValue_ = 0;
         applyGrid();
       },
       true,
       false,
       grid});
  const auto walk = [this](int by) {
    const auto* at = std::find(std::begin(kGridValues), std::end(kGridValues), gridValue_);
    const auto i = at == std::end(kGridValues) ? 4 : at - std::begin(kGridValues) + by;
    gridValue_ = kGridValues[std::clamp<std::ptrdiff_t>(i, 0, std::size(kGridValues) - 1)];
    applyGrid();
  };
  add({"grid-coarser", menu, tr("Coarser"), {}, {K(Qt::Key_Minus)}, [walk] { walk(-1); }, false, true, grid});
  add({"grid-finer", menu, tr("Finer"), {}, {K(Qt::Key_Plus)}, [walk] { walk(1); }, false, false, grid});
}

QString MainWindow::gridText() const {
  return gridValue_ == 0 ? QStringLiteral("free") : QStringLiteral("1/%1%2").arg(gridValue_).arg(gridForm_);
}

void MainWindow::setGridText(const QString& text) {
  const auto value = NoteValue::parse(text.toStdString());
  gridValue_ = value && value->kind == NoteValue::Kind::fraction ? value->number : 0;
  gridForm_ = value && value->dotted ? QStringLiteral(".") : value && value->triplet ? QStringLiteral("t") : QString();
  applyGrid();
}

void MainWindow::applyGrid() {
  const auto value = NoteValue::parse(gridText().toStdString());
  score_->setGrid(value ? *value->beats(TempoMap(), Beats(0)) : Beats(0), gridText());
  for (const int v : kGridValues) action(QStringLiteral("grid-%1").arg(v))->setChecked(gridValue_ == v);
  action(QStringLiteral("grid-free"))->setChecked(gridValue_ == 0);
  action(QStringLiteral("grid-dotted"))->setChecked(gridForm_ == QLatin1String("."));
  action(QStringLiteral("grid-triplet"))->setChecked(gridForm_ == QLatin1String("t"));
}

} // namespace ivrin::app

#include "app/actions/travel_actions.h"

namespace ivrin::app {

/// The keyboard's place in the song goes as in a text: by words, phrases and pages, which are landings here. With Shift
/// the selection goes along.
void TravelActions::addActions(const QString& menu) {
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
      {"", tr("Go to &start"), tr("Go to &end"), Qt::Key_Home, Qt::Key_End, CaretUnit::end}};
  const QString extending = tr("Go and extend selection");
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
                       [this, unit = w.unit, step, extend] { score_->caret().travel(unit, step, extend); },
                       false,
                       false,
                       extend ? extending : QString()});
      };
      add(w.unit == CaretUnit::end ? "Start" : "Previous", w.back, w.backKey, -1);
      add(w.unit == CaretUnit::end ? "End" : "Next", w.on, w.onKey, 1);
    }
}

void TravelActions::addCentre(const QString& menu) {
  actions_->add(
      {"centre", menu, tr("&Centre on landing"), tr("Renames the current landing."), {K(Qt::CTRL | Qt::Key_L)}, [this] {
         score_->centreOnLanding();
       }});
}

} // namespace ivrin::app

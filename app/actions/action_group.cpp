#include "app/actions/action_group.h"

#include "time/note_value.h"

#include <algorithm>

namespace ivrin::app {

std::filesystem::path pathOf(const QString& s) {
  return std::filesystem::path(s.toStdString());
}

std::vector<std::filesystem::path> pathsOf(const QStringList& all) {
  std::vector<std::filesystem::path> paths;
  for (const QString& s : all) paths.push_back(pathOf(s));
  return paths;
}

ActionGroup::ActionGroup(const Desk& desk)
    : QObject(&desk.window)
    , session_(desk.session)
    , score_(&desk.score)
    , measure_(&desk.measure)
    , actions_(&desk.registry)
    , window_(&desk.window) {}

Beats ActionGroup::here() const {
  if (!session_.player().playing()) return score_->caret().at();
  const Beats now = session_.playBeat();
  return score_->grid().ticks > 0 ? snapToGrid(now, score_->grid(), session_.plan()->map()) : now;
}

std::vector<Ornament> ActionGroup::ornamentsInHand() const {
  std::vector<Ornament> all;
  for (const std::string& id : score_->hand().ids())
    if (const Ornament* o = session_.song().ornament(id)) all.push_back(*o);
  std::stable_sort(all.begin(), all.end(), [](const Ornament& a, const Ornament& b) { return a.start < b.start; });
  return all;
}

void ActionGroup::edit(const QString& label, Song next) {
  if (next == session_.song()) return;
  session_.edit(label, std::move(next));
  session_.settle();
}

void ActionGroup::offerInstead(const QString& text, const QString& what, std::function<void()> does) {
  measure_->say(text, false, what, [this, done = session_.song(), does = std::move(does)] {
    if (!(session_.song() == done)) {
      measure_->say(
          QObject::tr("The song was edited after this step. Undo those edits first (Ctrl+Z), then this step."), true);
      return;
    }
    session_.undo();
    does();
  });
}

} // namespace ivrin::app

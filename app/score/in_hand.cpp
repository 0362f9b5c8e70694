#include "app/score/in_hand.h"

#include "app/score/score_view.h"
#include "app/words/ornament_look.h"
#include "song/edits.h"

#include <algorithm>

namespace ivrin::app {
namespace {

QString wordsFor(const Song& song, const std::vector<std::string>& ids) {
  return ids.size() == 1 ? kindWord(song.ornament(ids.front())->kind)
                         : QObject::tr("%n ornament(s)", nullptr, static_cast<int>(ids.size()));
}

} // namespace

InHand::InHand(ScoreView& view)
    : view_(view)
    , session_(view.session()) {}

void InHand::mark(std::set<std::string> ids) {
  if (ids == marked_) return;
  marked_ = std::move(ids);
  view_.update();
  emit view_.markedChanged();
}

void InHand::toggleMark(const std::string& id) {
  std::set<std::string> now = marked_;
  if (!now.erase(id)) now.insert(id);
  mark(std::move(now));
}

void InHand::renew() {
  if (std::erase_if(marked_, [&](const std::string& id) { return !session_.song().ornament(id); }) > 0)
    emit view_.markedChanged();
}

std::vector<std::string> InHand::ids() const {
  if (!marked_.empty()) return {marked_.begin(), marked_.end()};
  const std::string id = atCaret();
  return id.empty() ? std::vector<std::string>() : std::vector<std::string>{id};
}

std::string InHand::atCaret() const {
  if (view_.opened().isOpen()) return view_.opened().id();
  const ScoreCaret& caret = view_.caret();
  const Ornament* best = nullptr;
  for (const auto& o : session_.song().ornaments)
    if (o->on == caret.row() &&
        (!best || std::abs((o->start - caret.at()).ticks) < std::abs((best->start - caret.at()).ticks)))
      best = o.get();
  return best ? best->id : std::string();
}

void InHand::nudge(int steps) {
  const auto all = ids();
  if (all.empty()) return;
  session_.edit(tr("move %1").arg(wordsFor(session_.song(), all)),
                withOrnamentsShifted(session_.song(), all, view_.caret().step() * steps), "nudge-" + all.front());
}

void InHand::nudgeFrames(int frames) {
  const auto all = ids();
  if (all.empty()) return;
  // By whole frames of the first one; the others keep their distance in beats.
  const TempoMap& map = session_.plan()->map();
  const Beats start = session_.song().ornament(all.front())->start;
  const Beats to = map.beatAt(map.frameAt(start) + Frames(frames));
  session_.edit(tr("move %1").arg(wordsFor(session_.song(), all)),
                withOrnamentsShifted(session_.song(), all, to - start), "nudge-frames-" + all.front());
}

void InHand::reorder(int steps) {
  const std::string id = marked_.size() == 1 ? *marked_.begin() : atCaret();
  const Ornament* o = session_.song().ornament(id);
  if (!o) return;
  const auto now = static_cast<int>(orderOnRow(session_.song(), id));
  const QString name = kindWord(o->kind);
  session_.edit(tr("change order of %1").arg(name),
                withOrnamentAt(session_.song(), id, static_cast<std::size_t>(std::max(0, now + steps))), {});
  session_.settle();
}

} // namespace ivrin::app

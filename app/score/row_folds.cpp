#include "app/score/row_folds.h"

#include "app/score/score_view.h"

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kFoldAfterMs = 260;

} // namespace

RowFolds::RowFolds(ScoreView& view)
    : view_(view)
    , session_(view.session()) {
  timer_.setSingleShot(true);
  timer_.setInterval(kFoldAfterMs);
  connect(&timer_, &QTimer::timeout, this, &RowFolds::foldNow);
}

bool RowFolds::folded(const std::string& row) const {
  return byHand_.contains(row) || (foldsQuiet_ && quiet_.contains(row));
}

void RowFolds::toggle(const std::string& row) {
  if (!byHand_.erase(row)) byHand_.insert(row);
  view_.layOut();
  view_.update();
}

void RowFolds::setFoldsQuiet(bool on) {
  foldsQuiet_ = on;
  if (on) timer_.start(0);
  quiet_.clear();
  view_.layOut();
  view_.update();
}

void RowFolds::restore(std::set<std::string> byHand, bool foldsQuiet) {
  byHand_ = std::move(byHand);
  foldsQuiet_ = foldsQuiet;
}

void RowFolds::renewRows() {
  quiet_.clear();
  std::erase_if(byHand_, [&](const std::string& id) { return !session_.song().hasRow(id); });
}

void RowFolds::viewMoved() {
  if (foldsQuiet_) timer_.start();
}

void RowFolds::foldNow() {
  timer_.stop();
  std::set<std::string> now;
  for (const std::string& id : view_.rows())
    if (foldsQuiet_ && isQuiet(id)) now.insert(id);
  if (now == quiet_) return;
  quiet_ = std::move(now);
  view_.layOut();
  view_.update();
}

bool RowFolds::isQuiet(const std::string& row) const {
  if (row == view_.caret().row() || row == kMixRow) return false;
  if (const auto& selected = view_.selection()) {
    const auto rows = selected->rows();
    if (std::find(rows.begin(), rows.end(), row) != rows.end()) return false;
  }
  const TempoMap& map = session_.plan()->map();
  const TimeAxis& axis = view_.axis();
  const FrameRange seen{map.frameAt(axis.beatAt(axis.x0)), map.frameAt(axis.beatAt(axis.x0 + axis.width))};
  for (const auto& o : session_.song().ornaments) {
    if (o->on != row) continue;
    const auto node = session_.plan()->node(o->id);
    if (!intersect(node ? node->extent() : map.frames(o->span()), seen).empty()) return false;
  }
  return true;
}

} // namespace ivrin::app

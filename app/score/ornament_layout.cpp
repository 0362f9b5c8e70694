#include "app/score/ornament_layout.h"

#include "app/theme/type.h"

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kMostLanes = 4; // more would be too thin to grab; further ones share the lowest

bool overlap(const BeatRange& a, const BeatRange& b) {
  return a.begin < b.end && b.begin < a.end;
}

} // namespace

std::vector<std::pair<int, int>> lanesOf(const std::vector<BeatRange>& spans) {
  const std::size_t n = spans.size();
  std::vector<std::pair<int, int>> lanes(n, {0, 1});
  std::vector<std::size_t> group(n);
  for (std::size_t i = 0; i < n; ++i) {
    group[i] = i;
    for (std::size_t k = 0; k < i; ++k) {
      if (!overlap(spans[k], spans[i])) continue;
      lanes[i].first = std::min(std::max(lanes[i].first, lanes[k].first + 1), kMostLanes - 1);
      const std::size_t from = group[i], to = group[k]; // the groups become one
      for (std::size_t j = 0; j <= i; ++j)
        if (group[j] == from) group[j] = to;
    }
  }
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t k = 0; k < n; ++k)
      if (group[k] == group[i]) lanes[i].second = std::max(lanes[i].second, lanes[k].first + 1);
  return lanes;
}

void OrnamentLayout::learn(const RenderPlan& plan, const Heard& heard) {
  known_.clear();
  for (const auto& o : plan.song().ornaments) {
    BeatRange span = o->span();
    std::optional<Beats> landing;
    if (const auto node = plan.node(o->id)) {
      if (const auto range = heard(*node)) {
        span.begin = std::min(span.begin, plan.map().beatAt(range->begin));
        span.end = std::max(span.end, plan.map().beatAt(range->end));
      }
      if (const auto at = node->kind->landingFrame({*o, plan.context()})) landing = plan.map().beatAt(*at);
    }
    auto& row = known_[o->on];
    row.push_back({o->id, row.size(), o->span(), span, landing, 0, 1});
  }
  for (auto& [row, all] : known_) {
    std::vector<BeatRange> spans;
    for (const Known& k : all) spans.push_back(k.heard);
    const auto lanes = lanesOf(spans);
    for (std::size_t i = 0; i < all.size(); ++i) std::tie(all[i].lane, all[i].lanes) = lanes[i];
  }
}

void OrnamentLayout::place(const std::vector<RowBox>& rows, const TimeAxis& axis) {
  auto boxes = std::make_shared<OrnamentBoxes>();
  for (const RowBox& r : rows) {
    const auto found = known_.find(r.id);
    if (r.open || found == known_.end()) continue;
    const double full = r.height < scaled(40) ? scaled(18) : scaled(22);
    const std::size_t first = boxes->all().size();
    for (const Known& k : found->second) {
      OrnamentBox b;
      b.id = k.id;
      b.lane = k.lane;
      b.lanes = k.lanes;
      b.order = k.order;
      b.begin = axis.xOf(k.source.begin);
      b.end = axis.xOf(k.source.end);
      b.leadX = axis.xOf(k.heard.begin);
      b.tailX = axis.xOf(k.heard.end);
      if (k.landing) b.landingX = axis.xOf(*k.landing);
      b.bandHeight = static_cast<double>(r.staffHeight) / b.lanes;
      b.bandTop = r.staffTop + b.lane * b.bandHeight;
      const double w = b.lanes == 1 ? full : std::clamp(b.bandHeight * 0.8, 13.0, full), h = w * 16 / 22;
      b.sign = QRectF(b.begin, b.lane == 0 ? r.y + std::max(1.0, r.height * 0.04) : b.bandTop + 1, w, h);
      for (std::size_t i = first; i < boxes->all().size(); ++i) { // several at one place in one lane stand side by side
        const OrnamentBox& other = boxes->all()[i];
        if (other.lane == b.lane && other.sign.intersects(b.sign)) b.sign.moveLeft(other.sign.right() + w * 0.15);
      }
      const double digits = scaled(13);
      if (b.lanes > 1) b.number = QRectF(b.sign.left() - digits, b.sign.top() - 1, digits, std::max(h + 2, digits));
      b.bracketY = b.sign.bottom() + scaled(3);
      boxes->add(std::move(b));
    }
  }
  boxes_ = std::move(boxes);
}

void OrnamentBoxes::add(OrnamentBox b) {
  index_[b.id] = all_.size();
  all_.push_back(std::move(b));
}

const OrnamentBox* OrnamentBoxes::box(const std::string& id) const {
  const auto it = index_.find(id);
  return it == index_.end() ? nullptr : &all_[it->second];
}

const OrnamentBox* OrnamentBoxes::at(QPointF p) const {
  for (const OrnamentBox& b : all_)
    if (b.sign.adjusted(-3, -4, 3, 4).contains(p) || (!b.number.isEmpty() && b.number.contains(p))) return &b;
  return nullptr;
}

std::optional<TieSlur> tieSlur(const OrnamentBox& b, double x) {
  const bool after = x >= b.sign.center().x();
  const QPointF from(after ? b.sign.right() + 1 : b.sign.left() - (b.number.isEmpty() ? 1 : b.number.width() + 1),
                     b.sign.center().y() - 1),
      to(x + (after ? -2 : 6), b.sign.top() + 2);
  const double span = std::abs(to.x() - from.x());
  if (span < 5) return std::nullopt;
  return TieSlur{from, to, std::min(span * 0.22, scaled(8) * 1.0)};
}

} // namespace ivrin::app

#include "render/node_settling.h"

#include "render/provenance.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace {

FrameRange joined(FrameRange a, FrameRange b) {
  if (a.empty()) return b;
  if (b.empty()) return a;
  return {std::min(a.begin, b.begin), std::max(a.end, b.end)};
}

bool haveSameRows(const std::vector<RowNode>& was, const std::vector<RowNode>& is) {
  return std::equal(was.begin(), was.end(), is.begin(), is.end(),
                    [](const RowNode& a, const RowNode& b) { return a.id == b.id && a.members == b.members; });
}

} // namespace

// ---------------------------------------------------------------- where ornaments stood

FormerPlaces::FormerPlaces(const Ornaments* was, const Ornaments& is)
    : was_(was)
    , is_(is) {
  if (!was) return;
  const auto same = [](const auto& a, const auto& b) { return a.get() == b.get(); };
  head_ = Ornaments::commonHead(*was, is, same);
  tail_ = Ornaments::commonTail(*was, is, std::min(was->size(), is.size()) - head_, same);
  for (std::size_t i = head_; i < was->size() - tail_; ++i) between_.emplace((*was)[i].get(), i);
}

std::optional<std::size_t> FormerPlaces::of(std::size_t i) const {
  if (!was_) return std::nullopt;
  if (i < head_) return i;
  if (i >= end()) return i + was_->size() - is_.size();
  const auto it = between_.find(is_[i].get());
  return it == between_.end() ? std::nullopt : std::optional(it->second);
}

bool FormerPlaces::sameIds() const {
  if (!was_ || was_->size() != is_.size()) return false;
  for (std::size_t i = head_; i < end(); ++i)
    if ((*was_)[i]->id != is_[i]->id) return false;
  return true;
}

// ---------------------------------------------------------------- what has changed

NodeSettling::NodeSettling(RenderPlan& plan, const KindSet& kinds, PrintCache& cache, const RenderPlan* former,
                           Problems* problems)
    : plan_(plan)
    , kinds_(kinds)
    , cache_(cache)
    , former_(former)
    , problems_(problems)
    , rows_(plan.rows_)
    , sameRows_(former && former->context_ == plan.context_ && haveSameRows(former->rows_, plan.rows_))
    , places_(sameRows_ ? &former->song_.ornaments : nullptr, plan.song_.ornaments)
    , sameIds_(places_.sameIds())
    , changes_(rows_.size())
    , sourceChanged_(rows_.size(), 0)
    , mixChanged_(rows_.size(), 0)
    , fresh_(rows_.size())
    , settled_(rows_.size(), 0)
    , open_(rows_.size(), 0) {
  for (std::size_t r = 0; sameRows_ && r < rows_.size(); ++r) {
    const RowNode &was = former->rows_[r], &is = rows_[r];
    sourceChanged_[r] = was.audio != is.audio || was.offset != is.offset;
    mixChanged_[r] = was.gainLeft != is.gainLeft || was.gainRight != is.gainRight || was.mute != is.mute;
  }
}

void NodeSettling::settle() {
  inPlace_ = onlyReplaced();
  if (inPlace_) {
    replaceInPlace();
  } else {
    takeOver();
    noteMoves();
  }
  indexPlaces();
  for (std::size_t r = 0; r < rows_.size(); ++r) settleRow(r, rows_[r].ornaments.size());
  tellRefusals();
}

bool NodeSettling::onlyReplaced() const {
  if (!former_ || !sameIds_ || former_->anyRefused_) return false;
  for (std::size_t i = places_.head(); i < places_.end(); ++i) {
    const Ornament &was = *former_->song_.ornaments[i], &is = *plan_.song_.ornaments[i];
    if (!former_->nodeAt_[i] || !is.enabled || was.on != is.on || was.kind != is.kind) return false;
  }
  return true;
}

void NodeSettling::replaceInPlace() {
  for (std::size_t r = 0; r < rows_.size(); ++r) {
    rows_[r].ornaments = former_->rows_[r].ornaments;
    rows_[r].hearsItself = former_->rows_[r].hearsItself;
  }
  plan_.nodeAt_ = former_->nodeAt_;
  plan_.nodes_ = former_->nodes_;
  plan_.anyRefusal_ = former_->anyRefusal_;
  for (std::size_t i = places_.head(); i < places_.end(); ++i) {
    const auto& o = plan_.song_.ornaments[i];
    const Node old = plan_.nodeAt_[i];
    if (old->ornament.get() == o.get()) continue;
    const std::size_t r = old->row, order = old->order;
    auto node = plan_.makeNode(o, *old->kind, r, order);
    changes_[r].push_back({static_cast<Order>(order), old->reach()});
    changes_[r].push_back({static_cast<Order>(order), node->reach()});
    if (fresh_[r].empty()) fresh_[r].resize(rows_[r].ornaments.size());
    fresh_[r][order] = node;
    rows_[r].ornaments.set(order, node);
    rows_[r].hearsItself = rows_[r].hearsItself && node->hearsOwnRowOnly;
    plan_.anyRefusal_ = plan_.anyRefusal_ || !node->plan.refusal.empty();
    plan_.replaceNode(i, std::move(node));
  }
}

/// The node of the ornament at a place of the song, put on its row; nothing where it has none.
NodeSettling::Node NodeSettling::takenOver(std::size_t place, std::vector<std::vector<Node>>& onRow) {
  const auto& o = plan_.song_.ornaments[place];
  const std::optional<std::size_t> was = places_.of(place);
  Node old;
  if (former_ && was) old = former_->nodeAt_[*was];
  const Kind* kind = old ? old->kind : was ? nullptr : kinds_.find(o->kind); // the same value that had no node has none
  if (!kind || (!old && !o->enabled)) return nullptr;
  const std::size_t r = old ? old->row : plan_.rowById_.at(o->on), order = onRow[r].size();
  std::shared_ptr<OrnamentNode> node;
  if (old && !old->refused && old->order != order) {
    node = std::make_shared<OrnamentNode>(*old);
    node->order = order;
  } else if (!old || old->refused) {
    node = plan_.makeNode(o, *kind, r, order);
  }
  fresh_[r].push_back(node);
  onRow[r].push_back(node ? node : old);
  return onRow[r].back();
}

void NodeSettling::takeOver() {
  const std::size_t count = plan_.song_.ornaments.size();
  std::vector<std::vector<Node>> onRow(rows_.size());
  std::vector<Node> at, all;
  at.reserve(count);
  all.reserve(count);
  for (std::size_t i = 0; i < count; ++i) {
    at.push_back(takenOver(i, onRow));
    if (at.back()) all.push_back(at.back());
  }
  for (std::size_t r = 0; r < rows_.size(); ++r) {
    rows_[r].ornaments = Chunked(onRow[r]);
    rows_[r].hearsItself =
        std::all_of(onRow[r].begin(), onRow[r].end(), [](const auto& node) { return node->hearsOwnRowOnly; });
  }
  plan_.nodeAt_ = Chunked(at);
  plan_.nodes_ = all.size() == at.size() ? plan_.nodeAt_ : Chunked(all);
  plan_.anyRefusal_ = std::any_of(all.begin(), all.end(), [](const auto& node) { return !node->plan.refusal.empty(); });
}

void NodeSettling::noteMoves() {
  using Nodes = Chunked<Node>;
  const auto same = [](const auto& a, const auto& b) { return a == b || a->ornament.get() == b->ornament.get(); };
  for (std::size_t r = 0; sameRows_ && r < rows_.size(); ++r) {
    const Nodes &was = former_->rows_[r].ornaments, &is = rows_[r].ornaments;
    const std::size_t head = Nodes::commonHead(was, is, same),
                      tail = Nodes::commonTail(was, is, std::min(was.size(), is.size()) - head, same);
    for (std::size_t i = head; i < was.size() - tail; ++i)
      changes_[r].push_back({static_cast<Order>(head) - 1, was[i]->reach()});
    for (std::size_t i = head; i < is.size() - tail; ++i)
      changes_[r].push_back({static_cast<Order>(i), is[i]->reach()});
  }
}

void NodeSettling::indexPlaces() {
  if (sameIds_) {
    plan_.placeById_ = former_->placeById_;
    return;
  }
  auto index = std::make_shared<RenderPlan::Index>();
  for (std::size_t i = 0; i < plan_.song_.ornaments.size(); ++i)
    index->emplace(plan_.song_.ornaments[i]->id, i); // unique in a song
  plan_.placeById_ = std::move(index);
}

bool NodeSettling::changed(std::size_t r, Order before, FrameRange range) const {
  if (sourceChanged_[r]) return true;
  for (const Change& c : changes_[r])
    if (c.order < before && !intersect(c.frames, range).empty()) return true;
  for (const std::size_t m : rows_[r].members)
    if (mixChanged_[m] || changed(m, static_cast<Order>(rows_[m].ornaments.size()), range)) return true;
  return false;
}

NodeSettling::Order NodeSettling::firstTouched(std::size_t r) const {
  if (sourceChanged_[r]) return kDry;
  for (const std::size_t m : rows_[r].members)
    if (mixChanged_[m] || firstTouched(m) != kNowhere) return kDry;
  Order first = kNowhere;
  for (const Change& c : changes_[r]) first = std::min(first, c.order);
  return first;
}

// ---------------------------------------------------------------- provenance, in the order in which things are
// computed

bool NodeSettling::settleRow(std::size_t r, std::size_t before) {
  for (const std::size_t m : rows_[r].members)
    if (!settleRow(m, rows_[m].ornaments.size())) return false;
  // Those that were taken over and hear their own row alone: nothing to ask before the first that is new. (Each new
  // one is a change at its own place.)
  if (inPlace_ && rows_[r].hearsItself && settled_[r] < before)
    settled_[r] = std::max(settled_[r],
                           static_cast<std::size_t>(std::clamp<Order>(firstTouched(r), 0, static_cast<Order>(before))));
  while (settled_[r] < before) {
    if (open_[r]) return false; // it reads itself, by whatever way
    settleNode(r, settled_[r]);
    ++settled_[r];
  }
  return true;
}

void NodeSettling::settleNode(std::size_t r, std::size_t order) {
  const Node kept = rows_[r].ornaments[order];
  const OrnamentNode& now = *kept;
  std::shared_ptr<OrnamentNode> node = fresh_[r].empty() ? nullptr : fresh_[r][order];
  if (sameRows_ && !node && now.hearsOwnRowOnly && firstTouched(r) == kNowhere) return;
  open_[r] = 1;
  bool computable = true, asBefore = sameRows_ && !now.provenance.empty();
  for (std::size_t i = 0; i < now.plan.reads.size() && computable; ++i) {
    const bool soFar = now.plan.reads[i].what == Read::What::rowSoFar;
    computable = settleRow(now.readRows[i], soFar ? order : 0);
    asBefore = asBefore && computable &&
               !changed(now.readRows[i], soFar ? static_cast<Order>(order) : kDry, now.plan.reads[i].frames);
  }
  open_[r] = 0;
  if (computable && asBefore) return;
  const FrameRange was = now.reach();
  const bool isNew = !node;
  if (isNew) node = std::make_shared<OrnamentNode>(now);
  giveProvenance(*node, computable);
  if (!isNew || now.provenance != node->provenance)
    changes_[r].push_back({static_cast<Order>(order), joined(was, node->reach())});
  if (isNew) {
    rows_[r].ornaments.set(order, node);
    plan_.replaceNode(plan_.placeById_->at(node->ornament->id), node);
  }
}

void NodeSettling::giveProvenance(OrnamentNode& node, bool reads) {
  if (reads) {
    node.provenance = ivrin::provenance(node, rows_);
    node.print = !node.plan.sounds
                     ? nullptr
                     : cache_.take(node.provenance, node.plan.extent,
                                   static_cast<float>(Decibels(node.ornament->gainDb).gain()), node.plan.anyOrder);
    return;
  }
  node.plan = {};
  node.plan.sounds = false;
  node.readRows.clear();
  node.refused = plan_.anyRefused_ = true;
  node.provenance = "refused";
  node.print = nullptr;
  if (problems_)
    problems_->error(
        ErrorId::refused, worded("ornament “%1”", node.ornament->id),
        worded("is left out: its source row needs this ornament first. Choose another source or sidechain"));
}

void NodeSettling::tellRefusals() const {
  if (!problems_ || !plan_.anyRefusal_) return;
  for (const auto& node : plan_.nodes_)
    if (!node->plan.refusal.empty())
      problems_->error(ErrorId::refused, worded("ornament “%1”", node->ornament->id), node->plan.refusal);
}

} // namespace ivrin

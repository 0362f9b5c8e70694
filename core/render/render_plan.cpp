#include "render/render_plan.h"

#include "dsp/dynamics/balance.h"
#include "ornaments/finished.h"
#include "render/node_settling.h"
#include "render/provenance.h"
#include "time/check.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace ivrin {

namespace {

/// The print's frames joined with those where the row's planes are turned down.
FrameRange withGains(FrameRange r, const PrintPlan& plan) {
  for (const GainSegments* g : {&plan.dry, &plan.wet})
    if (!g->isOne())
      r = r.empty() ? g->span() : FrameRange{std::min(r.begin, g->span().begin), std::max(r.end, g->span().end)};
  return r;
}

} // namespace

FrameRange OrnamentNode::extent() const {
  return withGains(print ? print->extent() : FrameRange{plan.extent.begin, plan.extent.begin}, plan);
}

FrameRange OrnamentNode::reach() const {
  return withGains(plan.sounds ? plan.extent : FrameRange{plan.extent.begin, plan.extent.begin}, plan);
}

std::shared_ptr<Print> PrintCache::take(const std::string& provenance, FrameRange extent, float gain, bool anyOrder) {
  std::lock_guard lock(mutex_);
  const auto it = index_.find(provenance);
  if (it != index_.end() && it->second->print->failed()) { // tried again
    recent_.erase(it->second);
    index_.erase(it);
  } else if (it != index_.end()) {
    recent_.splice(recent_.begin(), recent_, it->second);
    return it->second->print;
  }
  ++misses_;
  recent_.push_front({provenance, std::make_shared<Print>(extent, gain, anyOrder, store_, failures_)});
  index_[provenance] = recent_.begin();
  auto print = recent_.front().print;
  if (misses_ % 16 == 0) trimLocked(); // counting is linear: not at every miss
  return print;
}

void PrintCache::trim() {
  std::lock_guard lock(mutex_);
  trimLocked();
}

void PrintCache::trimLocked() {
  std::int64_t bytes = 0;
  std::size_t unused = 0;
  for (auto it = recent_.begin(); it != recent_.end();) {
    if (it->print.use_count() > 1) {
      ++it;
      continue;
    }
    bytes += it->print->bytes();
    if (bytes > budget_.unusedBytes || ++unused > budget_.unused) {
      index_.erase(it->key);
      it = recent_.erase(it);
    } else {
      it->print->rest();
      ++it;
    }
  }
}

std::optional<std::size_t> RenderPlan::rowIndex(const std::string& id) const {
  const auto it = rowById_.find(id);
  return it == rowById_.end() ? std::nullopt : std::optional(it->second);
}

std::shared_ptr<const OrnamentNode> RenderPlan::node(const std::string& ornamentId) const {
  const auto it = placeById_->find(ornamentId);
  return it == placeById_->end() ? nullptr : nodeAt_[it->second];
}

const Ornament* RenderPlan::ornament(const std::string& id) const {
  const auto it = placeById_->find(id);
  return it == placeById_->end() ? nullptr : song_.ornaments[it->second].get();
}

Frames RenderPlan::end(bool completeOnly) const {
  Frames end(0);
  for (const RowNode& r : rows_)
    if (r.audio) end = std::max(end, Frames(r.offset + r.audio->frames()));
  for (const auto& n : nodes_)
    if (n->print && (!completeOnly || n->print->complete())) end = std::max(end, n->print->end());
  return end;
}

bool RenderPlan::anyFailed() const {
  return std::any_of(nodes_.begin(), nodes_.end(), [](const auto& n) { return n->print && n->print->failed(); });
}

std::shared_ptr<const RenderPlan> RenderPlan::make(const Song& song, const SongAudio& audio, const KindSet& kinds,
                                                   PrintCache& cache, const RenderPlan* former, Problems* problems) {
  std::shared_ptr<RenderPlan> plan(new RenderPlan);
  plan->failures_ = cache.failures();
  if (former && former->failures_ != plan->failures_) former = nullptr; // its nodes may have prints that failed
  plan->song_ = song;
  SongContext context = contextOf(song, audio.impulses());
  plan->context_ = former && *former->context_ == context ? former->context_
                                                          : std::make_shared<const SongContext>(std::move(context));
  plan->mixGain_ = static_cast<float>(Decibels(song.mix.gainDb).gain());

  const auto addRow = [&](const std::string& id, RowNode::Type type, const RowMix& mix) -> RowNode& {
    RowNode r;
    r.id = id;
    r.type = type;
    const double gain = Decibels(mix.gainDb).gain();
    const SideGains sides = balance(mix.pan);
    r.gainLeft = static_cast<float>(gain * sides.left);
    r.gainRight = static_cast<float>(gain * sides.right);
    r.mute = mix.mute;
    r.solo = mix.solo;
    plan->rows_.push_back(std::move(r));
    return plan->rows_.back();
  };
  for (const Stem& s : song.stems) {
    RowNode& r = addRow(s.id, RowNode::Type::stem, s.mix);
    r.audio = audio.of(s.id);
    r.offset = std::llround(s.offsetSeconds * song.sampleRate);
  }
  for (const Bus& b : song.buses) addRow(b.id, RowNode::Type::bus, b.mix);
  addRow(kMixRow, RowNode::Type::mix, {});
  auto& index = plan->rowById_;
  for (std::size_t i = 0; i < plan->rows_.size(); ++i) index[plan->rows_[i].id] = i;
  for (std::size_t i = 0; i < song.stems.size(); ++i)
    plan->rows_[song.stems[i].bus ? index[*song.stems[i].bus] : plan->mixRow()].members.push_back(i);
  for (std::size_t i = 0; i < song.buses.size(); ++i)
    plan->rows_[plan->mixRow()].members.push_back(song.stems.size() + i);

  NodeSettling(*plan, kinds, cache, former, problems).settle();
  IVRIN_CHECK(2, plan->holds());
  return plan;
}

std::shared_ptr<OrnamentNode> RenderPlan::makeNode(const Shared<Ornament>& o, const Kind& kind, std::size_t row,
                                                   std::size_t order) const {
  auto node = std::make_shared<OrnamentNode>();
  node->ornament = o;
  node->kind = &kind;
  node->row = row;
  node->order = order;
  node->plan = finishedPlan(kind, {*o, *context_});
  for (const Read& read : node->plan.reads) {
    const auto known = rowById_.find(read.row); // a song not yet saved may name a row that is gone
    if (known == rowById_.end()) node->plan.refusal = worded("uses a row that does not exist");
    node->readRows.push_back(known == rowById_.end() ? row : known->second);
  }
  if (!node->plan.refusal.empty()) {
    node->plan.sounds = false;
    node->plan.reads.clear();
    node->readRows.clear();
  }
  node->hearsOwnRowOnly =
      std::all_of(node->readRows.begin(), node->readRows.end(), [row](std::size_t read) { return read == row; });
  node->ownDigest = ivrin::ownDigest(*node, *context_);
  return node;
}

/// Puts another node where one stands.
void RenderPlan::replaceNode(std::size_t place, std::shared_ptr<const OrnamentNode> node) {
  std::size_t at = place;
  if (nodes_.size() != nodeAt_.size()) // places without a node come before it, perhaps
    at = static_cast<std::size_t>(std::count_if(nodeAt_.begin(), nodeAt_.begin() + static_cast<std::ptrdiff_t>(place),
                                                [](const auto& n) { return n != nullptr; }));
  nodes_.set(at, node);
  nodeAt_.set(place, std::move(node));
}

/// Invariants 2 to 4, for assertions.
bool RenderPlan::holds() const {
  std::size_t seen = 0;
  for (std::size_t i = 0; i < nodeAt_.size(); ++i) {
    const auto& n = nodeAt_[i];
    if (!n) continue;
    if (nodes_[seen++] != n || rows_[n->row].ornaments[n->order] != n) return false;
    if (placeById_->at(n->ornament->id) != i || n->ornament.get() != song_.ornaments[i].get()) return false;
    if (!n->refused && n->provenance.empty()) return false;
    if (n->plan.reads.size() > kMostReads || n->plan.dry.size() > kMostSegments) return false;
  }
  return seen == nodes_.size();
}

} // namespace ivrin

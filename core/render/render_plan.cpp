#include "render/render_plan.h"

#include "dsp/balance.h"
#include "ornaments/finished.h"
#include "render/provenance.h"
#include "time/check.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
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

using Ornaments = Chunked<Shared<Ornament>>;

/// Where the ornaments of a list stood in the list of before. Most edits leave all but a few at their places, so that
/// only what lies between the common begin and the common end is looked for.
class FormerPlaces {
 public:
  /// `was` may be none.
  FormerPlaces(const Ornaments* was, const Ornaments& is)
      : was_(was)
      , is_(is) {
    if (!was) return;
    const auto same = [](const auto& a, const auto& b) { return a.get() == b.get(); };
    head_ = Ornaments::commonHead(*was, is, same);
    tail_ = Ornaments::commonTail(*was, is, std::min(was->size(), is.size()) - head_, same);
    for (std::size_t i = head_; i < was->size() - tail_; ++i) between_.emplace((*was)[i].get(), i);
  }
  std::optional<std::size_t> of(std::size_t i) const {
    if (!was_) return std::nullopt;
    if (i < head_) return i;
    if (i >= end()) return i + was_->size() - is_.size();
    const auto it = between_.find(is_[i].get());
    return it == between_.end() ? std::nullopt : std::optional(it->second);
  }
  /// Places between the common begin and the common end, of the list that is.
  std::size_t head() const { return head_; }
  std::size_t end() const { return is_.size() - tail_; }
  /// Whether both lists have the same ids in the same order.
  bool sameIds() const {
    if (!was_ || was_->size() != is_.size()) return false;
    for (std::size_t i = head_; i < end(); ++i)
      if ((*was_)[i]->id != is_[i]->id) return false;
    return true;
  }

 private:
  const Ornaments* was_;
  const Ornaments& is_;
  std::size_t head_ = 0, tail_ = 0;
  std::unordered_map<const Ornament*, std::size_t> between_;
};

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

  plan->settleNodes(song, kinds, cache, former, problems);
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
    if (known == rowById_.end()) node->plan.refusal = worded("listens to a row that is not there");
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

/// Gives every ornament its node. A node of the former plan is taken over as it is when nothing that its reads meet has
/// changed, so that the price of an edit does not grow with the song: where ornaments were only replaced by others at
/// their places, nothing is looked at but these and what comes after them on their rows.
void RenderPlan::settleNodes(const Song& song, const KindSet& kinds, PrintCache& cache, const RenderPlan* former,
                             Problems* problems) {
  const std::size_t n = rows_.size();
  bool sameRows = former && former->context_ == context_ && former->rows_.size() == n;
  for (std::size_t r = 0; sameRows && r < n; ++r)
    sameRows = former->rows_[r].id == rows_[r].id && former->rows_[r].members == rows_[r].members;

  /// What is not as it was on a row, and where: heard by whatever reads the row up to an order over `order`. What went
  /// has none of its own any more: it is missed from the place on into which the next one slid, so it counts as
  /// standing one before that, which is -1 at the row's head.
  struct Change {
    std::int64_t order;
    FrameRange frames;
  };
  using Order = std::int64_t;
  constexpr Order kDry = -1; // read up to here, no ornament of the row is heard
  constexpr Order kNowhere = std::numeric_limits<Order>::max();
  std::vector<std::vector<Change>> changes(n);
  std::vector<char> sourceChanged(n, 0), mixChanged(n, 0);
  const auto joined = [](FrameRange a, FrameRange b) {
    if (a.empty()) return b;
    if (b.empty()) return a;
    return FrameRange{std::min(a.begin, b.begin), std::max(a.end, b.end)};
  };
  for (std::size_t r = 0; sameRows && r < n; ++r) {
    const RowNode &was = former->rows_[r], &is = rows_[r];
    sourceChanged[r] = was.audio != is.audio || was.offset != is.offset;
    mixChanged[r] = was.gainLeft != is.gainLeft || was.gainRight != is.gainRight || was.mute != is.mute;
  }

  // New nodes, which wait for their provenance, by row and order; a row without any is empty.
  std::vector<std::vector<std::shared_ptr<OrnamentNode>>> fresh(n);
  const auto freshAt = [&](std::size_t r, std::size_t order) { return fresh[r].empty() ? nullptr : fresh[r][order]; };
  const FormerPlaces formerPlaces(sameRows ? &former->song_.ornaments : nullptr, song.ornaments);
  const bool sameIds = formerPlaces.sameIds();

  // Replaced at their places: of the same kind on the same row, sounding before and now.
  bool inPlace = former && sameIds && !former->anyRefused_;
  for (std::size_t i = formerPlaces.head(); inPlace && i < formerPlaces.end(); ++i) {
    const Ornament &was = *former->song_.ornaments[i], &is = *song.ornaments[i];
    inPlace = former->nodeAt_[i] && is.enabled && was.on == is.on && was.kind == is.kind;
  }
  if (inPlace) {
    for (std::size_t r = 0; r < n; ++r) {
      rows_[r].ornaments = former->rows_[r].ornaments;
      rows_[r].hearsItself = former->rows_[r].hearsItself;
    }
    nodeAt_ = former->nodeAt_;
    nodes_ = former->nodes_;
    anyRefusal_ = former->anyRefusal_;
    for (std::size_t i = formerPlaces.head(); i < formerPlaces.end(); ++i) {
      const auto& o = song.ornaments[i];
      const std::shared_ptr<const OrnamentNode> old = nodeAt_[i];
      if (old->ornament.get() == o.get()) continue;
      const std::size_t r = old->row, order = old->order;
      auto node = makeNode(o, *old->kind, r, order);
      changes[r].push_back({static_cast<Order>(order), old->reach()});
      changes[r].push_back({static_cast<Order>(order), node->reach()});
      if (fresh[r].empty()) fresh[r].resize(rows_[r].ornaments.size());
      fresh[r][order] = node;
      rows_[r].ornaments.set(order, node);
      rows_[r].hearsItself = rows_[r].hearsItself && node->hearsOwnRowOnly;
      anyRefusal_ = anyRefusal_ || !node->plan.refusal.empty();
      replaceNode(i, std::move(node));
    }
  } else {
    // The nodes as they were where the ornament is the same value, else new ones.
    std::vector<std::vector<std::shared_ptr<const OrnamentNode>>> onRow(n);
    std::vector<std::shared_ptr<const OrnamentNode>> at, all;
    at.reserve(song.ornaments.size());
    all.reserve(song.ornaments.size());
    for (std::size_t i = 0; i < song.ornaments.size(); ++i) {
      const auto& o = song.ornaments[i];
      const std::optional<std::size_t> was = formerPlaces.of(i);
      std::shared_ptr<const OrnamentNode> old;
      if (former && was) old = former->nodeAt_[*was];
      const Kind* kind = old   ? old->kind
                         : was ? nullptr
                               : kinds.find(o->kind); // the same value that had no node has none
      if (!kind || (!old && !o->enabled)) {
        at.push_back(nullptr);
        continue;
      }
      const std::size_t r = old ? old->row : rowById_.at(o->on), order = onRow[r].size();
      std::shared_ptr<OrnamentNode> node;
      if (old && !old->refused && old->order != order) {
        node = std::make_shared<OrnamentNode>(*old);
        node->order = order;
      } else if (!old || old->refused) {
        node = makeNode(o, *kind, r, order);
      }
      fresh[r].push_back(node);
      onRow[r].push_back(node ? node : old);
      at.push_back(onRow[r].back());
      all.push_back(onRow[r].back());
    }
    for (std::size_t r = 0; r < n; ++r) {
      rows_[r].ornaments = Chunked(onRow[r]);
      rows_[r].hearsItself =
          std::all_of(onRow[r].begin(), onRow[r].end(), [](const auto& node) { return node->hearsOwnRowOnly; });
    }
    nodeAt_ = Chunked(at);
    nodes_ = all.size() == at.size() ? nodeAt_ : Chunked(all);
    anyRefusal_ = std::any_of(all.begin(), all.end(), [](const auto& node) { return !node->plan.refusal.empty(); });
    for (std::size_t r = 0; sameRows && r < n; ++r) {
      // Ornaments that went, came or changed places: all between the common begin and the common end.
      using Nodes = Chunked<std::shared_ptr<const OrnamentNode>>;
      const Nodes &was = former->rows_[r].ornaments, &is = rows_[r].ornaments;
      const auto same = [](const auto& a, const auto& b) { return a == b || a->ornament.get() == b->ornament.get(); };
      const std::size_t head = Nodes::commonHead(was, is, same),
                        tail = Nodes::commonTail(was, is, std::min(was.size(), is.size()) - head, same);
      for (std::size_t i = head; i < was.size() - tail; ++i)
        changes[r].push_back({static_cast<Order>(head) - 1, was[i]->reach()});
      for (std::size_t i = head; i < is.size() - tail; ++i)
        changes[r].push_back({static_cast<Order>(i), is[i]->reach()});
    }
  }
  if (sameIds) {
    placeById_ = former->placeById_;
  } else {
    auto index = std::make_shared<Index>();
    for (std::size_t i = 0; i < song.ornaments.size(); ++i)
      index->emplace(song.ornaments[i]->id, i); // unique in a song
    placeById_ = std::move(index);
  }

  const std::function<bool(std::size_t, Order, FrameRange)> changed = [&](std::size_t r, Order before,
                                                                          FrameRange range) {
    if (sourceChanged[r]) return true;
    for (const Change& c : changes[r])
      if (c.order < before && !intersect(c.frames, range).empty()) return true;
    for (const std::size_t m : rows_[r].members)
      if (mixChanged[m] || changed(m, static_cast<Order>(rows_[m].ornaments.size()), range)) return true;
    return false;
  };
  // Before this order nothing at all of a row's sound is new; kNowhere where none of it is.
  const std::function<Order(std::size_t)> firstTouched = [&](std::size_t r) -> Order {
    if (sourceChanged[r]) return kDry;
    for (const std::size_t m : rows_[r].members)
      if (mixChanged[m] || firstTouched(m) != kNowhere) return kDry;
    Order first = kNowhere;
    for (const Change& c : changes[r]) first = std::min(first, c.order);
    return first;
  };

  // Provenance, in the order in which things are computed. A read that comes back to its own ornament cannot be
  // computed: such an ornament is left out and said.
  std::vector<std::size_t> settled(n, 0);
  std::vector<char> open(n, 0);
  const std::function<bool(std::size_t, std::size_t)> settleRow = [&](std::size_t r, std::size_t before) {
    for (const std::size_t m : rows_[r].members)
      if (!settleRow(m, rows_[m].ornaments.size())) return false;
    // Those that were taken over and hear their own row alone: nothing to ask before the first that is new. (Each new
    // one is a change at its own place.)
    if (inPlace && rows_[r].hearsItself && settled[r] < before)
      settled[r] = std::max(
          settled[r], static_cast<std::size_t>(std::clamp<Order>(firstTouched(r), 0, static_cast<Order>(before))));
    while (settled[r] < before) {
      if (open[r]) return false;
      const std::size_t order = settled[r];
      const std::shared_ptr<const OrnamentNode> kept = rows_[r].ornaments[order];
      const OrnamentNode& now = *kept;
      auto node = freshAt(r, order);
      if (sameRows && !node && now.hearsOwnRowOnly && firstTouched(r) == kNowhere) {
        ++settled[r];
        continue;
      }
      open[r] = 1;
      const auto soFar = [&](std::size_t i) { return now.plan.reads[i].what == Read::What::rowSoFar; };
      bool computable = true, asBefore = sameRows && !now.provenance.empty();
      for (std::size_t i = 0; i < now.plan.reads.size() && computable; ++i) {
        computable = settleRow(now.readRows[i], soFar(i) ? order : 0);
        asBefore = asBefore && computable &&
                   !changed(now.readRows[i], soFar(i) ? static_cast<Order>(order) : kDry, now.plan.reads[i].frames);
      }
      if (!computable || !asBefore) {
        const FrameRange was = now.reach();
        const bool isNew = !node;
        if (isNew) node = std::make_shared<OrnamentNode>(now);
        if (computable) {
          node->provenance = ivrin::provenance(*node, rows_);
          node->print = !node->plan.sounds ? nullptr
                                           : cache.take(node->provenance, node->plan.extent,
                                                        static_cast<float>(Decibels(node->ornament->gainDb).gain()),
                                                        node->plan.anyOrder);
        } else {
          node->plan = {};
          node->plan.sounds = false;
          node->readRows.clear();
          node->refused = anyRefused_ = true;
          node->provenance = "refused";
          node->print = nullptr;
          if (problems)
            problems->error(ErrorId::refused, worded("ornaments \"%1\"", node->ornament->id),
                            worded("takes its sound from a row that needs this ornament first; it is left out"));
        }
        if (!isNew || now.provenance != node->provenance)
          changes[r].push_back({static_cast<Order>(order), joined(was, node->reach())});
        if (isNew) {
          rows_[r].ornaments.set(order, node);
          replaceNode(placeById_->at(node->ornament->id), node);
        }
      }
      open[r] = 0;
      ++settled[r];
    }
    return true;
  };
  for (std::size_t r = 0; r < n; ++r) settleRow(r, rows_[r].ornaments.size());
  IVRIN_CHECK(2, holds());
  if (problems && anyRefusal_)
    for (const auto& node : nodes_)
      if (!node->plan.refusal.empty())
        problems->error(ErrorId::refused, worded("ornaments \"%1\"", node->ornament->id), node->plan.refusal);
}

} // namespace ivrin

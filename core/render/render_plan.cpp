#include "render/render_plan.h"

#include "ornaments/finished.h"
#include "render/provenance.h"
#include "time/check.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>
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

/// Where the ornaments of a list stood in the list of before. Most edits leave all but a few at their places, so that
/// only what lies between the common begin and the common end is looked for.
class FormerPlaces {
 public:
  using List = std::vector<Shared<Ornament>>;
  /// `was` may be none.
  FormerPlaces(const List* was, const List& is)
      : is_(is) {
    if (!was) return;
    known_ = true;
    const std::size_t most = std::min(was->size(), is.size());
    while (head_ < most && (*was)[head_].get() == is[head_].get()) ++head_;
    while (tail_ < most - head_ && (*was)[was->size() - 1 - tail_].get() == is[is.size() - 1 - tail_].get()) ++tail_;
    wasSize_ = was->size();
    for (std::size_t i = head_; i < wasSize_ - tail_; ++i) between_.emplace((*was)[i].get(), i);
  }
  std::optional<std::size_t> of(std::size_t i) const {
    if (!known_) return std::nullopt;
    if (i < head_) return i;
    if (i >= is_.size() - tail_) return i + wasSize_ - is_.size();
    const auto it = between_.find(is_[i].get());
    return it == between_.end() ? std::nullopt : std::optional(it->second);
  }
  /// Whether both lists have the same ids in the same order.
  bool sameIds(const List& was, const List& is) const {
    if (!known_ || was.size() != is.size()) return false;
    for (std::size_t i = head_; i < is.size() - tail_; ++i)
      if (was[i]->id != is[i]->id) return false;
    return true;
  }

 private:
  const List& is_;
  bool known_ = false;
  std::size_t head_ = 0, tail_ = 0, wasSize_ = 0;
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
  if (const auto it = index_.find(provenance); it != index_.end()) {
    recent_.splice(recent_.begin(), recent_, it->second);
    return it->second->print;
  }
  ++misses_;
  recent_.push_front({provenance, std::make_shared<Print>(extent, gain, anyOrder)});
  index_[provenance] = recent_.begin();
  auto print = recent_.front().print;
  if (recent_.size() % 16 == 0) { // counting is linear: not at every miss
    std::int64_t bytes = 0;
    for (auto it = recent_.begin(); it != recent_.end();) {
      bytes += it->print->bytes();
      if (bytes > budget_ && it->print.use_count() == 1) {
        index_.erase(it->key);
        it = recent_.erase(it);
      } else {
        ++it;
      }
    }
  }
  return print;
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

std::shared_ptr<const RenderPlan> RenderPlan::make(const Song& song, const SongAudio& audio, const KindSet& kinds,
                                                   PrintCache& cache, const RenderPlan* former, Problems* problems) {
  std::shared_ptr<RenderPlan> plan(new RenderPlan);
  plan->song_ = song;
  SongContext context = contextOf(song, audio.impulses());
  plan->context_ = former && *former->context_ == context ? former->context_
                                                          : std::make_shared<const SongContext>(std::move(context));
  plan->mixGain_ = static_cast<float>(Decibels(song.mix.gainDb).gain());

  const auto addRow = [&](const std::string& id, RowNode::Type type, const RowMix& mix) -> RowNode& {
    RowNode r;
    r.id = id;
    r.type = type;
    const double gain = Decibels(mix.gainDb).gain(), quarter = std::numbers::pi / 2;
    r.gainLeft = static_cast<float>(mix.pan > 0 ? gain * std::cos(mix.pan * quarter) : gain);
    r.gainRight = static_cast<float>(mix.pan < 0 ? gain * std::cos(-mix.pan * quarter) : gain);
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

/// Gives every ornament its node. A node of the former plan is taken over as it is when nothing that its reads meet has
/// changed, so that the price of an edit does not grow with the song.
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
  std::vector<std::vector<Change>> changes(n);
  std::vector<char> sourceChanged(n, 0), mixChanged(n, 0);
  const auto joined = [](FrameRange a, FrameRange b) {
    if (a.empty()) return b;
    if (b.empty()) return a;
    return FrameRange{std::min(a.begin, b.begin), std::max(a.end, b.end)};
  };

  // The nodes as they were where the ornament is the same value, else new ones that wait for their provenance.
  std::vector<std::vector<std::shared_ptr<OrnamentNode>>> fresh(n);
  constexpr std::size_t kNone = SIZE_MAX;
  std::vector<std::pair<std::size_t, std::size_t>> places; // row and order, by place in the song's list
  places.reserve(song.ornaments.size());
  const FormerPlaces formerPlaces(sameRows ? &former->song_.ornaments : nullptr, song.ornaments);
  for (std::size_t i = 0; i < song.ornaments.size(); ++i) {
    const auto& o = song.ornaments[i];
    const std::optional<std::size_t> was = formerPlaces.of(i);
    std::shared_ptr<const OrnamentNode> old;
    if (former && was) old = former->nodeAt_[*was];
    const Kind* kind = old   ? old->kind
                       : was ? nullptr
                             : kinds.find(o->kind); // the same value that had no node has none
    if (!kind || (!old && !o->enabled)) {
      places.emplace_back(kNone, kNone);
      continue;
    }
    const std::size_t r = old ? old->row : rowById_.at(o->on);
    RowNode& row = rows_[r];
    std::shared_ptr<OrnamentNode> node;
    if (!old || old->order != row.ornaments.size() || old->refused) {
      node = std::make_shared<OrnamentNode>();
      if (old && !old->refused) {
        *node = *old;
      } else {
        node->ornament = o;
        node->kind = kind;
        node->row = r;
        node->plan = finishedPlan(*kind, {*o, *context_});
        for (const Read& read : node->plan.reads) {
          const auto known = rowById_.find(read.row); // a song not yet saved may name a row that is gone
          if (known == rowById_.end()) node->plan.refusal = "listens to a row that is not there";
          node->readRows.push_back(known == rowById_.end() ? r : known->second);
        }
        if (!node->plan.refusal.empty()) {
          node->plan.sounds = false;
          node->plan.reads.clear();
          node->readRows.clear();
        }
        node->hearsOwnRowOnly =
            std::all_of(node->readRows.begin(), node->readRows.end(), [r](std::size_t read) { return read == r; });
        node->ownDigest = ivrin::ownDigest(*node, *context_);
      }
      node->order = row.ornaments.size();
    }
    places.emplace_back(r, row.ornaments.size());
    row.ornaments.push_back(node ? node : old);
    fresh[r].push_back(node);
  }
  for (std::size_t r = 0; sameRows && r < n; ++r) {
    const RowNode &was = former->rows_[r], &is = rows_[r];
    sourceChanged[r] = was.audio != is.audio || was.offset != is.offset;
    mixChanged[r] = was.gainLeft != is.gainLeft || was.gainRight != is.gainRight || was.mute != is.mute;
    // Ornaments that went, came or changed places: all between the common begin and the common end.
    const auto same = [](const auto& a, const auto& b) { return a == b || a->ornament.get() == b->ornament.get(); };
    std::size_t head = 0, tail = 0;
    while (head < was.ornaments.size() && head < is.ornaments.size() && same(was.ornaments[head], is.ornaments[head]))
      ++head;
    while (tail < was.ornaments.size() - head && tail < is.ornaments.size() - head &&
           same(was.ornaments[was.ornaments.size() - 1 - tail], is.ornaments[is.ornaments.size() - 1 - tail]))
      ++tail;
    for (std::size_t i = head; i < was.ornaments.size() - tail; ++i)
      changes[r].push_back({static_cast<Order>(head) - 1, was.ornaments[i]->reach()});
    for (std::size_t i = head; i < is.ornaments.size() - tail; ++i)
      changes[r].push_back({static_cast<Order>(i), is.ornaments[i]->reach()});
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

  // Whether anything at all about a row's sound may be new.
  const std::function<bool(std::size_t)> touched = [&](std::size_t r) {
    if (sourceChanged[r] || !changes[r].empty()) return true;
    for (const std::size_t m : rows_[r].members)
      if (mixChanged[m] || touched(m)) return true;
    return false;
  };

  // Provenance, in the order in which things are computed. A read that comes back to its own ornament cannot be
  // computed: such an ornament is left out and said.
  std::vector<std::size_t> settled(n, 0);
  std::vector<char> open(n, 0);
  const std::function<bool(std::size_t, std::size_t)> settleRow = [&](std::size_t r, std::size_t before) {
    for (const std::size_t m : rows_[r].members)
      if (!settleRow(m, rows_[m].ornaments.size())) return false;
    while (settled[r] < before) {
      if (open[r]) return false;
      const std::size_t order = settled[r];
      const OrnamentNode& now = *rows_[r].ornaments[order];
      // One that was taken over and hears its own row alone: nothing to ask where nothing there is new.
      if (sameRows && !fresh[r][order] && now.hearsOwnRowOnly && !touched(r)) {
        ++settled[r];
        continue;
      }
      open[r] = 1;
      auto node = fresh[r][order];
      const auto soFar = [&](std::size_t i) { return now.plan.reads[i].what == Read::What::rowSoFar; };
      bool computable = true, asBefore = sameRows && !now.provenance.empty();
      for (std::size_t i = 0; i < now.plan.reads.size() && computable; ++i) {
        computable = settleRow(now.readRows[i], soFar(i) ? order : 0);
        asBefore = asBefore && computable &&
                   !changed(now.readRows[i], soFar(i) ? static_cast<Order>(order) : kDry, now.plan.reads[i].frames);
      }
      if (!computable || !asBefore) {
        if (!node) node = std::make_shared<OrnamentNode>(now);
        const FrameRange was = now.reach();
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
          node->refused = true;
          node->provenance = "refused";
          node->print = nullptr;
          if (problems)
            problems->error(ErrorId::refused, "ornaments \"" + node->ornament->id + "\"",
                            "takes its sound from a row that needs this ornament first; it is left out");
        }
        if (now.provenance != node->provenance || node.get() == &now)
          changes[r].push_back({static_cast<Order>(order), joined(was, node->reach())});
        rows_[r].ornaments[order] = node;
      }
      open[r] = 0;
      ++settled[r];
    }
    return true;
  };
  for (std::size_t r = 0; r < n; ++r) settleRow(r, rows_[r].ornaments.size());
  nodeAt_.reserve(places.size());
  nodes_.reserve(places.size());
  for (const auto& [r, order] : places) {
    nodeAt_.push_back(r == kNone ? nullptr : rows_[r].ornaments[order]);
    if (r == kNone) continue;
    nodes_.push_back(nodeAt_.back());
    IVRIN_CHECK(2, nodes_.back()->row == r && nodes_.back()->order == order);
    IVRIN_CHECK(3, nodes_.back()->refused || !nodes_.back()->provenance.empty());
    IVRIN_CHECK(4, nodes_.back()->plan.reads.size() <= kMostReads && nodes_.back()->plan.dry.size() <= kMostSegments);
    if (problems && !nodes_.back()->plan.refusal.empty())
      problems->error(ErrorId::refused, "ornaments \"" + nodes_.back()->ornament->id + "\"",
                      nodes_.back()->plan.refusal);
  }
  if (former && formerPlaces.sameIds(former->song_.ornaments, song.ornaments)) {
    placeById_ = former->placeById_;
  } else {
    auto index = std::make_shared<Index>();
    for (std::size_t i = 0; i < song.ornaments.size(); ++i)
      index->emplace(song.ornaments[i]->id, i); // unique in a song
    placeById_ = std::move(index);
  }
}

} // namespace ivrin

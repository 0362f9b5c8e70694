#include "render/render_plan.h"

#include "render/provenance.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>

namespace ivrin {

FrameRange OrnamentNode::extent() const {
  FrameRange r = print ? print->extent() : FrameRange{plan.extent.begin, plan.extent.begin};
  for (const GainSegments* g : {&plan.dry, &plan.wet})
    if (!g->isOne())
      r = r.empty() ? g->span() : FrameRange{std::min(r.begin, g->span().begin), std::max(r.end, g->span().end)};
  return r;
}

std::shared_ptr<Print> PrintCache::take(const std::string& provenance, FrameRange extent, float gain) {
  std::lock_guard lock(mutex_);
  if (const auto it = index_.find(provenance); it != index_.end()) {
    recent_.splice(recent_.begin(), recent_, it->second);
    return it->second->print;
  }
  ++misses_;
  recent_.push_front({provenance, std::make_shared<Print>(extent, gain)});
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
  for (std::size_t i = 0; i < rows_.size(); ++i)
    if (rows_[i].id == id) return i;
  return std::nullopt;
}

std::shared_ptr<const OrnamentNode> RenderPlan::node(const std::string& ornamentId) const {
  for (const auto& n : nodes_)
    if (n->ornament->id == ornamentId) return n;
  return nullptr;
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
  const TempoMap map = song.tempoMap();
  plan->map_ = former && *former->map_ == map ? former->map_ : std::make_shared<const TempoMap>(map);
  const bool sameTime = former && former->map_ == plan->map_;
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
  std::unordered_map<std::string, std::size_t> index;
  for (const Stem& s : song.stems) {
    RowNode& r = addRow(s.id, RowNode::Type::stem, s.mix);
    r.audio = audio.of(s.id);
    r.offset = std::llround(s.offsetSeconds * song.sampleRate);
  }
  for (const Bus& b : song.buses) addRow(b.id, RowNode::Type::bus, b.mix);
  addRow(kMixRow, RowNode::Type::mix, {});
  for (std::size_t i = 0; i < plan->rows_.size(); ++i) index[plan->rows_[i].id] = i;
  for (std::size_t i = 0; i < song.stems.size(); ++i)
    plan->rows_[song.stems[i].bus ? index[*song.stems[i].bus] : plan->mixRow()].members.push_back(i);
  for (std::size_t i = 0; i < song.buses.size(); ++i)
    plan->rows_[plan->mixRow()].members.push_back(song.stems.size() + i);

  // First what does not depend on other prints, from the former plan where the ornament is the same value.
  std::vector<std::shared_ptr<OrnamentNode>> made;
  for (const auto& o : song.ornaments) {
    const Kind* kind = kinds.find(o->kind);
    if (!o->enabled || !kind) continue;
    auto node = std::make_shared<OrnamentNode>();
    const auto old = sameTime ? former->byOrnament_.find(o.get()) : decltype(former->byOrnament_.end()){};
    if (sameTime && old != former->byOrnament_.end()) {
      node->plan = old->second->plan;
      node->ownDigest = old->second->ownDigest;
    } else {
      node->plan = kind->plan({*o, *plan->map_});
    }
    node->ornament = o;
    node->kind = kind;
    node->row = index[o->on];
    for (const Read& r : node->plan.reads) node->readRows.push_back(index[r.row]);
    if (node->ownDigest.empty()) node->ownDigest = ownDigest(*node, *plan->map_);
    RowNode& row = plan->rows_[node->row];
    node->order = row.ornaments.size();
    row.ornaments.push_back(node);
    made.push_back(node);
  }

  // Then provenance, in the order in which things are computed. A read that comes back to its own ornament cannot be
  // computed: such an ornament is left out and said.
  enum class State { untouched, open, done };
  std::unordered_map<const OrnamentNode*, std::pair<OrnamentNode*, State>> state;
  for (const auto& n : made) state[n.get()] = {n.get(), State::untouched};
  std::vector<std::shared_ptr<const OrnamentNode>> refused;
  std::function<bool(OrnamentNode&)> settle;
  const std::function<bool(std::size_t, std::size_t)> settleRow = [&](std::size_t row, std::size_t before) {
    bool ok = true;
    for (const std::size_t m : plan->rows_[row].members) ok = settleRow(m, plan->rows_[m].ornaments.size()) && ok;
    for (std::size_t i = 0; i < before; ++i) ok = settle(*state[plan->rows_[row].ornaments[i].get()].first) && ok;
    return ok;
  };
  settle = [&](OrnamentNode& node) {
    State& s = state[&node].second;
    if (s != State::untouched) return s == State::done;
    s = State::open;
    bool ok = true;
    for (std::size_t i = 0; i < node.plan.reads.size(); ++i)
      ok = settleRow(node.readRows[i], node.plan.reads[i].what == Read::What::rowSoFar ? node.order : 0) && ok;
    if (ok) {
      node.provenance = provenance(node, plan->rows_);
      if (node.plan.sounds)
        node.print =
            cache.take(node.provenance, node.plan.extent, static_cast<float>(Decibels(node.ornament->gainDb).gain()));
    } else {
      node.plan = {};
      node.readRows.clear();
      node.plan.sounds = false;
      node.provenance = "refused";
      if (problems)
        problems->error(ErrorId::refused, "ornaments \"" + node.ornament->id + "\"",
                        "takes its sound from a row that needs this ornament first; it is left out");
    }
    s = State::done;
    return true;
  };
  // Plans are flat in practice; members first keeps the recursion shallow.
  for (const auto& n : made) settle(*n);
  for (const auto& n : made) {
    plan->nodes_.push_back(n);
    plan->byOrnament_[n->ornament.get()] = n;
  }
  return plan;
}

} // namespace ivrin

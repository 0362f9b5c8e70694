#include "render/provenance.h"

#include <xxhash.h>

#include <algorithm>
#include <bit>

namespace ivrin {
namespace {

class Digest {
 public:
  void add(const std::string& s) {
    add(static_cast<std::int64_t>(s.size()));
    bytes_ += s;
  }
  void add(std::int64_t n) {
    for (int i = 0; i < 8; ++i) bytes_ += static_cast<char>((static_cast<std::uint64_t>(n) >> (8 * i)) & 255);
  }
  void add(double d) { add(std::bit_cast<std::int64_t>(d)); }
  void add(FrameRange r) {
    add(r.begin.count);
    add(r.end.count);
  }
  std::string text() const {
    const XXH128_hash_t h = XXH3_128bits(bytes_.data(), bytes_.size());
    Digest d;
    d.add(static_cast<std::int64_t>(h.high64));
    d.add(static_cast<std::int64_t>(h.low64));
    return d.bytes_;
  }

 private:
  std::string bytes_;
};

void addSettings(Digest& d, const Settings& s, const Impulses* impulses, double rate) {
  for (const auto& [key, value] : s) {
    d.add(key);
    d.add(compactJson(value));
    if (!namesFile(key) || !value.text()) continue;
    if (impulses && impulses->has(*value.text())) { // those that ship are known by their name
      const auto impulse = impulses->find(*value.text(), rate);
      d.add(impulse ? impulse->digest : std::string());
    }
  }
}

/// What row `index` sounds like within `range`, up to ornament `before` (its order) of that row.
void addRow(Digest& d, const std::vector<RowNode>& rows, std::size_t index, std::size_t before, FrameRange range) {
  const RowNode& row = rows[index];
  d.add(row.id);
  if (row.audio) {
    d.add(row.audio->digest());
    d.add(row.offset);
  }
  for (const std::size_t m : row.members) {
    d.add(static_cast<std::int64_t>(rows[m].mute));
    if (rows[m].mute) continue;
    d.add(static_cast<double>(rows[m].gainLeft));
    d.add(static_cast<double>(rows[m].gainRight));
    addRow(d, rows, m, rows[m].ornaments.size(), range);
  }
  for (std::size_t i = 0; i < before; ++i)
    if (!intersect(row.ornaments[i]->reach(), range).empty()) d.add(row.ornaments[i]->provenance);
}

} // namespace

std::string ownDigest(const OrnamentNode& node, const SongContext& context) {
  const TempoMap& map = context.map;
  const Impulses* impulses = context.impulses.get();
  const Ornament& o = *node.ornament;
  Digest d;
  d.add(std::int64_t{kEngineVersion});
  d.add(map.sampleRate());
  d.add(o.kind);
  d.add(o.on);
  d.add(o.gainDb);
  d.add(o.seed);
  addSettings(d, o.settings, impulses, map.sampleRate());
  for (const Processor& p : o.finish) {
    d.add(p.type);
    addSettings(d, p.settings, impulses, map.sampleRate());
  }
  d.add(map.frames(o.span()));
  d.add(o.start.ticks - map.barStart(map.barAt(o.start).bar).ticks);
  d.add(map.bpmAt(o.start));
  d.add(std::int64_t{context.hzLaw == CurveLaw::log});
  d.add(context.key ? std::int64_t{context.key->note * 2 + context.key->minor} : -1);
  const MeterEntry& meter = map.meterAt(o.start);
  d.add(std::int64_t{meter.count});
  d.add(std::int64_t{meter.unit});
  d.add(node.plan.extent);
  // Its reach in time: where it sounds, where it stands and what it reads.
  FrameRange reach = map.frames(o.span());
  const auto widen = [&reach](FrameRange r) {
    if (!r.empty()) reach = {std::min(reach.begin, r.begin), std::max(reach.end, r.end)};
  };
  widen(node.plan.extent);
  for (const Read& r : node.plan.reads) widen(r.frames);
  for (const TempoEntry& t : map.tempo()) {
    const Frames f = map.frameAt(t.at);
    if (!reach.contains(f)) continue;
    d.add(f.count);
    d.add((t.at - o.start).ticks);
    d.add(t.bpm);
  }
  for (const MeterEntry& m : map.meter()) {
    if (!reach.contains(map.frameAt(m.at))) continue;
    d.add((m.at - o.start).ticks);
    d.add(std::int64_t{m.count});
    d.add(std::int64_t{m.unit});
  }
  for (const Read& r : node.plan.reads) {
    d.add(r.row);
    d.add(static_cast<std::int64_t>(r.what));
    d.add(r.frames);
  }
  for (const SourcePiece& s : o.source) d.add(s.sendDb);
  return d.text();
}

std::string provenance(const OrnamentNode& node, const std::vector<RowNode>& rows) {
  Digest d;
  d.add(node.ownDigest);
  for (std::size_t i = 0; i < node.plan.reads.size(); ++i) {
    const Read& r = node.plan.reads[i];
    addRow(d, rows, node.readRows[i], r.what == Read::What::rowSoFar ? node.order : 0, r.frames);
  }
  return d.text();
}

namespace {

std::string soundOf(const RenderPlan& plan, std::size_t row, std::size_t ornaments, FrameRange range) {
  Digest d;
  d.add(plan.map().sampleRate());
  d.add(range);
  addRow(d, plan.rows(), row, ornaments, range);
  return d.text();
}

} // namespace

std::string soundBefore(const RenderPlan& plan, std::size_t row, FrameRange range) {
  return soundOf(plan, row, 0, range);
}

std::string soundAfter(const RenderPlan& plan, std::size_t row, FrameRange range) {
  return soundOf(plan, row, plan.rows()[row].ornaments.size(), range);
}

} // namespace ivrin

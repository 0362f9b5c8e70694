#include "manners/room.h"

#include "manners/manners.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace ivrin {
namespace {

constexpr double kCoveredDb = -6;                      // under that a row needs no room
constexpr double kWantedOverDb = 6;                    // how far the lead-in stands over a row that has dipped
constexpr double kLeastDipDb = 4, kMostDipDb = 12;     // what is less is not heard, what is more is a gap
constexpr double kOfStrongestDb = 10;                  // octaves in which a print is strong
constexpr double kLeastCutHz = 400, kMostCutHz = 3200; // a row keeps something
constexpr double kDarkHz = 300;                        // what is strong in no octave above is a dark one
constexpr double kOpenHighHz = 16000, kOpenLowHz = 20;
constexpr double kBend = 0.2; // late rather than early

Value fromTo(double from, double beats, double to) {
  return Value(List{Value(List{0.0, from}), Value(List{beats, to, kBend})});
}

Ornament treatOn(const std::string& row, BeatRange stretch, const std::optional<std::string>& landing,
                 const Processor& how) {
  for (const Manners* m : allManners())
    if (auto o = m->treating(row, stretch, how)) {
      o->landing = landing;
      return std::move(*o);
    }
  throw std::logic_error("no kind treats a row");
}

/// The octaves in which the lead-in is strong go: highs from the lowest of them up, or lows where it is a dark one.
Processor bandLeft(const Collision& c, double beats) {
  const float strongest = *std::max_element(c.printDb.begin(), c.printDb.end());
  int lowest = RowOctaves::kBands, highest = 0;
  for (int b = 0; b < RowOctaves::kBands; ++b)
    if (c.printDb[static_cast<std::size_t>(b)] > strongest - kOfStrongestDb) {
      lowest = std::min(lowest, b);
      highest = b;
    }
  Processor f{"filter", {{"low_cut_hz", Value()}, {"high_cut_hz", Value()}, {"slope_db", 12.0}}};
  if (RowOctaves::beginsAtHz(highest) < kDarkHz)
    f.settings["low_cut_hz"] = fromTo(kOpenLowHz, beats, RowOctaves::beginsAtHz(highest + 1));
  else
    f.settings["high_cut_hz"] =
        fromTo(kOpenHighHz, beats, std::clamp(RowOctaves::beginsAtHz(lowest), kLeastCutHz, kMostCutHz));
  return f;
}

} // namespace

std::vector<Ornament> roomFor(const Kind& kind, const Placed& p, Frames begin, const std::vector<Collision>& over,
                              const std::vector<std::string>& rows, RoomWay way) {
  const auto lands = kind.leadsIn(p.ornament) ? kind.landingFrame(p) : std::nullopt;
  if (!lands) return {};
  // On the very beat where that is its frame.
  Beats end = p.map.beatAt(*lands);
  for (const Beats beat : {p.ornament.start, p.ornament.span().end})
    if (p.map.frameAt(beat) == *lands) end = beat;
  const BeatRange stretch{std::max(p.map.beatAt(begin), Beats(0)), end};
  const double beats = stretch.length().quarters();
  if (beats <= 0) return {};
  std::vector<Ornament> made;
  for (const Collision& c : over) {
    const bool chosen = std::find(rows.begin(), rows.end(), c.row) != rows.end();
    if (rows.empty() ? c.db < kCoveredDb : !chosen) continue;
    const double dip = std::clamp(std::round(kWantedOverDb - c.db), kLeastDipDb, kMostDipDb);
    made.push_back(
        treatOn(c.row, stretch, p.ornament.landing,
                way == RoomWay::dip ? Processor{"gain", {{"db", fromTo(0, beats, -dip)}}} : bandLeft(c, beats)));
  }
  return made;
}

Ornament narrowing(const std::string& row, BeatRange stretch, const std::optional<std::string>& landing) {
  return treatOn(row, stretch, landing, {"width", {{"percent", fromTo(100, stretch.length().quarters(), 15)}}});
}

std::vector<std::string> standingAs(const Song& song, const std::vector<Ornament>& made) {
  std::vector<std::string> ids;
  for (Ornament wanted : made) {
    const auto it = std::find_if(song.ornaments.begin(), song.ornaments.end(), [&](const auto& o) {
      wanted.id = o->id;
      wanted.seed = o->seed;
      return *o == wanted;
    });
    if (it == song.ornaments.end()) return {};
    ids.push_back((*it)->id);
  }
  return ids;
}

} // namespace ivrin

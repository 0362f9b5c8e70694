#include "analysis/collisions.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kWindowSeconds = 0.02, kUnderPhraseDb = 24, kAudibleDb = -60;
constexpr double kOfStrongestDb = 20; // an octave holds a row that is within so much of its strongest
constexpr std::int64_t kLeastSteps = 10;
constexpr double kOwnSeconds = 0.33; // of a phrase beyond the source that is the source's own
constexpr std::int64_t kSideFrames = 1024, kMostLooks = 400, kMostBarsEarlier = 4;

double powerOf(const StereoBuffer& b) {
  double p = 0;
  for (std::int64_t i = 0; i < b.frames(); ++i) {
    const double l = b.left()[i], r = b.right()[i];
    p += 0.5 * (l * l + r * r);
  }
  return p / static_cast<double>(std::max<std::int64_t>(b.frames(), 1));
}

} // namespace

std::vector<Collision> findCollisions(const RowReader& print, FrameRange extent, FrameRange source,
                                      const RowReader& dry, const std::vector<FrameRange>& phrases, double sampleRate) {
  std::vector<Collision> found;
  const auto window = std::max<std::int64_t>(16, std::llround(kWindowSeconds * sampleRate));
  StereoBuffer wet(window), row(window);
  struct Met {
    FrameRange frames;
    bool goesOn;
  };
  std::vector<Met> all;
  const Frames own(std::llround(kOwnSeconds * sampleRate));
  for (const FrameRange& phrase : phrases) {
    if (intersect(phrase, source).empty()) {
      all.push_back({phrase, false});
      continue;
    }
    if (phrase.begin < source.begin - own) all.push_back({{phrase.begin, source.begin}, true});
    if (phrase.end > source.end + own) all.push_back({{source.end, phrase.end}, true});
  }
  for (const auto& [phrase, goesOn] : all) {
    const FrameRange meet = intersect(phrase, extent);
    if (meet.empty()) continue;
    // The phrase's own level: its mean power, so that a soft first syllable does not hide a collision.
    double phrasePower = 0, windows = 0;
    for (Frames f = phrase.begin; f + Frames(window) <= phrase.end; f = f + Frames(4 * window)) {
      dry(f, row.span());
      phrasePower += powerOf(row);
      windows += 1;
    }
    phrasePower /= std::max(windows, 1.0);
    double wetSum = 0, drySum = 0;
    FrameRange hit{meet.end, meet.begin};
    for (Frames f = meet.begin; f < meet.end; f = f + Frames(window)) {
      print(f, wet.span());
      const double p = powerOf(wet);
      if (10 * std::log10(p + 1e-20) < kAudibleDb || p < phrasePower * std::pow(10.0, -kUnderPhraseDb / 10)) continue;
      dry(f, row.span());
      wetSum += p;
      drySum += powerOf(row);
      hit.begin = std::min(hit.begin, f);
      hit.end = std::max(hit.end, std::min(f + Frames(window), meet.end));
    }
    if (!hit.empty())
      found.push_back({.frames = hit,
                       .db = std::clamp(10 * std::log10((wetSum + 1e-12) / (drySum + 1e-12)), -120.0, 120.0),
                       .goesOn = goesOn});
  }
  return found;
}

std::optional<Collision> findOverRow(const RowOctaves& print, double printPathDb, const std::string& name,
                                     const RowOctaves& row, double rowPathDb) {
  // Powers of what a step holds, as they are packed.
  static const std::array<double, 256> kPower = [] {
    std::array<double, 256> p{};
    for (std::size_t i = 0; i < p.size(); ++i) p[i] = std::pow(10.0, RowOctaves::db(static_cast<std::uint8_t>(i)) / 10);
    return p;
  }();
  const double printGain = std::pow(10.0, printPathDb / 10), rowGain = std::pow(10.0, rowPathDb / 10),
               audible = std::pow(10.0, kAudibleDb / 10), under = std::pow(10.0, -kUnderPhraseDb / 10),
               strong = std::pow(10.0, -kOfStrongestDb / 10);
  double ours = 0, theirs = 0;
  std::array<double, RowOctaves::kBands> ofPrint{}, meeting{},
      ofRow{}; // powers: all of the print, where the row is, the row
  std::int64_t met = 0;
  Collision over{.row = name};
  for (std::size_t i = 0; i < print.steps.size(); ++i) {
    const Frames f = print.begin + Frames(static_cast<std::int64_t>(i) * print.hopFrames);
    const RowOctaves::Step* there = row.at(f);
    if (!there) continue;
    const std::uint8_t strongest = *std::max_element(there->begin(), there->end());
    const double least = kPower[strongest] * strong;
    double p = 0, r = 0;
    for (std::size_t b = 0; b < there->size(); ++b) {
      if (kPower[(*there)[b]] < least) continue;
      p += kPower[print.steps[i][b]];
      r += kPower[(*there)[b]];
    }
    p *= printGain;
    r *= rowGain;
    if (p < audible || r < audible || p < r * under) continue;
    ours += p;
    theirs += r;
    for (std::size_t b = 0; b < there->size(); ++b) {
      ofPrint[b] += kPower[print.steps[i][b]] * printGain;
      if (kPower[(*there)[b]] < least) continue;
      meeting[b] += kPower[print.steps[i][b]] * printGain;
      ofRow[b] += kPower[(*there)[b]] * rowGain;
    }
    if (met++ == 0) over.frames.begin = f;
    over.frames.end = f + Frames(print.hopFrames);
  }
  if (met < kLeastSteps) return std::nullopt;
  over.db = 10 * std::log10(ours / theirs);
  for (std::size_t b = 0; b < meeting.size(); ++b) {
    over.printDb[b] = static_cast<float>(10 * std::log10(ofPrint[b] / static_cast<double>(met) + 1e-20));
    if (meeting[b] > 0) over.octavesDb[b] = static_cast<float>(10 * std::log10(meeting[b] / ofRow[b]));
  }
  return over;
}

void takeSides(Collision& over, const RowReader& print, SideGains printPath, const RowReader& row, SideGains rowPath) {
  StereoBuffer ours(kSideFrames), theirs(kSideFrames);
  SideGains p{0, 0}, r{0, 0}; // energies
  const auto add = [](const StereoBuffer& b, SideGains path, SideGains& sum) {
    for (std::int64_t i = 0; i < b.frames(); ++i) {
      const double left = b.left()[i] * path.left, right = b.right()[i] * path.right;
      sum.left += left * left;
      sum.right += right * right;
    }
  };
  // A few hundred looks tell where a sound stands.
  const Frames step(std::max<std::int64_t>(kSideFrames, over.frames.length() / kMostLooks));
  for (Frames f = over.frames.begin; f < over.frames.end; f = f + step) {
    print(f, ours.span());
    row(f, theirs.span());
    add(ours, printPath, p);
    add(theirs, rowPath, r);
  }
  constexpr double kLeast = 1e-12;
  const auto against = [&](double a, double b) { return 10 * std::log10((a + kLeast) / (b + kLeast)); };
  const double both = against(p.left + p.right, r.left + r.right);
  over.leftDb = over.db + against(p.left, r.left) - both;
  over.rightDb = over.db + against(p.right, r.right) - both;
  over.db = std::clamp(std::min(over.leftDb, over.rightDb), -120.0, 120.0);
}

std::optional<BeatRange> earlierWord(const std::vector<Collision>& collisions, BeatRange source,
                                     const std::vector<FrameRange>& phrases, const std::vector<Frames>& attacks,
                                     const TempoMap& map) {
  std::optional<FrameRange> all;
  for (const Collision& c : collisions) {
    if (c.goesOn) continue;
    if (!all) all = c.frames;
    all = FrameRange{std::min(all->begin, c.frames.begin), std::max(all->end, c.frames.end)};
  }
  const FrameRange taken = map.frames(source);
  if (!all || all->begin < taken.end) return std::nullopt; // a lead-in ends on its word, whatever is taken
  const Beats bars = map.meterAt(source.begin).barLength() * kMostBarsEarlier;
  const Frames latest = taken.begin - Frames(all->length()), earliest = map.frameAt(source.begin - bars);
  for (auto a = attacks.rbegin(); a != attacks.rend(); ++a) {
    if (*a > latest) continue;
    if (*a < earliest) break;
    // The word it starts: to the next attack that is not part of it, or the phrase's end.
    const auto phrase = std::find_if(phrases.begin(), phrases.end(), [&](const FrameRange& p) {
      return p.begin <= *a + Frames(std::llround(0.03 * map.sampleRate())) && *a < p.end;
    });
    if (phrase == phrases.end()) continue;
    const Beats begin = map.beatAt(*a);
    BeatRange word{begin, std::min(begin + source.length(), map.beatAt(phrase->end))};
    if (word.begin < Beats(0) || word.length().ticks * 2 < source.length().ticks) continue;
    return word;
  }
  return std::nullopt;
}

} // namespace ivrin

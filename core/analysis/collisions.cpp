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
      found.push_back({hit, std::clamp(10 * std::log10((wetSum + 1e-12) / (drySum + 1e-12)), -120.0, 120.0), goesOn});
  }
  return found;
}

std::optional<OverRow> findOverRow(const RowOctaves& print, double printPathDb, const std::string& name,
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
  std::int64_t met = 0;
  OverRow over{name, {}, 0};
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
    if (met++ == 0) over.frames.begin = f;
    over.frames.end = f + Frames(print.hopFrames);
  }
  if (met < kLeastSteps) return std::nullopt;
  over.db = 10 * std::log10(ours / theirs);
  return over;
}

} // namespace ivrin

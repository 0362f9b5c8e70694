// reverse: its manners.
#include "dsp/measure/loudness.h"
#include "manners/fitting.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kFadeSeconds = 0.02, kFadedDb = -60, kFadeBend = 0.6; // it sets in gently
constexpr double kHardSeconds = 0.004, kHard = 0.35;                   // so soon, so much of its loudest

/// It is loud from its very start.
bool startsHard(const Ornament& o, const PressedAt& at) {
  const TempoMap& map = at.context.map;
  const StereoBuffer there = heardOver(at.around.before(o.on), map.frames(o.span()));
  const std::int64_t first = std::min<std::int64_t>(there.frames(), std::llround(kHardSeconds * map.sampleRate()));
  return samplePeak(there.left(), there.right(), first) >
         kHard * samplePeak(there.left(), there.right(), there.frames());
}

class ReverseManners : public Manners {
 public:
  std::string_view kind() const override { return "reverse"; }
  bool replacesRow() const override { return true; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    Heard heard;
    tieToLanding(at.song, o, o.span().end);
    keepAttack(o, at, heard);
    if (startsHard(o, at)) { // backwards it would stop dead at its loudest: a click where the row comes back
      const double fade = kFadeSeconds * at.context.map.bpmAt(o.start) / 60, end = o.length.quarters();
      if (end > 2 * fade)
        o.finish.push_back(
            {"gain", {{"db", List{Value(List{end - fade, 0.0}), Value(List{end, kFadedDb, kFadeBend})}}}});
    }
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::string nextPress(const std::string& /*key*/) const override {
    return worded("Drag its edges to change what is reversed.");
  }
  std::optional<PressedAgain> again(const Ornament&, const Song&) const override {
    return PressedAgain{{}, {}, worded("This is reversed already.")};
  }

  bool isHeard(const Settings&, std::string_view) const override { return true; }
};

} // namespace

const Manners& reverseManners() {
  static const ReverseManners m;
  return m;
}

} // namespace ivrin

// harmony: further voices beside it, so many steps of the song's scale higher or lower.
#include "dsp/dynamics/balance.h"
#include "dsp/measure/spectrum.h"
#include "dsp/speed/stretch.h"
#include "finish/stages.h"
#include "song/scale.h"

#include <algorithm>
#include <cmath>
#include <thread>

namespace ivrin {
namespace {

constexpr double kLookSeconds = 0.17; // windows in which the note is looked for
constexpr double kLeastSteps = -14, kMostSteps = 14;

class HarmonyStage : public Whole {
 public:
  HarmonyStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : Whole(std::move(in))
      , rate_(at.sampleRate())
      , key_(at.songKey)
      , steps_(s.numbers("steps"))
      , gain_(s.gain("level_db"))
      , spread_(s.share("spread_percent")) {}

 protected:
  void transform(StereoBuffer& all) override {
    if (all.frames() == 0) return;
    const StereoBuffer in = all;
    const auto note =
        strongestNote(meanSpectrum(rate_, {Frames(0), Frames(in.frames())}, kLookSeconds, stretchesOf(in)));
    if (!note) return;
    for (std::size_t k = 0; k < steps_.size(); ++k) {
      const int semitones = semitonesForSteps(static_cast<int>(std::lround(steps_[k])), *note, key_);
      StereoBuffer voice(in.frames());
      Stretch(rate_, 1, std::exp2(semitones / 12.0), [&](std::int64_t from, StereoSpan out) {
        in.read(from, out);
      }).readOn(threads_, 0, voice.span());
      // Right, left, right ...
      const SideGains side = balance(spread_ * (k % 2 == 0 ? 1 : -1));
      const auto left = static_cast<float>(gain_ * side.left), right = static_cast<float>(gain_ * side.right);
      for (std::int64_t i = 0; i < all.frames(); ++i) {
        all.left()[i] += left * voice.left()[i];
        all.right()[i] += right * voice.right()[i];
      }
    }
  }

 private:
  double rate_;
  std::optional<Key> key_;
  std::vector<double> steps_;
  double gain_, spread_;
  const int threads_ = std::clamp(static_cast<int>(std::thread::hardware_concurrency()), 1, 4);
};

} // namespace

const Finisher& harmonyFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"harmony", "Harmony", "", "Adds voices in the key of the song.", {}};
        t.since = 2;
        t.settings.push_back({.key = "steps",
                              .label = "voices",
                              .unit = "steps",
                              .type = type::integer,
                              .min = kLeastSteps,
                              .max = kMostSteps,
                              .initial = Value(List{2.0}),
                              .meaning = "Added voices as steps of the scale from the loudest note: 2 is a third, 4 a "
                                         "fifth, 7 an octave; below 0 lower.",
                              .group = "harmony",
                              .shape = Shape::list,
                              .most = 4,
                              .since = 2});
        t.settings.push_back({.key = "level_db",
                              .label = "level",
                              .unit = "dB",
                              .min = -60,
                              .max = 12,
                              .initial = -6,
                              .meaning = "Level of the added voices.",
                              .group = "harmony",
                              .step = 0.5,
                              .since = 2});
        t.settings.push_back({.key = "spread_percent",
                              .label = "spread",
                              .unit = "%",
                              .max = 100,
                              .initial = 60,
                              .meaning = "How far the added voices are panned left and right, in turn.",
                              .group = "harmony",
                              .since = 2});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) -> std::unique_ptr<Flow> {
        return std::make_unique<HarmonyStage>(std::move(in), at, s);
      },
      SimpleFinisher::Needs::all);
  return f;
}

} // namespace ivrin

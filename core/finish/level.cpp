// limiter and level: the last word about loudness. Both hear the whole before they give anything.
#include "dsp/dynamics/mix_limiter.h"
#include "dsp/measure/loudness.h"
#include "finish/stages.h"

#include <algorithm>

namespace ivrin {
namespace {

class LimiterStage : public Held {
 public:
  LimiterStage(std::unique_ptr<Flow> in, const FinishPlace& at, double ceiling)
      : Held(std::move(in), at.store)
      , limiter_(at.sampleRate(), ceiling, [this](Frames from, StereoSpan out) { all().read(from.count, out); }) {}

 protected:
  void give(std::int64_t at, StereoSpan out) override { limiter_.read(Frames(at), out); }

 private:
  MixLimiter limiter_;
};

class LevelStage : public Held {
 public:
  LevelStage(std::unique_ptr<Flow> in, const FinishPlace& at, std::optional<double> lufs, double offset)
      : Held(std::move(in), at.store)
      , hop_(measuredHop(at.sourceFrames, at.sampleRate()))
      , window_(std::max<std::int64_t>(at.sourceFrames, std::llround(0.05 * at.sampleRate())) / hop_)
      , lufs_(lufs)
      , offset_(offset)
      , wetDb_(at.wetDb)
      , builds_(at.builds)
      , sourceLufs_(at.sourceLufs)
      , power_(at.sampleRate(), hop_) {}
  std::optional<double> levelDb() const override { return applied_; }

 protected:
  void comes(StereoSpan part) override { power_.add(part.left, part.right, part.frames); }
  void allCame() override {
    auto power = power_.take();
    if (builds_) keepFirst(power);
    const double is = loudestWindowLufs(power, window_);
    const double source = lufs_ ? *lufs_ : sourceLufs_ ? sourceLufs_() : -200;
    if (is < -100 || source < -70) { // nothing to match: left as it is
      applied_ = 0;
    } else {
      const double wanted = lufs_ ? *lufs_ : source + offset_;
      applied_ = std::clamp(wanted - is, -40.0, 24.0);
    }
    gain_ = static_cast<float>(Decibels(*applied_ + wetDb_).gain());
  }
  void give(std::int64_t at, StereoSpan out) override {
    all().read(at, out);
    if (gain_ == 1) return;
    for (std::int64_t i = 0; i < out.frames; ++i) {
      out.left[i] *= gain_;
      out.right[i] *= gain_;
    }
  }

 private:
  /// Of what grows, what is heard first: two windows from where it begins to sound. The build keeps its shape over
  /// that.
  void keepFirst(std::vector<float>& power) const {
    const float most = power.empty() ? 0 : *std::max_element(power.begin(), power.end());
    const auto first = std::find_if(power.begin(), power.end(), [&](float p) { return p > 1e-6f * most; });
    const auto frames = std::min<std::ptrdiff_t>(2 * window_, power.end() - first);
    power = std::vector<float>(first, first + frames);
  }

  std::int64_t hop_, window_; // frames; hops
  std::optional<double> lufs_;
  double offset_, wetDb_;
  bool builds_;
  std::function<double()> sourceLufs_;
  WeightedPower power_;
  std::optional<double> applied_;
  float gain_ = 1;
};

} // namespace

const Finisher& limiterFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"limiter", "Limiter", "", "Keeps peaks below a ceiling.", {}};
        t.settings.push_back({.key = "ceiling_dbtp",
                              .label = "ceiling",
                              .unit = "dB",
                              .min = -20,
                              .initial = -1,
                              .meaning = "Highest true peak that leaves the limiter.",
                              .group = "limiter",
                              .step = 0.5});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(std::make_unique<LimiterStage>(std::move(in), at, s.number("ceiling_dbtp")));
      });
  return f;
}

const Finisher& levelFinisher() {
  class LevelFinisher : public SimpleFinisher {
   public:
    using SimpleFinisher::SimpleFinisher;
    bool matches() const override { return true; }
    bool hearsSource(const Settings& set) const override { return !SettingsView(table_, set).maybe("match"); }
  };
  static const LevelFinisher f(
      [] {
        TableSpec t{"level", "Loudness match", "", "Brings the sound to a measured loudness.", {}};
        t.settings.push_back({.key = "match",
                              .label = "match",
                              .unit = "LUFS",
                              .min = -60,
                              .initial = "source",
                              .meaning = "Loudness to match: the source, or a value in LUFS.",
                              .group = "loudness match",
                              .step = 0.5,
                              .choices = {"source"}});
        t.settings.push_back({.key = "offset_lu",
                              .label = "offset",
                              .unit = "LU",
                              .min = -24,
                              .max = 6,
                              .initial = -6,
                              .meaning = "Difference to the loudness of the source.",
                              .group = "loudness match",
                              .step = 0.5});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(
            std::make_unique<LevelStage>(std::move(in), at, s.maybe("match"), s.number("offset_lu")));
      },
      SimpleFinisher::Needs::all);
  return f;
}

} // namespace ivrin

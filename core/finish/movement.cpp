// phaser, chorus, tremolo: what moves by itself. Their phase begins with the ornament.
#include "dsp/filter/windowed_sinc.h"
#include "finish/curves.h"
#include "finish/stages.h"

#include <numbers>

namespace ivrin {
namespace {

/// Radians at an offset of the print: 0 where the ornament starts.
class Turn {
 public:
  Turn(double hz, const FinishPlace& at)
      : perFrame_(2 * std::numbers::pi * hz / at.sampleRate())
      , start_((at.map.frameAt(at.start) - at.first).count) {}
  double at(std::int64_t offset) const { return perFrame_ * static_cast<double>(offset - start_); }

 private:
  double perFrame_;
  std::int64_t start_;
};

/// Six first-order allpasses that move together; notches wander (J. O. Smith, "An allpass approach to digital phasing
/// and flanging", ICMC 1984).
class PhaserStage : public InPlace {
 public:
  PhaserStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in))
      , turn_(s.hertz("rate", at.map, at.start), at)
      , depth_(s.share("depth_percent"))
      , feedback_(0.9 * s.share("feedback_percent"))
      , back_(std::sqrt(1 - feedback_ * feedback_)) // a loop around an allpass: as much power as went in
      , mix_(s.share("mix_percent"))
      , rate_(at.sampleRate()) {}

 protected:
  void process(StereoSpan io, std::int64_t offset) override {
    for (std::int64_t i = 0; i < io.frames; ++i)
      for (int side = 0; side < 2; ++side) {
        if ((offset + i) % 16 == 0 || !set_[side]) {
          set_[side] = true;
          const double swing =
              0.5 + 0.5 * depth_ * std::sin(turn_.at(offset + i) + (side != 0 ? 0.25 * std::numbers::pi : 0));
          const double hz = std::min(200 * std::pow(20.0, swing), 0.45 * rate_),
                       t = std::tan(std::numbers::pi * hz / rate_);
          a_[side] = (t - 1) / (t + 1);
        }
        float& v = (side == 0 ? io.left : io.right)[i];
        double x = v + feedback_ * last_[side];
        for (double& z : z_[side]) {
          const double y = a_[side] * x + z;
          z = x - a_[side] * y;
          x = y;
        }
        last_[side] = x;
        v = static_cast<float>((1 - 0.5 * mix_) * v + 0.5 * mix_ * back_ * x);
      }
  }
  bool rests(std::int64_t) override {
    const auto none = [](double z) { return z == 0; };
    for (int side = 0; side < 2; ++side)
      if (last_[side] != 0 || !std::all_of(std::begin(z_[side]), std::end(z_[side]), none)) return false;
    set_[0] = set_[1] = false; // where the notches are is found anew
    return true;
  }

 private:
  Turn turn_;
  double depth_, feedback_, back_, mix_, rate_;
  double a_[2] = {}, last_[2] = {}, z_[2][6] = {};
  bool set_[2] = {};
};

/// Three voices a side, read at delays that swing out of step.
class ChorusStage : public InPlace {
 public:
  ChorusStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in))
      , turn_(s.hertz("rate", at.map, at.start), at)
      , depth_(s.share("depth_percent") * 0.004 * at.sampleRate())
      , mix_(s.share("mix_percent"))
      , middle_(0.012 * at.sampleRate())
      , sinc_(kHalf, 256) {
    while (size_ < static_cast<std::int64_t>(middle_ + depth_) + 4 * kHalf) size_ *= 2;
    for (auto& l : line_) l.assign(static_cast<std::size_t>(size_), 0.0f);
  }

 protected:
  void process(StereoSpan io, std::int64_t offset) override {
    silent_ = io.isSilent() ? silent_ + io.frames : 0;
    float x[2 * kHalf];
    for (std::int64_t i = 0; i < io.frames; ++i) {
      line_[0][static_cast<std::size_t>(clock_ & (size_ - 1))] = io.left[i];
      line_[1][static_cast<std::size_t>(clock_ & (size_ - 1))] = io.right[i];
      for (int side = 0; side < 2; ++side) {
        double sum = 0;
        for (int voice = 0; voice < 3; ++voice) {
          const double phase = turn_.at(offset + i) * (1 + 0.07 * voice) + 2.1 * voice + (side != 0 ? 1.05 : 0);
          const double position = static_cast<double>(clock_) - middle_ - depth_ * std::sin(phase),
                       whole = std::floor(position);
          for (int k = 0; k < 2 * kHalf; ++k)
            x[k] =
                line_[side][static_cast<std::size_t>((static_cast<std::int64_t>(whole) - kHalf + 1 + k) & (size_ - 1))];
          sum += sinc_.read(x + kHalf - 1, position - whole);
        }
        float& v = (side == 0 ? io.left : io.right)[i];
        v = static_cast<float>((1 - 0.5 * mix_) * v + mix_ * 0.4 * sum);
      }
      ++clock_;
    }
  }
  bool rests(std::int64_t frames) override {
    if (silent_ < size_) return false; // the lines are not empty yet
    clock_ += frames;
    return true;
  }

 private:
  static constexpr int kHalf = 8;
  Turn turn_;
  double depth_, mix_, middle_;
  SincTable sinc_;
  std::int64_t size_ = 64, clock_ = 0;
  std::int64_t silent_ = 0; // frames of silence that came in since the last sound
  std::vector<float> line_[2];
};

class TremoloStage : public InPlace {
 public:
  TremoloStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in))
      , turn_(s.hertz("rate", at.map, at.start), at)
      , depth_(s.share("depth_percent"))
      , apart_(s.share("spread_percent") * std::numbers::pi) {}

 protected:
  bool rests(std::int64_t) override { return true; }
  void process(StereoSpan io, std::int64_t offset) override {
    for (std::int64_t i = 0; i < io.frames; ++i) {
      const double t = turn_.at(offset + i);
      io.left[i] *= static_cast<float>(tremoloGain(depth_, t));
      io.right[i] *= static_cast<float>(tremoloGain(depth_, t + apart_));
    }
  }

 private:
  Turn turn_;
  double depth_, apart_;
};

SettingSpec rateSpec(const char* group, const char* initial) {
  return {.key = "rate",
          .label = "period",
          .type = type::rate,
          .min = 0.02,
          .max = 20,
          .initial = initial,
          .meaning = "Period of the movement: longer is slower.",
          .group = group};
}

} // namespace

const Finisher& phaserFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"phaser", "Phaser", "", "Moves notches through the sound.", {}};
        t.settings.push_back(rateSpec("phaser", "1 bar"));
        t.settings.push_back({.key = "depth_percent",
                              .label = "depth",
                              .unit = "%",
                              .max = 100,
                              .initial = 70,
                              .meaning = "How far the notches move.",
                              .group = "phaser"});
        t.settings.push_back({.key = "feedback_percent",
                              .label = "feedback",
                              .unit = "%",
                              .max = 95,
                              .initial = 30,
                              .meaning = "Sharpness of the notches: higher sounds more intense.",
                              .group = "phaser",
                              .role = Role::feedback});
        t.settings.push_back({.key = "mix_percent",
                              .label = "mix",
                              .unit = "%",
                              .max = 100,
                              .initial = 100,
                              .meaning = "Mix of the dry and the processed sound; the notches are deepest at 100 %.",
                              .group = "phaser"});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(std::make_unique<PhaserStage>(std::move(in), at, s));
      });
  return f;
}

const Finisher& chorusFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"chorus", "Chorus", "", "Doubles the sound with slightly detuned copies.", {}};
        t.settings.push_back(rateSpec("chorus", "2 bars"));
        t.settings.push_back({.key = "depth_percent",
                              .label = "depth",
                              .unit = "%",
                              .max = 100,
                              .initial = 50,
                              .meaning = "How far the copies drift: higher is more detuned.",
                              .group = "chorus"});
        t.settings.push_back({.key = "mix_percent",
                              .label = "mix",
                              .unit = "%",
                              .max = 100,
                              .initial = 60,
                              .meaning = "Mix of the dry and the processed sound.",
                              .group = "chorus"});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(std::make_unique<ChorusStage>(std::move(in), at, s));
      });
  return f;
}

const Finisher& tremoloFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"tremolo", "Tremolo", "", "Turns the level up and down in time.", {}};
        t.settings.push_back(rateSpec("tremolo", "1/8"));
        t.settings.push_back({.key = "depth_percent",
                              .label = "depth",
                              .unit = "%",
                              .max = 100,
                              .initial = 60,
                              .meaning = "How far the level moves.",
                              .group = "tremolo"});
        t.settings.push_back({.key = "spread_percent",
                              .label = "spread",
                              .unit = "%",
                              .max = 100,
                              .initial = 0,
                              .meaning = "How much later the right side moves: at 100 % the sides are opposite.",
                              .group = "tremolo",
                              .step = 5});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(std::make_unique<TremoloStage>(std::move(in), at, s));
      });
  return f;
}

} // namespace ivrin

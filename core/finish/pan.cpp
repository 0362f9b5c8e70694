// pan and gain: curves over the ornament's beats.
#include "finish/control_ramp.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

class PanStage : public InPlace {
 public:
  PanStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in))
      , position_(s.curve("position"), at.map, at.start, at.first) {}

 protected:
  bool remembers() const override { return false; }
  void process(StereoSpan io, std::int64_t offset) override {
    // A balance, the far side in proportion: where rows move by a hair with their cosine, a small step is heard here
    // (0.1 is 0.9 dB).
    for (std::int64_t i = 0; i < io.frames; ++i) {
      const float p = position_.at(offset + i);
      if (p > 0) io.left[i] *= 1 - p;
      if (p < 0) io.right[i] *= 1 + p;
    }
  }

 private:
  ControlRamp position_;
};

class GainStage : public InPlace {
 public:
  GainStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in))
      , db_(s.curve("db"), at.map, at.start, at.first) {}

 protected:
  bool remembers() const override { return false; }
  void process(StereoSpan io, std::int64_t offset) override {
    if (db_.constant()) {
      const auto g = static_cast<float>(Decibels(static_cast<double>(db_.at(0))).gain());
      for (std::int64_t i = 0; i < io.frames; ++i) {
        io.left[i] *= g;
        io.right[i] *= g;
      }
      return;
    }
    for (std::int64_t i = 0; i < io.frames; ++i) {
      const auto g = static_cast<float>(Decibels(static_cast<double>(db_.at(offset + i))).gain());
      io.left[i] *= g;
      io.right[i] *= g;
    }
  }

 private:
  ControlRamp db_;
};

} // namespace

const Finisher& panFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"pan", "Pan", "", "Moves the sound between left and right.", {}};
        t.settings.push_back({.key = "position",
                              .label = "position",
                              .type = type::pan,
                              .min = -1,
                              .max = 1,
                              .initial = 0,
                              .meaning = "Pan position. A curve moves it.",
                              .group = "pan",
                              .step = 0.05,
                              .curve = true});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(std::make_unique<PanStage>(std::move(in), at, s));
      },
      SimpleFinisher::Needs::nothing);
  return f;
}

const Finisher& gainFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"gain", "Gain", "", "Makes the sound louder or softer.", {}};
        t.settings.push_back({.key = "db",
                              .label = "gain",
                              .unit = "dB",
                              .min = -60,
                              .max = 12,
                              .initial = 0,
                              .meaning = "Level change. A curve moves it.",
                              .group = "gain",
                              .step = 0.5,
                              .usual = std::pair(-24.0, 12.0),
                              .curve = true});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(std::make_unique<GainStage>(std::move(in), at, s));
      },
      SimpleFinisher::Needs::nothing);
  return f;
}

} // namespace ivrin

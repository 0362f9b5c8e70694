// width: side against middle, and one side later than the other.
#include "finish/control_ramp.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

class WidthStage : public InPlace {
 public:
  WidthStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in))
      , width_(s.curve("percent", 0.01), at.map, at.start, at.first)
      , late_(static_cast<std::size_t>(std::llround(s.number("side_delay_ms") / 1000 * at.sampleRate()))) {}

 protected:
  void process(StereoSpan io, std::int64_t offset) override {
    for (std::int64_t i = 0; i < io.frames; ++i) {
      float l = io.left[i], r = io.right[i];
      if (!late_.empty()) { // both sides unlike each other even from a mono sound
        std::swap(late_[at_], r);
        at_ = (at_ + 1) % late_.size();
      }
      const float w = width_.at(offset + i), mid = 0.5f * (1 + w), side = 0.5f * (1 - w);
      io.left[i] = mid * l + side * r;
      io.right[i] = mid * r + side * l;
    }
  }

 private:
  ControlRamp width_;
  std::vector<float> late_;
  std::size_t at_ = 0;
};

} // namespace

const Finisher& widthFinisher() {
  class WidthFinisher : public SimpleFinisher {
   public:
    using SimpleFinisher::SimpleFinisher;
  };
  static const WidthFinisher f(
      [] {
        TableSpec t{"width", "Width", "", "Makes the sound narrower or wider.", {}};
        t.settings.push_back({.key = "percent",
                              .label = "width",
                              .unit = "%",
                              .max = 200,
                              .initial = 100,
                              .meaning = "Stereo width: 0 % is mono, 100 % unchanged, more is wider.",
                              .group = "width",
                              .step = 5,
                              .curve = true});
        t.settings.push_back({.key = "side_delay_ms",
                              .label = "right delay",
                              .unit = "ms",
                              .max = 40,
                              .initial = 0,
                              .meaning = "Delay of the right side: makes mono sound wide.",
                              .group = "width"});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(std::make_unique<WidthStage>(std::move(in), at, s));
      });
  return f;
}

} // namespace ivrin

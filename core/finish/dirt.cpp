// dirt: fewer bits, a lower rate, saturation, in this order.
#include "dsp/dynamics/crush.h"
#include "dsp/dynamics/drive.h"
#include "finish/curves.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

class CrushStage : public InPlace {
 public:
  CrushStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in))
      , crush_(dirtSteps(s), s.maybe("rate_hz"), at.sampleRate()) {}

 protected:
  void process(StereoSpan io, std::int64_t) override { crush_.process(io); }

 private:
  Crush crush_;
};

class DriveStage : public TakenAhead {
 public:
  DriveStage(std::unique_ptr<Flow> in, double sampleRate, double amount)
      : TakenAhead(std::move(in), 2 * Drive::kHalf)
      , left_({amount, kDirtDriveAgainst}, sampleRate)
      , right_(left_) {}

 protected:
  void process(StereoSpan io) override {
    left_.process(io.left, io.frames);
    right_.process(io.right, io.frames);
  }

 private:
  Drive left_, right_;
};

} // namespace

const Finisher& dirtFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"dirt", "Dirt", "", "Roughens the sound: fewer bits, a lower sample rate, saturation.", {}};
        t.settings.push_back({.key = "bits",
                              .label = "bit depth",
                              .min = 4,
                              .max = 24,
                              .initial = 24,
                              .meaning = "Resolution of the level: fewer bits sound grainier, 24 bits are clean.",
                              .group = "dirt"});
        t.settings.push_back({.key = "rate_hz",
                              .label = "sample rate",
                              .unit = "Hz",
                              .min = 500,
                              .max = 192000,
                              .meaning = "Rate at which the sound is sampled again: lower is duller and more metallic.",
                              .group = "dirt",
                              .step = 500,
                              .nullable = true,
                              .whenNull = "full",
                              .fromNull = std::pair(24000.0, 192000.0)});
        t.settings.push_back({.key = "drive_percent",
                              .label = "drive",
                              .unit = "%",
                              .max = 100,
                              .initial = 0,
                              .meaning = "Saturates the sound: higher is rougher and denser.",
                              .group = "dirt"});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        std::unique_ptr<Flow> flow = std::make_unique<CrushStage>(std::move(in), at, s);
        if (const double drive = s.share("drive_percent"); drive > 0)
          flow = std::make_unique<DriveStage>(std::move(flow), at.sampleRate(), drive);
        return flow;
      });
  return f;
}

} // namespace ivrin

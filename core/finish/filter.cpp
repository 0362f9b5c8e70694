// filter: high-pass and low-pass whose cutoffs may move.
#include "dsp/svf.h"
#include "finish/control_ramp.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

constexpr std::int64_t kStep = 32; // frames between two cutoffs
using T = SettingType;

class FilterStage : public InPlace {
 public:
  FilterStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in)) {
    const double resonance = s.share("resonance_percent");
    const bool steep = s.number("slope_db") > 18;
    for (const bool low : {true, false}) {
      const char* key = low ? "low_cut_hz" : "high_cut_hz";
      if (s.value(key).isNull()) continue;
      Pass p{{s.curve(key), at.map, at.start, at.first}, {}};
      // Butterworth; the resonance lifts the sharper section.
      const double lift = std::pow(14.0, resonance);
      if (steep)
        p.sections.emplace_back(low ? StereoSvf::Pass::high : StereoSvf::Pass::low, 1000, 1000, at.sampleRate(),
                                0.54119610);
      p.sections.emplace_back(low ? StereoSvf::Pass::high : StereoSvf::Pass::low, 1000, 1000, at.sampleRate(),
                              (steep ? 1.3065630 : 0.70710678) * lift);
      passes_.push_back(std::move(p));
    }
  }

 protected:
  void process(StereoSpan io, std::int64_t offset) override {
    for (Pass& p : passes_)
      for (std::int64_t i = 0; i < io.frames;) {
        const std::int64_t n = std::min(io.frames - i, kStep - (offset + i) % kStep);
        if (!p.cutoff.constant() || !p.set) {
          p.set = true;
          for (StereoSvf& f : p.sections) f.setCutoff(static_cast<double>(p.cutoff.at(offset + i)));
        }
        for (StereoSvf& f : p.sections) f.process(io.left + i, io.right + i, n);
        i += n;
      }
  }

 private:
  struct Pass {
    ControlRamp cutoff;
    std::vector<StereoSvf> sections;
    bool set = false;
  };
  std::vector<Pass> passes_;
};

TableSpec makeTable() {
  TableSpec t{"filter", "Filter", "", "Cuts lows and highs.", {}};
  for (const bool low : {true, false}) {
    t.settings.push_back({low ? "low_cut_hz" : "high_cut_hz", low ? "lows cut" : "highs cut", "Hz", T::number, 20,
                          20000, Value(), low ? "High-pass; may move." : "Low-pass; may move.", "filter",
                          low ? 10.0 : 250.0});
    t.settings.back().nullable = t.settings.back().curve = true;
    t.settings.back().whenNull = "open";
  }
  t.settings.push_back({"slope_db", "slope", "dB", T::number, 12, 24, 12, "Per octave: 12 or 24.", "filter", 12});
  t.settings.push_back(
      {"resonance_percent", "resonance", "%", T::number, 0, 100, 0, "A peak at the cutoff.", "filter", 1});
  return t;
}

} // namespace

const Finisher& filterFinisher() {
  static const SimpleFinisher f(makeTable(),
                                [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
                                  return std::unique_ptr<Flow>(std::make_unique<FilterStage>(std::move(in), at, s));
                                });
  return f;
}

} // namespace ivrin

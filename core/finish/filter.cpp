// filter: high-pass and low-pass whose cutoffs may move.
#include "finish/control_ramp.h"
#include "finish/curves.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

class FilterStage : public InPlace {
 public:
  FilterStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in)) {
    const double resonance = resonanceGain(s);
    for (const bool low : {true, false}) {
      const char* key = low ? "low_cut_hz" : "high_cut_hz";
      if (s.value(key).isNull()) continue;
      gain_ *= static_cast<float>(resonance);
      Pass pass{{s.curve(key).by(at.hzLaw), at.map, at.start, at.first}, filterSections(s, low, at.sampleRate())};
      if (pass.cutoff.constant())
        for (StereoSvf& f : pass.sections) f.setCutoff(static_cast<double>(pass.cutoff.at(0)));
      passes_.push_back(std::move(pass));
    }
  }

 protected:
  void process(StereoSpan io, std::int64_t offset) override {
    constexpr std::int64_t kCell = ControlRamp::kControl;
    for (Pass& p : passes_) {
      if (p.cutoff.constant()) {
        for (StereoSvf& f : p.sections) f.process(io.left, io.right, io.frames);
        continue;
      }
      for (std::int64_t i = 0; i < io.frames;) {
        const std::int64_t first = (offset + i) % kCell;
        const std::int64_t n = std::min(io.frames - i, kCell - first);
        const auto [from, to] = p.cutoff.lineAt(offset + i);
        for (StereoSvf& f : p.sections)
          f.processMoving(io.left + i, io.right + i, n, static_cast<double>(from), static_cast<double>(to), first,
                          kCell);
        i += n;
      }
    }
    if (gain_ == 1) return;
    for (std::int64_t i = 0; i < io.frames; ++i) {
      io.left[i] *= gain_;
      io.right[i] *= gain_;
    }
  }

 private:
  struct Pass {
    ControlRamp cutoff;
    std::vector<StereoSvf> sections;
  };
  std::vector<Pass> passes_;
  float gain_ = 1;
};

TableSpec makeTable() {
  TableSpec t{"filter", "Filter", "", "Removes lows and highs.", {}};
  for (const bool low : {true, false}) {
    t.settings.push_back({.key = low ? "low_cut_hz" : "high_cut_hz",
                          .label = low ? "low cut" : "high cut",
                          .unit = "Hz",
                          .min = 20,
                          .max = 20000,
                          .meaning = low ? "Removes lows below this frequency. A curve moves it."
                                         : "Removes highs above this frequency. A curve moves it.",
                          .group = "filter",
                          .step = low ? 10.0 : 250.0,
                          .nullable = true,
                          .whenNull = "off",
                          .fromNull = low ? std::pair(20.0, 80.0) : std::pair(12000.0, 20000.0),
                          .curve = true});
  }
  t.settings.push_back({.key = "slope_db",
                        .label = "slope",
                        .unit = "dB/oct",
                        .min = 12,
                        .max = 24,
                        .initial = 12,
                        .meaning = "Steepness of both filters: steeper removes more.",
                        .group = "filter",
                        .step = 12});
  t.settings.push_back({.key = "resonance_percent",
                        .label = "resonance",
                        .unit = "%",
                        .max = 100,
                        .initial = 0,
                        .meaning = "Emphasis at the cutoff: higher whistles more.",
                        .group = "filter"});
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

// compressor: feed-forward, both sides linked, level detector smoothed in decibels (D. Giannoulis, M. Massberg,
// J. D. Reiss, "Digital dynamic range compressor design", JAES 60 (2012): log-domain, smooth branching).
#include "finish/curves.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

class CompressorStage : public InPlace {
 public:
  CompressorStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in))
      , threshold_(s.number("threshold_db"))
      , slope_(1 - 1 / s.number("ratio"))
      , attack_(std::exp(-1 / (s.number("attack_ms") / 1000 * at.sampleRate() + 1e-9)))
      , release_(std::exp(-1 / (s.number("release_ms") / 1000 * at.sampleRate() + 1e-9)))
      , makeup_(s.number("makeup_db")) {}

 protected:
  void process(StereoSpan io, std::int64_t) override {
    for (std::int64_t i = 0; i < io.frames; ++i) {
      const double peak = std::max(std::abs(io.left[i]), std::abs(io.right[i]));
      const double over = 20 * std::log10(peak + 1e-9) - threshold_;
      const double wanted = compressorReductionDb(over, slope_);
      const double a = wanted > reduction_ ? attack_ : release_;
      reduction_ = a * reduction_ + (1 - a) * wanted;
      const auto g = static_cast<float>(std::pow(10.0, (makeup_ - reduction_) / 20));
      io.left[i] *= g;
      io.right[i] *= g;
    }
  }

  bool rests(std::int64_t) override {
    if (reduction_ > 1e-9) return false; // dB: less changes no sample
    reduction_ = 0;
    return true;
  }

 private:
  double threshold_, slope_, attack_, release_, makeup_, reduction_ = 0;
};

} // namespace

const Finisher& compressorFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"compressor", "Compressor", "", "Evens out the level.", {}};
        t.settings.push_back({.key = "threshold_db",
                              .label = "threshold",
                              .unit = "dB",
                              .min = -60,
                              .initial = -18,
                              .meaning = "What is louder than this is turned down.",
                              .group = "compressor",
                              .step = 0.5});
        t.settings.push_back({.key = "ratio",
                              .label = "ratio",
                              .min = 1,
                              .max = 20,
                              .initial = 3,
                              .meaning = "How many dB over it come out as one.",
                              .group = "compressor",
                              .step = 0.5});
        t.settings.push_back({.key = "attack_ms",
                              .label = "attack",
                              .unit = "ms",
                              .min = 0.1,
                              .max = 200,
                              .initial = 8,
                              .meaning = "How fast it takes hold.",
                              .group = "compressor"});
        t.settings.push_back({.key = "release_ms",
                              .label = "release",
                              .unit = "ms",
                              .min = 5,
                              .max = 2000,
                              .initial = 120,
                              .meaning = "How fast it lets go.",
                              .group = "compressor",
                              .step = 5});
        t.settings.push_back({.key = "makeup_db",
                              .label = "make-up",
                              .unit = "dB",
                              .max = 12,
                              .initial = 0,
                              .meaning = "How far it is turned up afterwards.",
                              .group = "compressor",
                              .step = 0.5});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(std::make_unique<CompressorStage>(std::move(in), at, s));
      });
  return f;
}

} // namespace ivrin

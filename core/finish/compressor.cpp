// compressor: feed-forward, both sides linked; the peak of the last half period of a low note is held, so that the gain
// does not ride on the wave, and smoothed in decibels (D. Giannoulis, M. Massberg, J. D. Reiss, "Digital dynamic range
// compressor design", JAES 60 (2012): log-domain, smooth branching).
#include "finish/curves.h"
#include "finish/stages.h"

#include <vector>

namespace ivrin {
namespace {

constexpr double kHoldSeconds = 0.0085; // half a period of 59 Hz

/// The largest of the last so many values (D. Lemire, "Streaming maximum-minimum filter using no more than three
/// comparisons per element", Nordic J. Computing 13 (2006)).
class RunningMost {
 public:
  explicit RunningMost(std::int64_t length)
      : length_(std::max<std::int64_t>(1, length))
      , ring_(static_cast<std::size_t>(length_) + 1) {}
  double next(double v) {
    while (count_ > 0 && at(count_ - 1).value <= v) --count_;
    ring_[(first_ + count_) % ring_.size()] = {clock_, v};
    ++count_;
    if (at(0).clock + length_ <= clock_) {
      first_ = (first_ + 1) % ring_.size();
      --count_;
    }
    ++clock_;
    return at(0).value;
  }
  void clear() { count_ = 0; }

 private:
  struct Entry {
    std::int64_t clock;
    double value;
  };
  Entry& at(std::size_t i) { return ring_[(first_ + i) % ring_.size()]; }
  std::int64_t length_, clock_ = 0;
  std::vector<Entry> ring_;
  std::size_t first_ = 0, count_ = 0;
};

class CompressorStage : public InPlace {
 public:
  CompressorStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in))
      , threshold_(s.number("threshold_db"))
      , slope_(1 - 1 / s.number("ratio"))
      , attack_(coefficient(s.number("attack_ms") / 1000, at.sampleRate()))
      , makeup_(s.number("makeup_db"))
      // What is held counts as letting go: together they take the time that is set.
      , held_(std::min(kHoldSeconds, 0.5 * s.number("release_ms") / 1000))
      , release_(coefficient(s.number("release_ms") / 1000 - held_, at.sampleRate()))
      , most_(std::llround(held_ * at.sampleRate())) {}

 protected:
  void process(StereoSpan io, std::int64_t) override {
    for (std::int64_t i = 0; i < io.frames; ++i) {
      const auto now = static_cast<double>(std::max(std::abs(io.left[i]), std::abs(io.right[i])));
      const double peak = most_.next(now);
      if (peak != lastPeak_) { // held, it asks for the same
        lastPeak_ = peak;
        wanted_ = compressorReductionDb(20 * std::log10(peak + 1e-9) - threshold_, slope_);
      }
      const double a = wanted_ > reduction_ ? attack_ : release_;
      reduction_ = a * reduction_ + (1 - a) * wanted_;
      const auto g = static_cast<float>(std::pow(10.0, (makeup_ - reduction_) / 20));
      io.left[i] *= g;
      io.right[i] *= g;
    }
  }

  bool rests(std::int64_t) override {
    if (reduction_ > 1e-9) return false; // dB: less changes no sample
    reduction_ = 0;
    most_.clear();
    return true;
  }

 private:
  static double coefficient(double seconds, double rate) { return std::exp(-1 / (seconds * rate + 1e-9)); }
  double threshold_, slope_, attack_, makeup_, held_, release_, reduction_ = 0, wanted_ = 0, lastPeak_ = -1;
  RunningMost most_;
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
                              .meaning = "Level above which the sound is turned down.",
                              .group = "compressor",
                              .step = 0.5});
        t.settings.push_back({.key = "ratio",
                              .label = "ratio",
                              .min = 1,
                              .max = 20,
                              .initial = 3,
                              .meaning = "How strongly levels above the threshold are reduced: higher is more even.",
                              .group = "compressor",
                              .step = 0.5});
        t.settings.push_back({.key = "attack_ms",
                              .label = "attack",
                              .unit = "ms",
                              .min = 0.1,
                              .max = 200,
                              .initial = 8,
                              .meaning = "Time before the compressor reacts: shorter tames transients.",
                              .group = "compressor"});
        t.settings.push_back({.key = "release_ms",
                              .label = "release",
                              .unit = "ms",
                              .min = 5,
                              .max = 2000,
                              .initial = 120,
                              .meaning = "Time to come back to full level: shorter pumps more.",
                              .group = "compressor",
                              .step = 5});
        t.settings.push_back({.key = "makeup_db",
                              .label = "make-up",
                              .unit = "dB",
                              .max = 12,
                              .initial = 0,
                              .meaning = "Level added after the compression.",
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

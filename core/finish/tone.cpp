// tone: up to eight bell bands (M. Vicanek, "Matched second order digital filters" (2016): nearer to the analogue curve
// on the skirts than a prescribed gain at the Nyquist frequency, S. J. Orfanidis, JAES 45 (1997), which misses it by
// 0.8 dB at 9 kHz for a cut of 12 dB at 16 kHz).
#include "finish/tone.h"
#include "dsp/measure/loudness.h"
#include "finish/stages.h"

#include <numbers>

namespace ivrin {
namespace {

/// The analogue bell's poles, moved by the impulse response, and zeros that give 1 at 0 Hz and the gain at its middle,
/// flat there: as the analogue one to close under the Nyquist frequency. A cut is a boost's inverse.
Biquad bell(const ToneBand& b, double rate) {
  const double gain = std::pow(10.0, std::abs(b.gainDb) / 20),
               w = 2 * std::numbers::pi * std::min(b.hz, 0.49 * rate) / rate;
  // s² + s/(√G Q) + 1 under a boost.
  const double damping = 1 / (2 * std::sqrt(gain) * b.q), turn = std::sqrt(std::abs(1 - damping * damping)) * w,
               a1 = -2 * std::exp(-damping * w) * (damping <= 1 ? std::cos(turn) : std::cosh(turn)),
               a2 = std::exp(-2 * damping * w);
  const double f1 = std::pow(std::sin(w / 2), 2), f0 = 1 - f1, f2 = 4 * f0 * f1;
  const double d0 = (1 + a1 + a2) * (1 + a1 + a2), d1 = (1 - a1 + a2) * (1 - a1 + a2), d2 = -4 * a2;
  const double r1 = (d0 * f0 + d1 * f1 + d2 * f2) * gain * gain, r2 = (-d0 + d1 + 4 * (f0 - f1) * d2) * gain * gain;
  const double n0 = d0, n2 = (r1 - r2 * f1 - n0) / (4 * f1 * f1), n1 = std::max(0.0, r2 + n0 - 4 * (f0 - f1) * n2);
  const double half = (std::sqrt(n0) + std::sqrt(n1)) / 2, b0 = (half + std::sqrt(std::max(0.0, half * half + n2))) / 2,
               b1 = (std::sqrt(n0) - std::sqrt(n1)) / 2, b2 = -n2 / (4 * b0);
  Biquad f;
  if (b.gainDb >= 0) {
    f.b0 = b0;
    f.b1 = b1;
    f.b2 = b2;
    f.a1 = a1;
    f.a2 = a2;
  } else {
    f.b0 = 1 / b0;
    f.b1 = a1 / b0;
    f.b2 = a2 / b0;
    f.a1 = b1 / b0;
    f.a2 = b2 / b0;
  }
  return f;
}

/// The analogue shelf of first order, (s + w√G)/(s + w/√G) or its mirror, met at 0 Hz, a little under its edge and at
/// the Nyquist frequency.
Biquad shelf(bool low, double edgeHz, double gainDb, double rate) {
  const double g = std::pow(10.0, gainDb / 20), root = std::sqrt(g);
  const auto power = [&](double hz) { // of the analogue one
    const double w = hz / edgeHz, zero = low ? root : 1 / root;
    return (w * w + zero * zero) / (w * w + 1 / (zero * zero)) * (low ? 1 : g * g);
  };
  const double p0 = power(0), end = power(rate / 2), at = std::min(0.94 * edgeHz, 0.32 * rate), there = power(at),
               far = std::pow(std::sin(std::numbers::pi * at / rate), 2);
  // |H|² is (A0 p0 (1 − f) + A1 end f) / (A0 (1 − f) + A1 f) with f = sin²(w/2).
  const double ratio = std::sqrt((1 - far) * (p0 - there) / (far * (there - end)));
  const double a1 = (1 - ratio) / (1 + ratio), sum = std::sqrt(p0) * (1 + a1), difference = std::sqrt(end) * (1 - a1);
  Biquad f;
  f.b0 = 0.5 * (sum + difference);
  f.b1 = 0.5 * (sum - difference);
  f.b2 = f.a2 = 0;
  f.a1 = a1;
  return f;
}

class ToneStage : public InPlace {
 public:
  ToneStage(std::unique_ptr<Flow> in, const SettingsView& s, double rate)
      : InPlace(std::move(in)) {
    for (const ToneBand& b : toneBands(s.value("bands"))) left_.push_back(bell(b, rate));
    for (const bool low : {true, false})
      if (const double db = s.number(low ? "low_shelf_db" : "high_shelf_db"); db != 0)
        left_.push_back(shelf(low, s.number(low ? "low_shelf_hz" : "high_shelf_hz"), db, rate));
    right_ = left_;
  }

 protected:
  void process(StereoSpan io, std::int64_t) override {
    for (std::size_t k = 0; k < left_.size(); ++k)
      for (std::int64_t i = 0; i < io.frames; ++i) {
        io.left[i] = static_cast<float>(left_[k].step(io.left[i]));
        io.right[i] = static_cast<float>(right_[k].step(io.right[i]));
      }
  }

 private:
  std::vector<Biquad> left_, right_;
};

} // namespace

std::vector<ToneBand> toneBands(const Value& v) {
  std::vector<ToneBand> bands;
  if (const List* l = v.list())
    for (const Value& one : *l) {
      ToneBand b;
      for (const auto& [key, value] : *one.object())
        (key == "freq_hz" ? b.hz : key == "gain_db" ? b.gainDb : b.q) = *value.number();
      bands.push_back(b);
    }
  return bands;
}

Value toneValue(const std::vector<ToneBand>& bands) {
  List l;
  for (const ToneBand& b : bands) l.emplace_back(Object{{"freq_hz", b.hz}, {"gain_db", b.gainDb}, {"q", b.q}});
  return l;
}

namespace {
double gainDb(const Biquad& f, double hz, double rate) {
  const double w = 2 * std::numbers::pi * hz / rate, c1 = std::cos(w), c2 = std::cos(2 * w), s1 = std::sin(w),
               s2 = std::sin(2 * w);
  const double nr = f.b0 + f.b1 * c1 + f.b2 * c2, ni = f.b1 * s1 + f.b2 * s2;
  const double dr = 1 + f.a1 * c1 + f.a2 * c2, di = f.a1 * s1 + f.a2 * s2;
  return 10 * std::log10((nr * nr + ni * ni) / (dr * dr + di * di));
}
} // namespace

double toneGainDb(const std::vector<ToneBand>& bands, double hz, double rate) {
  double db = 0;
  for (const ToneBand& b : bands) db += gainDb(bell(b, rate), hz, rate);
  return db;
}

double shelfGainDb(bool low, double edgeHz, double db, double hz, double rate) {
  return db == 0 ? 0 : gainDb(shelf(low, edgeHz, db, rate), hz, rate);
}

const Finisher& toneFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"tone", "EQ", "", "Boosts and cuts frequency bands.", {}};
        t.settings.push_back(
            {.key = "bands",
             .label = "bands",
             .type = type::bands,
             .initial = Value(List{}),
             .meaning = "Up to eight bands, each with frequency, gain (−24 to 24 dB) and Q (0.1 to 20).",
             .group = "EQ"});
        for (const bool low : {true, false}) {
          t.settings.push_back({.key = low ? "low_shelf_hz" : "high_shelf_hz",
                                .label = low ? "low shelf frequency" : "high shelf frequency",
                                .unit = "Hz",
                                .min = 20,
                                .max = 20000,
                                .initial = low ? 150 : 6000,
                                .meaning = low ? "Frequency at which the low shelf has half of its gain."
                                               : "Frequency at which the high shelf has half of its gain.",
                                .group = "shelves",
                                .step = 10,
                                .since = 2});
          t.settings.push_back({.key = low ? "low_shelf_db" : "high_shelf_db",
                                .label = low ? "low shelf gain" : "high shelf gain",
                                .unit = "dB",
                                .min = -18,
                                .max = 18,
                                .initial = 0,
                                .meaning = low ? "Boost or cut of the lows." : "Boost or cut of the highs.",
                                .group = "shelves",
                                .step = 0.5,
                                .since = 2});
        }
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(std::make_unique<ToneStage>(std::move(in), s, at.sampleRate()));
      });
  return f;
}

} // namespace ivrin

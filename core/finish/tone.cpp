// tone: up to eight bell bands (R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients").
#include "finish/tone.h"
#include "dsp/loudness.h"
#include "finish/stages.h"

#include <numbers>

namespace ivrin {
namespace {

Biquad bell(const ToneBand& b, double rate) {
  const double a = std::pow(10.0, b.gainDb / 40), w = 2 * std::numbers::pi * std::min(b.hz, 0.49 * rate) / rate;
  const double alpha = std::sin(w) / (2 * b.q), c = std::cos(w), a0 = 1 + alpha / a;
  Biquad f;
  f.b0 = (1 + alpha * a) / a0;
  f.b1 = -2 * c / a0;
  f.b2 = (1 - alpha * a) / a0;
  f.a1 = -2 * c / a0;
  f.a2 = (1 - alpha / a) / a0;
  return f;
}

class ToneStage : public InPlace {
 public:
  ToneStage(std::unique_ptr<Flow> in, const std::vector<ToneBand>& bands, double rate)
      : InPlace(std::move(in)) {
    for (const ToneBand& b : bands) {
      left_.push_back(bell(b, rate));
      right_.push_back(bell(b, rate));
    }
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

double toneGainDb(const std::vector<ToneBand>& bands, double hz, double rate) {
  double db = 0;
  const double w = 2 * std::numbers::pi * hz / rate, c1 = std::cos(w), c2 = std::cos(2 * w), s1 = std::sin(w),
               s2 = std::sin(2 * w);
  for (const ToneBand& b : bands) {
    const Biquad f = bell(b, rate);
    const double nr = f.b0 + f.b1 * c1 + f.b2 * c2, ni = f.b1 * s1 + f.b2 * s2;
    const double dr = 1 + f.a1 * c1 + f.a2 * c2, di = f.a1 * s1 + f.a2 * s2;
    db += 10 * std::log10((nr * nr + ni * ni) / (dr * dr + di * di));
  }
  return db;
}

const Finisher& toneFinisher() {
  static const SimpleFinisher f(
      [] {
        TableSpec t{"tone", "Tone", "", "Lifts and lowers bands.", {}};
        t.settings.push_back({.key = "bands",
                              .label = "bands",
                              .type = type::bands,
                              .initial = Value(List{}),
                              .meaning = "Up to eight bells, each with frequency, gain (-24..24 dB) and q (0.1..20).",
                              .group = "tone"});
        return t;
      }(),
      [](std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s) {
        return std::unique_ptr<Flow>(
            std::make_unique<ToneStage>(std::move(in), toneBands(s.value("bands")), at.sampleRate()));
      });
  return f;
}

} // namespace ivrin

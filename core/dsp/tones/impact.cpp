#include "dsp/tones/impact.h"

#include "audio/chance.h"
#include "dsp/filter/svf.h"
#include "dsp/measure/loudness.h"
#include "dsp/tones/steady_noise.h"

#include <cmath>
#include <map>
#include <mutex>
#include <numbers>
#include <tuple>

namespace ivrin {
namespace {

constexpr double kTwoPi = 2 * std::numbers::pi;

double hertz(double midi) {
  return 440 * std::exp2((midi - 69) / 12);
}
/// Gain after `seconds` of what has fallen 60 dB after `t60`.
double fallen(double seconds, double t60) {
  return std::pow(10.0, -3 * seconds / t60);
}

/// Noise between two frequencies that dies; adds to `out`. `from` is where in the noise it begins.
void addNoise(StereoBuffer& out, double rate, double low, double high, double t60, double attack, double level,
              std::int64_t from) {
  const auto noise = steadyNoise(rate);
  StereoBuffer band(std::min<std::int64_t>(out.frames(), std::llround(1.2 * t60 * rate)));
  for (std::int64_t i = 0; i < band.frames(); ++i) {
    const std::int64_t at = (from + i) % noise->frames();
    band.left()[i] = noise->left()[at];
    band.right()[i] = noise->right()[at];
  }
  StereoSvf(StereoSvf::Pass::high, low, low, rate).process(band.left(), band.right(), band.frames());
  StereoSvf(StereoSvf::Pass::low, high, high, rate).process(band.left(), band.right(), band.frames());
  for (std::int64_t i = 0; i < band.frames(); ++i) {
    const double t = static_cast<double>(i) / rate;
    const double left = static_cast<double>(band.frames() - i) / (0.1 * static_cast<double>(band.frames()));
    const double g = level * fallen(t, t60) * std::min(1.0, t / attack) * std::min(1.0, left);
    out.left()[i] += static_cast<float>(g) * band.left()[i];
    out.right()[i] += static_cast<float>(g) * band.right()[i];
  }
}

StereoBuffer deep(int note, double rate) {
  StereoBuffer b(impactFrames(Impact::deep, rate));
  double midi = 24 + note; // from C1 on; under 40 Hz few hear it
  while (hertz(midi) < 40) midi += 12;
  const double f = hertz(midi);
  double phase = 0;
  for (std::int64_t i = 0; i < b.frames(); ++i) {
    const double t = static_cast<double>(i) / rate;
    phase += f * (1 + 3 * std::exp(-t / 0.035)) / rate;
    const double body = std::tanh(1.8 * std::sin(kTwoPi * phase) * fallen(t, 2.4)) / std::tanh(1.8);
    const double left = std::min(1.0, static_cast<double>(b.frames() - i) / (0.3 * rate));
    b.left()[i] = b.right()[i] = static_cast<float>(0.9 * body * std::min(1.0, t / 0.0015) * left);
  }
  addNoise(b, rate, 30, 320, 0.5, 0.002, 0.7, 1000);
  addNoise(b, rate, 700, 4500, 0.07, 0.0005, 0.25, 90000); // the beater
  return b;
}

StereoBuffer bright(double rate) {
  StereoBuffer b(impactFrames(Impact::bright, rate));
  const double top = 0.45 * rate;
  addNoise(b, rate, std::min(6000.0, 0.3 * rate), std::min(16000.0, top), 1.5, 0.001, 0.9, 0);
  addNoise(b, rate, std::min(2500.0, 0.2 * rate), std::min(6000.0, top), 2.6, 0.002, 0.8, 30000);
  addNoise(b, rate, 900, std::min(2500.0, top), 2.0, 0.003, 0.45, 60000);
  addNoise(b, rate, 180, 900, 0.45, 0.001, 0.6, 90000);
  return b;
}

StereoBuffer metallic(int note, double rate) {
  StereoBuffer b(impactFrames(Impact::metallic, rate));
  double midi = 48 + note;
  const double lowest = hertz(midi) / std::pow(2.0, 1.8); // mode (2, 0) of the plate
  Chance draw(77);
  for (int m = 2; m <= 9; ++m)
    for (int n = 0; n <= 3; ++n) {
      const double f = lowest * std::pow(m + 2 * n, 1.8) * (1 + 0.004 * (draw.unit() - 0.5));
      const double pan = draw.unit(), start = kTwoPi * draw.unit();
      if (f > 0.45 * rate || f > 14000) continue;
      const double t60 = 3.4 * std::pow(hertz(midi) / f, 0.45), level = 0.5 / std::sqrt(m + 3.0 * n);
      // A turning pointer that shrinks.
      const double w = kTwoPi * f / rate, fall = std::pow(10.0, -3 / (t60 * rate));
      const double re = fall * std::cos(w), im = fall * std::sin(w);
      double x = level * std::cos(start), y = level * std::sin(start);
      const double left = std::cos(pan * std::numbers::pi / 2), right = std::sin(pan * std::numbers::pi / 2);
      for (std::int64_t i = 0; i < b.frames(); ++i) {
        const double in = std::min(1.0, static_cast<double>(i) / (0.001 * rate));
        const double out = std::min(1.0, static_cast<double>(b.frames() - i) / (0.4 * rate));
        b.left()[i] += static_cast<float>(left * in * out * y);
        b.right()[i] += static_cast<float>(right * in * out * y);
        const double turned = x * re - y * im;
        y = x * im + y * re;
        x = turned;
      }
    }
  addNoise(b, rate, 1500, std::min(9000.0, 0.45 * rate), 0.12, 0.0005, 0.6, 0);
  return b;
}

} // namespace

std::int64_t impactFrames(Impact character, double sampleRate) {
  const double seconds = character == Impact::deep ? 3.2 : character == Impact::bright ? 3.6 : 3.8;
  return std::llround(seconds * sampleRate);
}

std::shared_ptr<const StereoBuffer> impactSound(Impact character, int note, double sampleRate) {
  static std::mutex mutex;
  static std::map<std::tuple<Impact, int, double>, std::shared_ptr<const StereoBuffer>> made;
  if (character == Impact::bright) note = 0;
  const std::lock_guard lock(mutex);
  auto& place = made[{character, note, sampleRate}];
  if (!place) {
    auto b = std::make_shared<StereoBuffer>(character == Impact::deep     ? deep(note, sampleRate)
                                            : character == Impact::bright ? bright(sampleRate)
                                                                          : metallic(note, sampleRate));
    const auto most = std::max(1e-9f, static_cast<float>(samplePeak(b->left(), b->right(), b->frames())));
    for (std::int64_t i = 0; i < b->frames(); ++i) {
      b->left()[i] /= most;
      b->right()[i] /= most;
    }
    place = std::move(b);
  }
  return place;
}

} // namespace ivrin

#include "synth.h"

#include "composition.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace lantern {

double Noise::next() {
  state_ = state_ * 6364136223846793005ull + 1442695040888963407ull;
  return static_cast<double>(static_cast<std::int64_t>(state_ >> 11)) / 4503599627370496.0 - 1.0;
}

double hz(double midi) {
  return 440.0 * std::exp2((midi - 69) / 12);
}
double decibels(double db) {
  return std::pow(10.0, db / 20);
}

void Filter::set(double cutoffHz, double q) {
  g_ = std::tan(std::numbers::pi * std::min(cutoffHz, 0.45 * kRate) / kRate);
  k_ = 1 / q;
  a1_ = 1 / (1 + g_ * (g_ + k_));
  a2_ = g_ * a1_;
  a3_ = g_ * a2_;
}

Filter::Out Filter::step(double x) {
  const double v3 = x - s2_, v1 = a1_ * s1_ + a2_ * v3, v2 = s2_ + a2_ * s1_ + a3_ * v3;
  s1_ = 2 * v1 - s1_;
  s2_ = 2 * v2 - s2_;
  return {v2, v1, x - k_ * v1 - v2};
}

Track::Track()
    : sound(static_cast<std::int64_t>(kSeconds * kRate)) {}

void Track::add(std::int64_t frame, double v, double pan) {
  if (frame < 0 || frame >= sound.frames()) return;
  const double angle = (pan + 1) * std::numbers::pi / 4;
  sound.left()[frame] += static_cast<float>(v * std::cos(angle));
  sound.right()[frame] += static_cast<float>(v * std::sin(angle));
}

void Track::room(double wet, double decay, double dampHz, double preDelay) {
  // Eight lines, Householder mixing, one-pole damping (J.-M. Jot 1991 in small).
  constexpr int kLines = 8;
  const int lengths[kLines] = {1153, 1367, 1559, 1747, 1973, 2179, 2411, 2633};
  std::vector<double> line[kLines];
  double gain[kLines], state[kLines] = {};
  for (int k = 0; k < kLines; ++k) {
    line[k].assign(static_cast<std::size_t>(lengths[k]), 0);
    gain[k] = std::pow(10.0, -3.0 * lengths[k] / (decay * kRate));
  }
  const double damp = 1 - std::exp(-2 * std::numbers::pi * dampHz / kRate);
  const auto pre = static_cast<std::int64_t>(preDelay * kRate);
  const std::vector<float> dryLeft(sound.left(), sound.left() + sound.frames()),
      dryRight(sound.right(), sound.right() + sound.frames());
  for (std::int64_t i = 0; i < sound.frames(); ++i) {
    const double l = i >= pre ? static_cast<double>(dryLeft[static_cast<std::size_t>(i - pre)]) : 0,
                 r = i >= pre ? static_cast<double>(dryRight[static_cast<std::size_t>(i - pre)]) : 0;
    double out[kLines], sum = 0;
    for (int k = 0; k < kLines; ++k) {
      out[k] = line[k][static_cast<std::size_t>(i % lengths[k])];
      state[k] += damp * (out[k] - state[k]);
      out[k] = state[k] * gain[k];
      sum += out[k];
    }
    for (int k = 0; k < kLines; ++k)
      line[k][static_cast<std::size_t>(i % lengths[k])] = out[k] - sum * 2 / kLines + (k % 2 ? r : l);
    sound.left()[i] += static_cast<float>(wet * 0.5 * (out[0] - out[2] + out[4] - out[6]));
    sound.right()[i] += static_cast<float>(wet * 0.5 * (out[1] - out[3] + out[5] - out[7]));
  }
}

void Track::glue(double drive, double peak) {
  float top = 1e-9f;
  for (float* s : {sound.left(), sound.right()})
    for (std::int64_t i = 0; i < sound.frames(); ++i) {
      s[i] = static_cast<float>(std::tanh(static_cast<double>(s[i]) * drive));
      top = std::max(top, std::abs(s[i]));
    }
  const auto g = static_cast<float>(peak) / top;
  for (float* s : {sound.left(), sound.right()})
    for (std::int64_t i = 0; i < sound.frames(); ++i) s[i] *= g;
}

void Track::highPass(double hertz) {
  Filter l, r;
  l.set(hertz, 0.707);
  r.set(hertz, 0.707);
  for (std::int64_t i = 0; i < sound.frames(); ++i) {
    sound.left()[i] = static_cast<float>(l.step(static_cast<double>(sound.left()[i])).high);
    sound.right()[i] = static_cast<float>(r.step(static_cast<double>(sound.right()[i])).high);
  }
}

} // namespace lantern

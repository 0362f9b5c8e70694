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

Mode::Mode(double hertz, double seconds, double level) {
  const double r = std::pow(10.0, -3 / (seconds * kRate)), w = kTau * hertz / kRate;
  a1_ = 2 * r * std::cos(w);
  a2_ = -r * r;
  gain_ = level * std::sin(w);
}

double Mode::step(double x) {
  const double y = gain_ * x + a1_ * y1_ + a2_ * y2_;
  y2_ = y1_;
  y1_ = y;
  return y;
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

void Track::saturate(double drive) {
  for (float* s : {sound.left(), sound.right()})
    for (std::int64_t i = 0; i < frames(); ++i)
      s[i] = static_cast<float>(std::tanh(static_cast<double>(s[i]) * drive) / drive);
}

void Track::normalise(double peak) {
  float top = 1e-9f;
  for (const float* s : {sound.left(), sound.right()})
    for (std::int64_t i = 0; i < frames(); ++i) top = std::max(top, std::abs(s[i]));
  const auto g = static_cast<float>(peak) / top;
  for (float* s : {sound.left(), sound.right()})
    for (std::int64_t i = 0; i < frames(); ++i) s[i] *= g;
}

void Track::level(double rmsDb) {
  constexpr std::int64_t kBlock = 2400;
  std::vector<double> powers;
  for (std::int64_t at = 0; at + kBlock <= frames(); at += kBlock) {
    double sum = 0;
    for (const float* s : {sound.left() + at, sound.right() + at})
      for (std::int64_t i = 0; i < kBlock; ++i) sum += static_cast<double>(s[i]) * static_cast<double>(s[i]);
    powers.push_back(sum / (2 * kBlock));
  }
  const double loudest = *std::max_element(powers.begin(), powers.end());
  double sum = 0;
  int sounding = 0;
  for (const double p : powers)
    if (p > loudest * 1e-3) {
      sum += p;
      ++sounding;
    }
  const auto g = static_cast<float>(decibels(rmsDb) / std::sqrt(sum / sounding + 1e-20));
  for (float* s : {sound.left(), sound.right()})
    for (std::int64_t i = 0; i < frames(); ++i) s[i] *= g;
}

void Track::compress(double thresholdDb, double ratio, double attack, double release) {
  const double up = std::exp(-1 / (attack * kRate)), down = std::exp(-1 / (release * kRate));
  double level = 0;
  for (std::int64_t i = 0; i < frames(); ++i) {
    const double x = static_cast<double>(std::max(std::abs(sound.left()[i]), std::abs(sound.right()[i])));
    const double c = x > level ? up : down;
    level = c * level + (1 - c) * x;
    const double over = 20 * std::log10(level + 1e-9) - thresholdDb;
    if (over <= 0) continue;
    const auto g = static_cast<float>(decibels(-over * (1 - 1 / ratio)));
    sound.left()[i] *= g;
    sound.right()[i] *= g;
  }
}

void Track::biquad(double b0, double b1, double b2, double a0, double a1, double a2) {
  for (float* s : {sound.left(), sound.right()}) {
    double z1 = 0, z2 = 0;
    for (std::int64_t i = 0; i < frames(); ++i) {
      const double x = static_cast<double>(s[i]), y = b0 / a0 * x + z1;
      z1 = b1 / a0 * x - a1 / a0 * y + z2;
      z2 = b2 / a0 * x - a2 / a0 * y;
      s[i] = static_cast<float>(y);
    }
  }
}

void Track::highPass(double hertz) {
  const double w = kTau * hertz / kRate, c = std::cos(w), alpha = std::sin(w) / std::numbers::sqrt2;
  biquad((1 + c) / 2, -(1 + c), (1 + c) / 2, 1 + alpha, -2 * c, 1 - alpha);
}

void Track::bell(double hertz, double db, double q) {
  const double w = kTau * hertz / kRate, c = std::cos(w), alpha = std::sin(w) / (2 * q), a = decibels(db / 2);
  biquad(1 + alpha * a, -2 * c, 1 - alpha * a, 1 + alpha / a, -2 * c, 1 - alpha / a);
}

void Track::highShelf(double hertz, double db) {
  const double w = kTau * hertz / kRate, c = std::cos(w), a = decibels(db / 2),
               r = 2 * std::sqrt(a) * std::sin(w) / std::numbers::sqrt2;
  biquad(a * (a + 1 + (a - 1) * c + r), -2 * a * (a - 1 + (a + 1) * c), a * (a + 1 + (a - 1) * c - r),
         a + 1 - (a - 1) * c + r, 2 * (a - 1 - (a + 1) * c), a + 1 - (a - 1) * c - r);
}

void Track::width(double w) {
  for (std::int64_t i = 0; i < frames(); ++i) {
    float &l = sound.left()[i], &r = sound.right()[i];
    const float m = 0.5f * (l + r), s = 0.5f * static_cast<float>(w) * (l - r);
    l = m + s;
    r = m - s;
  }
}

} // namespace lantern

#include "dsp/shipped_impulses.h"

#include "audio/dither.h"

#include <array>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr int kBands = 7; // octaves from 125 Hz to 8 kHz

/// Gaussian-like noise, −1..1 per drawn number, three summed.
double grain(std::uint64_t seed, std::int64_t i) {
  double sum = 0;
  for (std::uint64_t k = 0; k < 3; ++k)
    sum += static_cast<double>(mix64(seed * 31 + static_cast<std::uint64_t>(i) * 3 + k) >> 11) / 4503599627370496.0 - 1;
  return sum;
}

/// Adds noise of one octave that dies in `t60` seconds and comes up within `rise`.
void addBand(float* x, std::int64_t n, double hz, double t60, double level, double rise, std::uint64_t seed,
             double rate) {
  if (hz * 1.5 > 0.5 * rate) return;
  const double w = 2 * std::numbers::pi * hz / rate, alpha = std::sin(w) / (2 * 1.3), a0 = 1 + alpha;
  const double fall = std::pow(10.0, -3 / (t60 * rate));
  double s1 = 0, s2 = 0, g = level * std::sqrt(1 / hz) * 8;
  for (std::int64_t i = 0; i < n && g > 1e-9; ++i) {
    const double v = grain(seed, i);
    const double y = alpha / a0 * v + s1;
    s1 = 2 * std::cos(w) / a0 * y + s2;
    s2 = -alpha / a0 * v - (1 - alpha) / a0 * y;
    const double t = static_cast<double>(i) / rate;
    const double up = rise > 0 ? 1 - std::exp(-t / rise) : 1;
    x[i] += static_cast<float>(g * up * y);
    g *= fall;
  }
}

void addKnock(float* x, std::int64_t n, double seconds, double level, double rate) {
  const auto at = static_cast<std::int64_t>(seconds * rate);
  if (at < n) x[at] += static_cast<float>(level);
}

/// A struck plate of metal: inharmonic tones, the high ones dying sooner.
void addModes(float* x, std::int64_t n, int count, double lowest, double highest, double t60, std::uint64_t seed,
              double rate) {
  for (int m = 0; m < count; ++m) {
    const auto k = static_cast<std::int64_t>(m);
    const double u = (m + 0.4 * grain(seed, 3 * k) / 3) / (count - 1);
    const double hz = lowest * std::pow(highest / lowest, std::max(0.0, u));
    if (hz > 0.45 * rate) break;
    const double t = t60 * std::pow(lowest / hz, 0.35), level = 0.05 * (1 + 0.5 * grain(seed, 3 * k + 1) / 3);
    const double w = 2 * std::numbers::pi * hz / rate, fall = std::pow(10.0, -3 / (t * rate));
    // A decaying sine by recursion: y(n) = 2r·cos(w)·y(n−1) − r²·y(n−2).
    double y1 = 0, y2 = -level * std::sin(w + grain(seed, 3 * k + 2));
    for (std::int64_t i = 0; i < n; ++i) {
      const double y = 2 * fall * std::cos(w) * y1 - fall * fall * y2;
      y2 = y1;
      y1 = y;
      x[i] += static_cast<float>(y);
    }
  }
}

struct Recipe {
  double seconds;
  std::array<double, kBands> t60, level;
  double rise;
};

void build(StereoBuffer& h, const Recipe& r, std::uint64_t seed, double rate) {
  h.resize(static_cast<std::int64_t>(r.seconds * rate));
  for (int side = 0; side < 2; ++side)
    for (int b = 0; b < kBands; ++b)
      addBand(side == 0 ? h.left() : h.right(), h.frames(), 125 * std::exp2(b), r.t60[static_cast<std::size_t>(b)],
              r.level[static_cast<std::size_t>(b)], r.rise, seed * 100 + static_cast<std::uint64_t>(b * 2 + side),
              rate);
}

} // namespace

const std::vector<ShippedImpulse>& shippedImpulses() {
  static const std::vector<ShippedImpulse> all = {
      {"shipped:stairwell", "Stairwell: tiles, six flights, bright and quick to answer"},
      {"shipped:cistern", "Cistern: water and stone, slow and dark, over five seconds"},
      {"shipped:tin-shed", "Tin shed: short, narrow, the sheet metal rings along"}};
  return all;
}

StereoBuffer shippedImpulse(const std::string& name, double rate) {
  StereoBuffer h;
  if (name == "shipped:stairwell") {
    build(h, {3.0, {2.6, 2.5, 2.2, 1.9, 1.5, 1.0, 0.6}, {0.5, 0.7, 0.9, 1, 1, 0.9, 0.7}, 0.004}, 11, rate);
    for (int flight = 0; flight < 6; ++flight) { // from wall to wall, each floor a little further
      const double t = 0.0113 * (flight + 1) + 0.0017 * flight * flight, level = 0.5 * std::pow(0.72, flight);
      addKnock(h.left(), h.frames(), t, level, rate);
      addKnock(h.right(), h.frames(), t + 0.0031, -level, rate);
    }
  } else if (name == "shipped:cistern") {
    build(h, {6.5, {6.2, 5.8, 5.0, 3.8, 2.5, 1.4, 0.8}, {0.8, 1, 1, 0.8, 0.6, 0.35, 0.2}, 0.045}, 23, rate);
  } else if (name == "shipped:tin-shed") {
    build(h, {1.2, {0.35, 0.4, 0.5, 0.55, 0.5, 0.4, 0.3}, {0.3, 0.6, 0.9, 1, 1, 0.8, 0.5}, 0.002}, 37, rate);
    addModes(h.left(), h.frames(), 36, 210, 5200, 0.9, 41, rate);
    addModes(h.right(), h.frames(), 36, 217, 5350, 0.9, 43, rate);
  } else {
    return h;
  }
  addKnock(h.left(), h.frames(), 0, 0.4, rate);
  addKnock(h.right(), h.frames(), 0, 0.4, rate);
  double energy = 0;
  for (std::int64_t i = 0; i < h.frames(); ++i)
    energy += 0.5 * (h.left()[i] * h.left()[i] + h.right()[i] * h.right()[i]);
  const auto g = static_cast<float>(1 / std::sqrt(energy));
  const std::int64_t fade = h.frames() / 20; // so that it does not stop dead
  for (std::int64_t i = 0; i < h.frames(); ++i) {
    const float end = i < h.frames() - fade ? 1.0f : static_cast<float>(h.frames() - i) / static_cast<float>(fade);
    h.left()[i] *= g * end;
    h.right()[i] *= g * end;
  }
  return h;
}

} // namespace ivrin

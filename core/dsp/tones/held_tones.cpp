#include "dsp/tones/held_tones.h"

#include "audio/chance.h"
#include "dsp/measure/spectrum.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kAttackSeconds = 0.06, kShortSeconds = 0.2, kWindowSeconds = 0.5;
constexpr double kLowestHeldHz = 50, kHighestHz = 16000, kApartHz = 18, kApartShare = 0.02, kReachHz = 25;
constexpr double kUnderStrongestDb = 60;
constexpr double kApartCents = 3, kMostApartHz = 0.7; // of the two beside it: the highs do not flutter
constexpr double kBeside = 0.25, kFarSide = 0.35;     // of those two, against the middle; on their other side
constexpr double kMostOutOfStep = 0.25 * std::numbers::pi;
constexpr std::int64_t kChunk = 64; // frames that a tone goes on by itself: no error gathers

struct Partial {
  double hz, left, right; // amplitudes
};

std::vector<Partial> partialsOf(const MeanSpectrum& m) {
  const std::size_t n = m.left.size();
  if (n < 3) return {};
  std::vector<double> both(n);
  for (std::size_t b = 0; b < n; ++b) both[b] = m.left[b] + m.right[b];
  std::vector<std::pair<double, std::size_t>> peaks; // power, bin
  double strongest = 0;
  for (std::size_t b = 1; b + 1 < n; ++b) {
    const double hz = static_cast<double>(b) * m.hzPerBin;
    if (hz < kLowestHeldHz || hz > kHighestHz) continue;
    if (both[b] > both[b - 1] && both[b] >= both[b + 1]) {
      peaks.emplace_back(both[b], b);
      strongest = std::max(strongest, both[b]);
    }
  }
  std::stable_sort(peaks.begin(), peaks.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<std::size_t> taken;
  for (const auto& [power, bin] : peaks) {
    if (power < strongest * std::pow(10.0, -kUnderStrongestDb / 10) || power < 1e-16) break;
    if (taken.size() >= static_cast<std::size_t>(HeldTones::kMostPartials)) break;
    const double hz = static_cast<double>(bin) * m.hzPerBin;
    if (std::none_of(taken.begin(), taken.end(), [&](std::size_t t) {
          return std::abs(static_cast<double>(t) * m.hzPerBin - hz) < std::max(kApartHz, kApartShare * hz);
        }))
      taken.push_back(bin);
  }
  std::sort(taken.begin(), taken.end());
  std::vector<Partial> all;
  for (std::size_t i = 0; i < taken.size(); ++i) {
    const std::size_t bin = taken[i];
    const double a = std::log(both[bin - 1] + 1e-30), b = std::log(both[bin] + 1e-30),
                 c = std::log(both[bin + 1] + 1e-30);
    const double off = a - 2 * b + c != 0 ? std::clamp(0.5 * (a - c) / (a - 2 * b + c), -0.5, 0.5) : 0.0;
    // All that lies nearer to it than to its neighbours, within reach.
    const double hz = static_cast<double>(bin) * m.hzPerBin;
    const auto reach = static_cast<std::size_t>(std::llround(std::max(kReachHz, kApartShare * hz) / m.hzPerBin));
    const std::size_t from =
        std::max(i > 0 ? (taken[i - 1] + bin) / 2 + 1 : std::size_t{0}, bin > reach ? bin - reach : 0);
    const std::size_t to = std::min(i + 1 < taken.size() ? (bin + taken[i + 1]) / 2 : n - 1, bin + reach);
    double left = 0, right = 0;
    for (std::size_t k = from; k <= std::min(to, n - 1); ++k) {
      left += m.left[k];
      right += m.right[k];
    }
    all.push_back({(static_cast<double>(bin) + off) * m.hzPerBin, std::sqrt(2 * left), std::sqrt(2 * right)});
  }
  return all;
}

} // namespace

HeldTones::HeldTones(double sampleRate, std::uint64_t seed, std::int64_t frames,
                     const std::function<void(std::int64_t, StereoSpan)>& read) {
  const std::int64_t skip =
      static_cast<double>(frames) > kShortSeconds * sampleRate ? std::llround(kAttackSeconds * sampleRate) : 0;
  const std::vector<Partial> partials =
      partialsOf(meanSpectrum(sampleRate, {Frames(skip), Frames(frames)}, kWindowSeconds,
                              [&](Frames from, StereoSpan out) { read(from.count, out); }));
  double power = 0;
  std::vector<Tone> tones;
  Chance draw(mix64(seed));
  const auto add = [&](double hz, double phase, double left, double right) {
    power += 0.25 * (left * left + right * right);
    tones.push_back(
        {2 * std::numbers::pi * hz / sampleRate, phase, static_cast<float>(left), static_cast<float>(right)});
  };
  for (const Partial& p : partials) {
    // In the middle, the sides a little out of step: wide without beating.
    const double phase = 2 * std::numbers::pi * draw.unit(), apart = kMostOutOfStep * (2 * draw.unit() - 1);
    add(p.hz, phase + apart, p.left, 0);
    add(p.hz, phase - apart, 0, p.right);
    const double off = std::min(p.hz * (std::exp2(kApartCents / 1200) - 1), kMostApartHz);
    for (const int side : {-1, 1}) {
      const double near = kBeside, far = kBeside * kFarSide;
      add(p.hz + side * off, 2 * std::numbers::pi * draw.unit(), p.left * (side < 0 ? near : far),
          p.right * (side > 0 ? near : far));
    }
  }
  const auto scale = static_cast<float>(power > 0 ? 1 / std::sqrt(power) : 0);
  tones_ = tones.size();
  lanes_.resize((tones_ + kLanes - 1) / kLanes);
  for (std::size_t i = 0; i < tones_; ++i) {
    Lanes& lane = lanes_[i / kLanes];
    const std::size_t k = i % kLanes;
    lane.step[k] = tones[i].step;
    lane.phase[k] = tones[i].phase;
    lane.twice[k] = 2 * std::cos(tones[i].step);
    lane.left[k] = tones[i].left * scale;
    lane.right[k] = tones[i].right * scale;
  }
}

void HeldTones::render(std::int64_t from, StereoSpan out) {
  out.clear();
  for (std::int64_t done = 0; done < out.frames;) {
    const std::int64_t at = from + done,
                       chunk = at / kChunk * kChunk; // chunks lie at the same places whatever is asked
    const std::int64_t n = std::min(out.frames - done, chunk + kChunk - at);
    for (Lanes& lane : lanes_) {
      for (std::size_t k = 0; k < kLanes; ++k) {
        const double phase = std::fmod(lane.step[k] * static_cast<double>(chunk), 2 * std::numbers::pi) + lane.phase[k];
        lane.now[k] = std::sin(phase);
        lane.before[k] = std::sin(phase - lane.step[k]);
      }
      float* left = out.left + done;
      float* right = out.right + done;
      for (std::int64_t f = chunk; f < at + n; ++f) {
        double sumLeft = 0, sumRight = 0;
        for (std::size_t k = 0; k < kLanes; ++k) {
          sumLeft += lane.left[k] * lane.now[k];
          sumRight += lane.right[k] * lane.now[k];
          const double next = lane.twice[k] * lane.now[k] - lane.before[k];
          lane.before[k] = lane.now[k];
          lane.now[k] = next;
        }
        if (f < at) continue;
        left[f - at] += static_cast<float>(sumLeft);
        right[f - at] += static_cast<float>(sumRight);
      }
    }
    done += n;
  }
}

} // namespace ivrin

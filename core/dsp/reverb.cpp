#include "dsp/reverb.h"

#include "audio/dither.h"
#include "dsp/delay_network.h"
#include "dsp/spring_tank.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

/// −1..1, the same for the same seed and place.
double jitter(std::uint64_t seed, std::uint64_t i) {
  return static_cast<double>(mix64(seed * 7919 + i) >> 11) / 4503599627370496.0 - 1;
}

/// Sixteen lengths from `shortest` to `longest`, evenly spread in pitch and a little out of step, so that no two
/// share a rhythm; not in order, so that neighbours in the mixing matrix differ.
std::array<double, kNetworkLines> spread(double shortest, double longest, double scale, std::uint64_t seed,
                                         std::uint64_t salt, bool every = true) {
  std::array<double, kNetworkLines> out{};
  for (std::size_t i = 0; i < kNetworkLines; ++i) {
    const double u = (static_cast<double>(i) + 0.35 * jitter(seed, salt + i)) / (kNetworkLines - 1);
    if (!every && i % 2 == 0) continue;
    out[(i * 5) % kNetworkLines] = scale * shortest * std::pow(longest / shortest, u);
  }
  return out;
}

/// First- and second-order reflections of a box by mirrored sources (J. B. Allen and D. A. Berkley, "Image method for
/// efficiently simulating small-room acoustics", JASA 65 (1979)), as one ear's taps, the direct sound left out.
std::vector<NetworkDesign::Tap> reflections(double scale, bool right, std::uint64_t seed) {
  const double room[3] = {6.1 * scale, 4.3 * scale, 2.9 * scale};
  const double source[3] = {room[0] * 0.31, room[1] * (0.42 + 0.04 * jitter(seed, 900)), room[2] * 0.45};
  const double ear[3] = {room[0] * 0.68, room[1] * 0.55 + (right ? 0.35 : -0.35) * scale, room[2] * 0.52};
  const double reflected = 0.84;
  std::vector<NetworkDesign::Tap> taps;
  double direct = 0;
  for (int axis = 0; axis < 3; ++axis) direct += std::pow(source[axis] - ear[axis], 2);
  direct = std::sqrt(direct);
  for (int x = -2; x <= 2; ++x)
    for (int y = -2; y <= 2; ++y)
      for (int z = -1; z <= 1; ++z) {
        const int order = std::abs(x) + std::abs(y) + std::abs(z);
        if (order == 0 || order > 2) continue;
        double d2 = 0;
        const int n[3] = {x, y, z};
        for (int axis = 0; axis < 3; ++axis) {
          const int k = n[axis];
          const double image = k % 2 == 0 ? source[axis] + k * room[axis] : (k + 1) * room[axis] - source[axis];
          d2 += std::pow(image - ear[axis], 2);
        }
        const double d = std::sqrt(d2);
        taps.push_back({(d - direct) / 343.0, std::pow(reflected, order) * direct / d * (order % 2 != 0 ? -1 : 1)});
      }
  // The strongest carry the room; the rest is lost in the network's build-up.
  constexpr std::size_t kKept = 6;
  std::sort(taps.begin(), taps.end(), [](const auto& a, const auto& b) { return std::abs(a.gain) > std::abs(b.gain); });
  if (taps.size() > kKept) taps.resize(kKept);
  return taps;
}

NetworkDesign designOf(const ReverbSettings& s) {
  const double size = std::exp2(2 * (std::clamp(s.size, 0.0, 1.0) - 0.5));
  // Very short decays need a space small enough to have its echoes within them; very long ones one with enough modes
  // that none is heard alone (M. R. Schroeder's condition: total length of the lines ≥ 0.15·T60).
  const double decay = std::max(s.decaySeconds, 0.05);
  const double shortened = std::min(1.0, decay / 0.7);
  NetworkDesign d;
  d.decaySeconds = decay;
  d.held = s.held;
  d.seed = s.seed;
  double least = 0.1; // of the highs' decay against the lows', damping 100 %
  std::vector<double> diffusion;
  switch (s.character) {
  case ReverbCharacter::plate: {
    const double scale = size * shortened * std::clamp(std::pow(decay / 3, 0.35), 1.0, 1.7);
    d.line = spread(0.0072, 0.0310, scale, s.seed, 0);
    d.inner = spread(0.0043, 0.0137, scale, s.seed, 100, false);
    diffusion = {0.0019, 0.0031, 0.0053, 0.0086};
    d.diffusionGain = 0.68;
    least = 0.14;
    break;
  }
  case ReverbCharacter::room: {
    const double scale = size * shortened * std::clamp(std::pow(decay / 1.5, 0.35), 1.0, 2.0);
    d.line = spread(0.0094, 0.0362, scale, s.seed, 0);
    d.inner = spread(0.0031, 0.0083, scale, s.seed, 100, false);
    diffusion = {0.0013, 0.0037, 0.0071};
    d.diffusionGain = 0.6;
    d.earlyLeft = reflections(size * shortened, false, s.seed);
    d.earlyRight = reflections(size * shortened, true, s.seed);
    d.early = 0.6;
    least = 0.12;
    break;
  }
  case ReverbCharacter::hall:
  case ReverbCharacter::spring: {
    const double scale = size * shortened * std::clamp(std::pow(decay / 6, 0.35), 1.0, 1.5);
    d.line = spread(0.0310, 0.0890, scale, s.seed, 0);
    d.inner = spread(0.0110, 0.0290, scale, s.seed, 100, false);
    diffusion = {0.0047, 0.0073, 0.0119, 0.0187};
    d.diffusionGain = 0.7;
    least = 0.16;
    break;
  }
  }
  d.innerGain = 0.5;
  const double short_ = shortened * std::sqrt(size);
  for (std::size_t i = 0; i < diffusion.size(); ++i) {
    d.diffusionLeft.push_back(diffusion[i] * short_ * (1 + 0.06 * jitter(s.seed, 500 + i)));
    d.diffusionRight.push_back(diffusion[i] * short_ * 1.09 * (1 + 0.06 * jitter(s.seed, 600 + i)));
  }
  d.dampedSeconds = decay * std::pow(least, std::clamp(s.damping, 0.0, 1.0));
  d.swingSeconds = 0.0007 * std::clamp(s.modulation, 0.0, 1.0);
  return d;
}

} // namespace

class Reverb::Body {
 public:
  virtual ~Body() = default;
  virtual void process(StereoSpan io) = 0;
  virtual std::int64_t memoryFrames() const = 0;
  virtual float stored() const = 0;
};

class Reverb::Network : public Body {
 public:
  Network(const NetworkDesign& d, double rate)
      : network_(d, rate) {
    // A short response has too few echoes for the sides to be even by themselves: measured, and made even.
    constexpr double kEvenByItself = 1.0;
    if (d.decaySeconds >= kEvenByItself) return;
    NetworkDesign plain = d;
    plain.held = false;
    DelayNetwork trial(plain, rate);
    StereoBuffer h(static_cast<std::int64_t>(0.9 * d.decaySeconds * rate) + 1);
    h.left()[0] = h.right()[0] = 1;
    trial.process(h.span());
    double left = 0, right = 0;
    for (std::int64_t i = 0; i < h.frames(); ++i) {
      left += h.left()[i] * h.left()[i];
      right += h.right()[i] * h.right()[i];
    }
    network_.trim(static_cast<float>(std::sqrt(1 / left)), static_cast<float>(std::sqrt(1 / right)));
  }
  void process(StereoSpan io) override { network_.process(io); }
  std::int64_t memoryFrames() const override { return network_.memoryFrames(); }
  float stored() const override { return network_.stored(); }

 private:
  DelayNetwork network_;
};

class Reverb::Springs : public Body {
 public:
  Springs(const SpringDesign& d, double rate)
      : tank_(d, rate) {}
  void process(StereoSpan io) override { tank_.process(io); }
  std::int64_t memoryFrames() const override { return tank_.memoryFrames(); }
  float stored() const override { return tank_.stored(); }

 private:
  SpringTank tank_;
};

Reverb::Reverb(const ReverbSettings& s, double rate) {
  if (s.character == ReverbCharacter::spring)
    body_ = std::make_unique<Springs>(
        SpringDesign{0.042 * std::exp2(s.size - 0.5), s.decaySeconds, s.damping, 0.0004 * s.modulation, s.held, s.seed},
        rate);
  else
    body_ = std::make_unique<Network>(designOf(s), rate);
}

double Reverb::decayAt(const ReverbSettings& s, double hz, double rate) {
  if (s.character == ReverbCharacter::spring) return s.decaySeconds;
  return DelayNetwork::decayAt(designOf(s), hz, rate);
}

Reverb::~Reverb() = default;
Reverb::Reverb(Reverb&&) noexcept = default;

void Reverb::process(StereoSpan io) {
  body_->process(io);
}

std::int64_t Reverb::memoryFrames() const {
  return body_->memoryFrames();
}

float Reverb::stored() const {
  return body_->stored();
}

} // namespace ivrin

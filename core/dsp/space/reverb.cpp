#include "dsp/space/reverb.h"

#include "audio/chance.h"
#include "dsp/space/delay_network.h"
#include "dsp/space/spring_tank.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ivrin {
namespace {

/// −1..1, the same for the same seed and place.
double jitter(std::uint64_t seed, std::uint64_t i) {
  return signedUnitAt(seed * 7919 + i);
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

/// Reflections of a box up to the third order by mirrored sources (J. B. Allen and D. A. Berkley, "Image method for
/// efficiently simulating small-room acoustics", JASA 65 (1979)): what stands on the left of the room and on its right,
/// each as both of two microphones hear it, the direct sound left out.
void addReflections(NetworkDesign& d, double scale, std::uint64_t seed) {
  const double room[3] = {6.1 * scale, 4.3 * scale, 2.9 * scale};
  constexpr double kReflected = 0.84, kSpeed = 343; // of a wall; metres a second
  // The strongest carry the room; the rest is lost in the network's build-up.
  constexpr std::size_t kKept = 6;
  for (int from = 0; from < 2; ++from)
    for (int to = 0; to < 2; ++to) {
      const double source[3] = {room[0] * 0.31, room[1] * ((from == 0 ? 0.36 : 0.63) + 0.02 * jitter(seed, 900)),
                                room[2] * 0.45};
      const double ear[3] = {room[0] * 0.68, room[1] * 0.53 + (to == 0 ? -0.35 : 0.35) * scale, room[2] * 0.52};
      auto& taps = d.early[from][to];
      double direct = 0;
      for (int axis = 0; axis < 3; ++axis) direct += std::pow(source[axis] - ear[axis], 2);
      direct = std::sqrt(direct);
      for (int x = -3; x <= 3; ++x)
        for (int y = -3; y <= 3; ++y)
          for (int z = -3; z <= 3; ++z) {
            const int order = std::abs(x) + std::abs(y) + std::abs(z);
            if (order == 0 || order > 3) continue;
            double d2 = 0;
            const int n[3] = {x, y, z};
            for (int axis = 0; axis < 3; ++axis) {
              const int k = n[axis];
              const double image = k % 2 == 0 ? source[axis] + k * room[axis] : (k + 1) * room[axis] - source[axis];
              d2 += std::pow(image - ear[axis], 2);
            }
            const double path = std::sqrt(d2);
            taps.push_back(
                {(path - direct) / kSpeed, std::pow(kReflected, order) * direct / path * (order % 2 != 0 ? -1 : 1)});
          }
      std::sort(taps.begin(), taps.end(),
                [](const auto& a, const auto& b) { return std::abs(a.gain) > std::abs(b.gain); });
      if (taps.size() > kKept) taps.resize(kKept);
    }
}

/// What tells the characters apart, for the middle size.
struct Character {
  double shortest, longest;           // of the lines, seconds
  double innerShortest, innerLongest; // of the allpasses in every other line
  std::vector<double> diffusion;
  double diffusionGain;
  double tapEvery;      // seconds of a line, on the mean, between two places where a side hears it
  double tapsFrom;      // NetworkDesign's
  double low;           // T60 at 125 Hz against 1 kHz
  double high, highest; // T60 at 8 kHz against 1 kHz with damping 30 % and 100 %
  double steepness;     // of the highs' loss over frequency
  double toneDb;        // of the highs as they come in, damping 30 %
};

constexpr double kUsualDamping = 0.3;

const Character& characterOf(ReverbCharacter c) {
  // Steel: dense at once, bright, dispersive.
  static const Character plate{.shortest = 0.0072,
                               .longest = 0.0310,
                               .innerShortest = 0.0043,
                               .innerLongest = 0.0137,
                               .diffusion = {0.0019, 0.0031, 0.0053, 0.0086},
                               .diffusionGain = 0.68,
                               .tapEvery = 0.016,
                               .tapsFrom = 0,
                               .low = 1,
                               .high = 0.61,
                               .highest = 0.12,
                               .steepness = 1,
                               .toneDb = 0};
  // Plaster and wood, with the reflections of its walls.
  static const Character room{.shortest = 0.0094,
                              .longest = 0.0362,
                              .innerShortest = 0.0031,
                              .innerLongest = 0.0083,
                              .diffusion = {0.0013, 0.0037, 0.0071, 0.0113},
                              .diffusionGain = 0.6,
                              .tapEvery = 0.016,
                              .tapsFrom = 0,
                              .low = 1,
                              .high = 0.51,
                              .highest = 0.10,
                              .steepness = 1.2,
                              .toneDb = -4.5};
  // Air takes the highs, the lows stay; it answers late.
  static const Character hall{.shortest = 0.0310,
                              .longest = 0.0890,
                              .innerShortest = 0.0110,
                              .innerLongest = 0.0290,
                              .diffusion = {0.0047, 0.0073, 0.0119, 0.0187},
                              .diffusionGain = 0.7,
                              .tapEvery = 0.025,
                              .tapsFrom = 0.25,
                              .low = 1.25,
                              .high = 0.30,
                              .highest = 0.07,
                              .steepness = 1.5,
                              .toneDb = -7};
  return c == ReverbCharacter::plate ? plate : c == ReverbCharacter::room ? room : hall;
}

NetworkDesign designOf(const ReverbSettings& s) {
  const Character& c = characterOf(s.character);
  const double size = std::exp2(2 * (std::clamp(s.size, 0.0, 1.0) - 0.5));
  const double decay = std::max(s.decaySeconds, 0.05);
  // Very short decays need a space small enough to have its echoes within them; very long ones one with enough modes
  // that none is heard alone, whatever its size (M. R. Schroeder, "Natural sounding artificial reverberation", JAES 10
  // (1962): total length of the lines ≥ 0.15·T60, a third more here).
  const double shortened = std::min(1.0, decay / 0.7);
  constexpr double kModes = 0.2;
  double total = 0;
  for (const double l : spread(c.shortest, c.longest, 1, s.seed, 0)) total += l;
  const double own = size * shortened, needed = kModes * decay / total;
  const double scale = std::pow(std::pow(own, 4) + std::pow(needed, 4), 0.25);
  NetworkDesign d;
  d.held = s.held;
  d.seed = s.seed;
  d.line = spread(c.shortest, c.longest, scale, s.seed, 0);
  d.inner = spread(c.innerShortest, c.innerLongest, scale, s.seed, 100, false);
  d.innerGain = 0.5;
  d.diffusionGain = c.diffusionGain;
  const double diffused = shortened * std::sqrt(size);
  for (std::size_t i = 0; i < c.diffusion.size(); ++i) {
    d.diffusionLeft.push_back(c.diffusion[i] * diffused * (1 + 0.06 * jitter(s.seed, 500 + i)));
    d.diffusionRight.push_back(c.diffusion[i] * diffused * 1.09 * (1 + 0.06 * jitter(s.seed, 600 + i)));
  }
  d.taps = static_cast<int>(std::clamp(std::round(total * scale / kNetworkLines / c.tapEvery), 2.0, 10.0));
  d.tapsFrom = c.tapsFrom * std::clamp((decay - 0.4) / 0.8, 0.0, 1.0); // no time to build up in
  d.disperses = s.character == ReverbCharacter::plate;
  if (s.character == ReverbCharacter::room) {
    addReflections(d, size * shortened, s.seed);
    d.earlyLevel = 0.6;
  }
  // With damping 0 all frequencies are alike; at 30 % the space is as its character has it.
  const double damping = std::clamp(s.damping, 0.0, 1.0);
  const double power = std::log(std::log(c.high) / std::log(c.highest)) / std::log(kUsualDamping);
  const double usual = std::min(1.0, damping / kUsualDamping);
  d.decay.seconds = decay;
  d.decay.high = damping > 0 ? std::pow(c.highest, std::pow(damping, power)) : 1;
  d.decay.steepness = c.steepness;
  d.decay.low = std::clamp(s.low ? *s.low : std::pow(c.low, usual), 0.25, 4.0);
  d.toneDb = s.held ? 0 : c.toneDb * usual;
  d.swingSeconds =
      std::min(0.0020 * std::clamp(s.modulation, 0.0, 1.0), 0.25 * *std::min_element(d.line.begin(), d.line.end()));
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
    if (d.decay.seconds >= kEvenByItself) return;
    NetworkDesign plain = d;
    plain.held = false;
    DelayNetwork trial(plain, rate);
    StereoBuffer h(static_cast<std::int64_t>(0.9 * d.decay.seconds * rate) + 1);
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
        SpringDesign{0.042 * std::exp2(s.size - 0.5), s.decaySeconds, s.damping, 0.001 * s.modulation, s.held, s.seed},
        rate);
  else
    body_ = std::make_unique<Network>(designOf(s), rate);
}

double Reverb::buildUpSeconds(const ReverbSettings& s) {
  if (s.character == ReverbCharacter::spring) return 0;
  const NetworkDesign d = designOf(s);
  return std::accumulate(d.line.begin(), d.line.end(), 0.0) / kNetworkLines;
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

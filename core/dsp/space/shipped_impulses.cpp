#include "dsp/space/shipped_impulses.h"

#include "audio/chance.h"
#include "dsp/measure/fourier.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr int kPaths = 4; // left to left, right to right, right to left, left to right
using Path = std::vector<float>;

double uniform(std::uint64_t seed, std::uint64_t stream, std::uint64_t i) {
  return unitAt(mix64(mix64(seed) ^ stream) ^ i);
}

/// Gaussian noise by place: G. E. P. Box and M. E. Muller (1958).
double gaussian(std::uint64_t seed, std::uint64_t stream, std::int64_t i) {
  const auto n = static_cast<std::uint64_t>(i) * 2;
  return std::sqrt(-2 * std::log(uniform(seed, stream, n) + 1e-18)) *
         std::cos(2 * std::numbers::pi * uniform(seed, stream, n + 1));
}

/// A curve over octaves from 63 Hz, straight between them over the logarithm of frequency.
double over(const std::array<double, 9>& octaves, double hz) {
  const double at = std::clamp(std::log2(hz / 62.5), 0.0, 8.0);
  const auto k = std::min<std::size_t>(7, static_cast<std::size_t>(at));
  return octaves[k] + (octaves[k + 1] - octaves[k]) * (at - static_cast<double>(k));
}

/// Under the lowest octave nothing rumbles, over the highest nothing hisses: 12 dB an octave.
double colourAt(const ShippedImpulse& s, double hz) {
  double db = over(s.colourDb, hz);
  if (hz < 62.5) db -= 12 * std::log2(62.5 / std::max(hz, 1.0));
  if (hz > 16000) db -= 12 * std::log2(hz / 16000);
  return db;
}

/// Noise (or grains of it) that dies at every frequency in its own time: each short piece of it weighted in the
/// spectrum, overlapped and added (J. B. Allen, "Short term spectral analysis, synthesis, and modification by discrete
/// Fourier transform", IEEE TASSP 25 (1977)).
Path decaying(const ShippedImpulse& s, std::uint64_t path, std::int64_t lead, std::int64_t frames, double rate) {
  const double longest = *std::max_element(s.decaySeconds.begin(), s.decaySeconds.end());
  const std::int64_t size = longest < 0.7 ? 512 : 2048, hop = size / 4; // short beside what dies
  const auto fourier = RealFourier::ofSize(size);
  const auto samples = fourier->samples();
  const auto bins = fourier->spectrum();
  const auto n = static_cast<std::size_t>(fourier->bins());
  std::vector<double> gain(n), fall(n); // of a bin now, and from piece to piece
  for (std::size_t k = 0; k < n; ++k) {
    const double hz = std::max(1.0, static_cast<double>(k) * rate / static_cast<double>(size));
    const double alike = 10 * std::log10(13.8 / over(s.decaySeconds, hz)); // energy, whatever the decay
    // Four Hann windows sum to 2.
    gain[k] = std::pow(10.0, (colourAt(s, hz) + alike) / 20) / (2.0 * static_cast<double>(size));
    fall[k] = std::pow(10.0, -3 * static_cast<double>(hop) / (over(s.decaySeconds, hz) * rate));
  }
  Path noise(static_cast<std::size_t>(lead + frames), 0.0f), out(noise.size(), 0.0f);
  const auto begins = lead + std::llround(s.gapSeconds * rate);
  const double grains = s.grainsPerSecond > 0 ? s.grainsPerSecond / rate : 1;
  for (std::int64_t i = begins; i < lead + frames; ++i) {
    const double t = static_cast<double>(i - begins) / rate;
    const double up = s.riseSeconds > 0 ? 1 - std::exp(-t / s.riseSeconds) : 1;
    const bool there = grains >= 1 || uniform(s.seed, 20 + path, static_cast<std::uint64_t>(i)) < grains;
    if (there) noise[static_cast<std::size_t>(i)] = static_cast<float>(up * gaussian(s.seed, path, i - begins));
  }
  for (std::int64_t at = -size; at < lead + frames; at += hop) {
    for (std::int64_t i = 0; i < size; ++i) {
      const std::int64_t j = at + i;
      const double window =
          0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) / static_cast<double>(size));
      samples.get()[i] = j < 0 || j >= lead + frames
                             ? 0.0f
                             : static_cast<float>(window * static_cast<double>(noise[static_cast<std::size_t>(j)]));
    }
    fourier->forward(samples.get(), bins.get());
    const auto middle = at + size / 2 - lead;
    for (std::size_t k = 0; k < n; ++k) {
      bins.get()[k] *= static_cast<float>(gain[k]);
      if (middle >= 0) gain[k] *= fall[k];
    }
    fourier->inverse(bins.get(), samples.get());
    for (std::int64_t i = 0; i < size; ++i)
      if (at + i >= 0 && at + i < lead + frames) out[static_cast<std::size_t>(at + i)] += samples.get()[i];
  }
  return out;
}

/// A sheet of metal: inharmonic tones that die with the space.
void addModes(const ShippedImpulse& s, std::uint64_t path, Path& x, std::int64_t lead, double rate) {
  for (int m = 0; m < s.modes; ++m) {
    const auto k = static_cast<std::uint64_t>(m);
    const double u = (m + uniform(s.seed, 40 + path, 3 * k)) / s.modes, hz = 190 * std::pow(34.0, u);
    if (hz > 0.45 * rate) break;
    const double level = 0.9 * std::pow(10.0, colourAt(s, hz) / 20) * (0.5 + uniform(s.seed, 40 + path, 3 * k + 1));
    const double w = 2 * std::numbers::pi * hz / rate;
    const double fall = std::pow(10.0, -3 / (over(s.decaySeconds, hz) * rate));
    const double phase = 2 * std::numbers::pi * uniform(s.seed, 40 + path, 3 * k + 2);
    // A decaying sine by recursion: y(n) = 2r·cos(w)·y(n−1) − r²·y(n−2).
    double y1 = level * std::sin(phase), y2 = level / fall * std::sin(phase - w);
    for (std::size_t i = static_cast<std::size_t>(lead); i < x.size(); ++i) {
      x[i] += static_cast<float>(y1);
      const double y = 2 * fall * std::cos(w) * y1 - fall * fall * y2;
      y2 = y1;
      y1 = y;
    }
  }
}

/// The spectra of the four paths brought to the colour that is meant, third of an octave by third, and freed of what
/// they have in common there (modified Gram and Schmidt), with everything smooth between the thirds.
void level(std::vector<Path>& paths, const ShippedImpulse& s, double rate) {
  std::int64_t size = 1024;
  while (size < static_cast<std::int64_t>(paths[0].size())) size *= 2;
  const auto fourier = RealFourier::ofSize(size);
  const auto samples = fourier->samples();
  std::vector<RealFourier::Bins> x;
  for (const Path& p : paths) {
    std::fill_n(samples.get(), size, 0.0f);
    std::copy(p.begin(), p.end(), samples.get());
    x.push_back(fourier->spectrum());
    fourier->forward(samples.get(), x.back().get());
  }
  const double hzPerBin = rate / static_cast<double>(size);
  std::vector<double> centres;
  for (int k = -14; k <= 12 && 1000 * std::exp2(k / 3.0) < 0.44 * rate; ++k)
    centres.push_back(1000 * std::exp2(k / 3.0));
  const auto bandOf = [&](double hz, int side) {
    return static_cast<std::int64_t>(std::ceil(hz * std::exp2(side / 6.0) / hzPerBin));
  };
  // The two thirds each bin lies between.
  const std::int64_t bins = fourier->bins();
  std::vector<std::size_t> third(static_cast<std::size_t>(bins));
  std::vector<float> share(third.size());
  for (std::size_t b = 0; b < third.size(); ++b) {
    const double hz = std::max(1.0, static_cast<double>(b) * hzPerBin);
    const double at = std::clamp(3 * std::log2(hz / centres[0]), 0.0, static_cast<double>(centres.size()) - 1.001);
    third[b] = static_cast<std::size_t>(at);
    share[b] = static_cast<float>(at - static_cast<double>(third[b]));
  }
  std::vector<double> wanted;
  for (std::size_t b = 0; b < third.size(); ++b)
    wanted.push_back(std::pow(10.0, colourAt(s, static_cast<double>(b) * hzPerBin) / 10));
  const auto smooth = [&](const std::vector<double>& v, std::size_t b) {
    const auto here = static_cast<float>(v[third[b]]), next = static_cast<float>(v[third[b] + 1]);
    return here + share[b] * (next - here);
  };
  for (int round = 0; round < 3; ++round)
    for (std::size_t p = 0; p < kPaths; ++p) {
      for (std::size_t q = 0; q < p; ++q) {
        std::vector<double> shared;
        for (const double hz : centres) {
          double both = 0, own = 0;
          for (std::int64_t b = bandOf(hz, -1); b < std::min(bandOf(hz, 1), bins); ++b) {
            both += static_cast<double>((x[p].get()[b] * std::conj(x[q].get()[b])).real());
            own += static_cast<double>(std::norm(x[q].get()[b]));
          }
          shared.push_back(both / (own + 1e-30));
        }
        for (std::size_t b = 0; b < third.size(); ++b) x[p].get()[b] -= smooth(shared, b) * x[q].get()[b];
      }
      std::vector<double> off;
      for (const double hz : centres) {
        double is = 0, meant = 0;
        for (std::int64_t b = bandOf(hz, -1); b < std::min(bandOf(hz, 1), bins); ++b) {
          is += static_cast<double>(std::norm(x[p].get()[b]));
          meant += wanted[static_cast<std::size_t>(b)];
        }
        off.push_back(std::sqrt((meant + 1e-30) / (is + 1e-30)));
      }
      for (std::size_t b = 0; b < third.size(); ++b) x[p].get()[b] *= smooth(off, b);
    }
  for (std::size_t p = 0; p < kPaths; ++p) {
    fourier->inverse(x[p].get(), samples.get());
    std::copy_n(samples.get(), paths[p].size(), paths[p].begin());
  }
}

} // namespace

double ShippedImpulse::decayAt(double hz) const {
  return over(decaySeconds, hz);
}

double ShippedImpulse::colourDbAt(double hz) const {
  return colourAt(*this, hz);
}

const std::vector<ShippedImpulse>& shippedImpulses() {
  // Octaves from 63 Hz to 16 kHz.
  static const std::vector<ShippedImpulse> all = {
      {.name = "shipped:stairwell",
       .meaning = "Stairwell: tiles, six flights, bright and quick to answer",
       .decaySeconds = {2.5, 2.5, 2.4, 2.2, 1.9, 1.55, 1.2, 0.9, 0.65},
       .colourDb = {-9, -5, -2, 0, 0, 0, -1, -3, -7},
       .riseSeconds = 0.004,
       .knocks = 6,
       .knockSeconds = 0.0113,
       .seed = 0x5eed0011},
      {.name = "shipped:cistern",
       .meaning = "Cistern: water and stone, slow and dark, over five seconds",
       .decaySeconds = {6.4, 6.2, 5.8, 5.0, 4.0, 3.0, 2.2, 1.5, 1.0},
       .colourDb = {-3, 0, 0, -1, -3, -6, -10, -15, -21},
       .riseSeconds = 0.045,
       .seed = 0x5eed0023},
      {.name = "shipped:tin-shed",
       .meaning = "Tin shed: short, narrow, the sheet metal rings along",
       .decaySeconds = {0.5, 0.5, 0.5, 0.52, 0.55, 0.5, 0.42, 0.34, 0.27},
       .colourDb = {-16, -10, -4, 0, 2, 1, -2, -6, -12},
       .riseSeconds = 0.002,
       .modes = 44,
       .seed = 0x5eed0037},
      {.name = "shipped:chapel",
       .meaning = "Chapel: stone and wood, even and warm, for voices",
       .decaySeconds = {3.2, 3.2, 3.0, 2.8, 2.6, 2.2, 1.75, 1.3, 0.95},
       .colourDb = {-6, -2, 0, 0, -1, -3, -6, -10, -15},
       .riseSeconds = 0.022,
       .knocks = 3,
       .knockSeconds = 0.0234,
       .seed = 0x5eed0041},
      {.name = "shipped:wardrobe",
       .meaning = "Wardrobe: coats and boards, a quarter of a second, keeps a dry hit from standing in nothing",
       .decaySeconds = {0.36, 0.36, 0.31, 0.27, 0.25, 0.23, 0.2, 0.17, 0.14},
       .colourDb = {-9, -4, 0, 0, -2, -4, -6, -9, -14},
       .riseSeconds = 0.001,
       .knocks = 5,
       .knockSeconds = 0.0019,
       .seed = 0x5eed0097},
      {.name = "shipped:quarry",
       .meaning = "Quarry: open air, the walls far off answer late and grainy",
       .decaySeconds = {2.2, 2.2, 2.25, 2.3, 2.2, 1.9, 1.5, 1.1, 0.8},
       .colourDb = {-13, -8, -3, -1, 0, -1, -4, -9, -16},
       .riseSeconds = 0.03,
       .gapSeconds = 0.085,
       .grainsPerSecond = 900,
       .seed = 0x5eed0067}};
  return all;
}

namespace {

const ShippedImpulse* named(const std::string& name) {
  const auto& all = shippedImpulses();
  const auto found = std::find_if(all.begin(), all.end(), [&](const ShippedImpulse& s) { return name == s.name; });
  return found == all.end() ? nullptr : &*found;
}

/// Until all has fallen 75 dB.
std::int64_t framesOf(const ShippedImpulse& s, double rate) {
  const double longest = *std::max_element(s.decaySeconds.begin(), s.decaySeconds.end());
  return static_cast<std::int64_t>((1.25 * longest + s.gapSeconds) * rate);
}

} // namespace

std::int64_t shippedImpulseFrames(const std::string& name, double rate) {
  const ShippedImpulse* s = named(name);
  return s ? framesOf(*s, rate) : 0;
}

ImpulseResponse shippedImpulse(const std::string& name, double rate) {
  const ShippedImpulse* found = named(name);
  if (!found) return {};
  const ShippedImpulse& s = *found;
  const std::int64_t frames = framesOf(s, rate);
  const auto lead = static_cast<std::int64_t>(0.05 * rate); // where filters without delay begin to sound
  std::vector<Path> paths;
  for (std::uint64_t p = 0; p < kPaths; ++p) {
    paths.push_back(decaying(s, p, lead, frames, rate));
    addModes(s, p, paths.back(), lead, rate);
    double energy = 0;
    for (const float v : paths.back()) energy += static_cast<double>(v) * v;
    // What comes first, straight across and from wall to wall, each a little further and at other times in each path.
    const double share = std::sqrt(0.12 * energy / (1 + s.knocks));
    for (int k = 0; k <= s.knocks; ++k) {
      if (k == 0 && p >= 2) continue; // straight across: to its own side alone
      const double spread = 1 + 0.35 * (uniform(s.seed, 60 + p, static_cast<std::uint64_t>(k)) - 0.5);
      const auto at = lead + std::llround((s.knockSeconds * k + 0.0017 * k * k * s.knockSeconds / 0.0113) *
                                          (k == 0 ? 1 : spread) * rate);
      const double sign = k > 0 && uniform(s.seed, 80 + p, static_cast<std::uint64_t>(k)) < 0.5 ? -1 : 1;
      if (at < lead + frames)
        paths.back()[static_cast<std::size_t>(at)] += static_cast<float>(sign * share * std::pow(0.8, k));
    }
  }
  level(paths, s, rate);
  ImpulseResponse h{StereoBuffer(frames), StereoBuffer(frames)};
  double energy = 0;
  for (const Path& p : paths)
    for (std::size_t i = static_cast<std::size_t>(lead); i < p.size(); ++i)
      energy += 0.5 * static_cast<double>(p[i]) * p[i];
  const double g = 1 / std::sqrt(energy);
  const std::int64_t fade = frames / 20; // so that it does not stop dead
  float* const to[kPaths] = {h.own.left(), h.own.right(), h.across.left(), h.across.right()};
  for (std::size_t p = 0; p < kPaths; ++p)
    for (std::int64_t i = 0; i < frames; ++i) {
      const double end = i < frames - fade ? 1.0 : static_cast<double>(frames - i) / static_cast<double>(fade);
      to[p][i] = static_cast<float>(g * end * static_cast<double>(paths[p][static_cast<std::size_t>(lead + i)]));
    }
  return h;
}

} // namespace ivrin

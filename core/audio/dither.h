// Triangular dither as a pure function of absolute frame, channel and seed, so that ranges agree.
// Spectrum and variance: Lipshitz, Wannamaker, Vanderkooy, "Quantization and Dither", JAES 40 (1992): TPDF of
// 2 LSB width makes mean and variance of the error independent of the signal.
#pragma once

#include <cstdint>

namespace ivrin {

/// SplitMix64 finaliser (Steele, Lea, Flood 2014): a bijective mix of 64 bits.
constexpr std::uint64_t mix64(std::uint64_t z) {
  z += 0x9e3779b97f4a7c15ull;
  z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ull;
  z = (z ^ (z >> 27)) * 0x94d049bb133111ebull;
  return z ^ (z >> 31);
}

/// −1..1 LSB, triangular.
constexpr double tpdf(std::int64_t frame, int channel, std::uint64_t seed) {
  const std::uint64_t h =
      mix64(mix64(static_cast<std::uint64_t>(frame) * 2 + static_cast<std::uint64_t>(channel)) ^ seed);
  const double a = static_cast<double>(h >> 32), b = static_cast<double>(h & 0xffffffffu);
  return (a - b) / 4294967296.0;
}

} // namespace ivrin

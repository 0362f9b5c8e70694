// Sound measured: rooms from their impulse responses, spectra, tones.
#pragma once

#include <cstdint>
#include <vector>

namespace ivrin::test {

/// T30 by backward integration (ISO 3382-1:2009, 5.3.3): the time for 60 dB from the slope between −5 and −35 dB.
double decayTime(const std::vector<double>& response, double rate);
/// Two band-passes in series, `octaves` wide together.
std::vector<double> bandOf(const float* x, std::int64_t n, double hz, double octaves, double rate);
/// The same with edges as steep as can be: in the spectrum, each a raised cosine of a twelfth of an octave.
std::vector<double> exactBand(const float* x, std::int64_t n, double hz, double octaves, double rate);
/// The share of samples outside one standard deviation in 20 ms from `at`, against that of Gaussian noise: 1 when the
/// echoes can no longer be told apart (J. S. Abel and P. Huang, "A simple, robust measure of reverberation echo
/// density", AES 121st Convention (2006)).
double echoDensity(const float* x, std::int64_t at, double rate);

/// Geometric against arithmetic mean of the power spectrum from 100 Hz to 16 kHz (J. D. Johnston, IEEE JSAC 6 (1988)):
/// Gaussian noise gives 0.56, a handful of ringing modes next to nothing.
double spectralFlatness(const float* x, std::int64_t n, double rate);
/// Energy within a third of an octave around each of `centres`.
std::vector<double> thirdOctaves(const float* x, std::int64_t n, const std::vector<double>& centres, double rate);
/// Amplitude-weighted mean of the frequencies of what `n` frames hold.
double spectralCentroid(const float* x, std::int64_t n, double rate);
/// How far a steady tone's pitch moves: RMS in cents over pieces of 10 ms, each weighted by its power.
double pitchMovement(const float* x, std::int64_t n, double hz, double rate);

/// Tones of known frequencies fitted to a sound, by least squares.
struct FittedTones {
  std::vector<double> levels; // amplitudes, as `hz`
  double besideDb;            // power of all else against that of the tones
};
FittedTones fitTones(const float* x, std::int64_t frames, const std::vector<double>& hz, double rate);

} // namespace ivrin::test

// Room acoustics measured from impulse responses.
#pragma once

#include <cstdint>
#include <vector>

namespace ivrin::test {

/// T30 by backward integration (ISO 3382-1:2009, 5.3.3): the time for 60 dB from the slope between −5 and −35 dB.
double decayTime(const std::vector<double>& response, double rate);
/// Two band-passes in series, `octaves` wide together.
std::vector<double> bandOf(const float* x, std::int64_t n, double hz, double octaves, double rate);
/// The share of samples outside one standard deviation in 20 ms from `at`, against that of Gaussian noise: 1 when the
/// echoes can no longer be told apart (J. S. Abel and P. Huang, "A simple, robust measure of reverberation echo
/// density", AES 121st Convention (2006)).
double echoDensity(const float* x, std::int64_t at, double rate);

} // namespace ivrin::test

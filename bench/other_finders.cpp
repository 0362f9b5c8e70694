#include "other_finders.h"

#include "bench.h"

#ifdef IVRIN_BENCH_LIBRARIES
#include <aubio/aubio.h>
#include <qm-dsp/dsp/keydetection/GetKeyMode.h>
#include <qm-dsp/dsp/onsets/DetectionFunction.h>
#include <qm-dsp/dsp/tempotracking/TempoTrackV2.h>
#endif

#include <algorithm>
#include <array>

namespace ivrin::bench {

#ifdef IVRIN_BENCH_LIBRARIES

namespace {

std::vector<double> together(const std::vector<StereoBuffer>& stems) {
  std::vector<double> mono;
  for (const StereoBuffer& s : stems) {
    mono.resize(std::max(mono.size(), static_cast<std::size_t>(s.frames())));
    for (std::int64_t i = 0; i < s.frames(); ++i)
      mono[static_cast<std::size_t>(i)] += 0.5 * static_cast<double>(s.left()[i] + s.right()[i]);
  }
  return mono;
}

/// 60 over the median of what lies between beats, in seconds.
double bpmOf(std::vector<double> beats) {
  std::vector<double> apart;
  for (std::size_t i = 1; i < beats.size(); ++i) apart.push_back(beats[i] - beats[i - 1]);
  if (apart.size() < 4) return 0;
  // The mean over all of those near the median: the steps themselves are of a hundredth of a second.
  std::vector<double> sorted = apart;
  std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2), sorted.end());
  const double median = sorted[sorted.size() / 2];
  double sum = 0;
  int n = 0;
  for (const double a : apart)
    if (a > 0.9 * median && a < 1.1 * median) {
      sum += a;
      ++n;
    }
  return n > 0 ? 60 * n / sum : 0;
}

} // namespace

bool othersAreThere() {
  return true;
}

FoundByOther foundByQmDsp(const std::vector<StereoBuffer>& stems, double rate) {
  FoundByOther found;
  const std::vector<double> mono = together(stems);
  const double begun = now();
  constexpr int kStep = 512, kFrame = 1024;
  DFConfig config{};
  config.stepSize = kStep;
  config.frameLength = kFrame;
  config.DFType = DF_COMPLEXSD;
  config.dbRise = 3;
  config.adaptiveWhitening = false;
  config.whiteningRelaxCoeff = -1;
  config.whiteningFloor = -1;
  DetectionFunction function(config);
  std::vector<double> strength;
  for (std::size_t at = 0; at + kFrame <= mono.size(); at += kStep)
    strength.push_back(function.processTimeDomain(mono.data() + at));
  if (strength.size() > 200) {
    TempoTrackV2 tracker(static_cast<float>(rate), kStep);
    std::vector<double> period(strength.size()), tempi, beats;
    tracker.calculateBeatPeriod(strength, period, tempi);
    tracker.calculateBeats(strength, period, beats);
    for (double& b : beats) b *= kStep / rate;
    found.bpm = bpmOf(beats);
  }
  GetKeyMode keys(static_cast<int>(rate), 440, 10, 10);
  std::array<int, 25> votes{};
  const auto block = static_cast<std::size_t>(keys.getBlockSize()), hop = static_cast<std::size_t>(keys.getHopSize());
  for (std::size_t at = 0; at + block <= mono.size(); at += hop) {
    std::vector<double> part(mono.begin() + static_cast<std::ptrdiff_t>(at),
                             mono.begin() + static_cast<std::ptrdiff_t>(at + block));
    const int key = keys.process(part.data());
    if (key >= 1 && key <= 24) ++votes[static_cast<std::size_t>(key)];
  }
  const auto most = std::max_element(votes.begin(), votes.end()) - votes.begin();
  if (most > 0) found.key = Key{static_cast<int>(most - 1) % 12, most > 12};
  found.seconds = now() - begun;
  return found;
}

FoundByOther foundByAubio(const std::vector<StereoBuffer>& stems, double rate) {
  FoundByOther found;
  const std::vector<double> mono = together(stems);
  const double begun = now();
  constexpr uint_t kWindow = 1024, kHop = 512;
  aubio_tempo_t* tracker = new_aubio_tempo("default", kWindow, kHop, static_cast<uint_t>(rate));
  fvec_t* in = new_fvec(kHop);
  fvec_t* out = new_fvec(1);
  std::vector<double> beats;
  for (std::size_t at = 0; at + kHop <= mono.size(); at += kHop) {
    for (uint_t i = 0; i < kHop; ++i) in->data[i] = static_cast<smpl_t>(mono[at + i]);
    aubio_tempo_do(tracker, in, out);
    if (out->data[0] != 0) beats.push_back(static_cast<double>(aubio_tempo_get_last_s(tracker)));
  }
  found.bpm = bpmOf(beats);
  del_fvec(in);
  del_fvec(out);
  del_aubio_tempo(tracker);
  found.seconds = now() - begun;
  return found;
}

#else

bool othersAreThere() {
  return false;
}
FoundByOther foundByQmDsp(const std::vector<StereoBuffer>&, double) {
  return {};
}
FoundByOther foundByAubio(const std::vector<StereoBuffer>&, double) {
  return {};
}

#endif

} // namespace ivrin::bench

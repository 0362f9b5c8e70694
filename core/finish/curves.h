// The laws that processors follow, as functions: the processors compute with them and drawings are made of them, so
// that what is seen is what is heard. (The law of `tone` is in tone.h.)
#pragma once

#include "dsp/filter/svf.h"
#include "song/settings/settings_view.h"

#include <cmath>
#include <vector>

namespace ivrin {

/// The sections of the filter's high-pass (`low` true) or low-pass, cutoffs to be set; Butterworth, the resonance lifts
/// the sharper section.
std::vector<StereoSvf> filterSections(const SettingsView& filter, bool low, double sampleRate);
/// What turns them down so that pink noise, of which five octaves pass, is as loud with the resonance as without:
/// between two and nine octaves the loudness stays within 3 dB of it. 1 without resonance.
double resonanceGain(const SettingsView& filter);
/// What the filter does to frequencies as its cutoffs stand at `beats` from the ornament's start.
class FilterCurve {
 public:
  FilterCurve(const SettingsView& filter, double beats, double sampleRate);
  double gainDb(double hz) const;

 private:
  std::vector<StereoSvf> sections_;
  double gainDb_ = 0; // what compensates the resonance
};

/// By how much the compressor turns down what is `overDb` over its threshold, dB ≥ 0. `slope` is 1 − 1/ratio.
double compressorReductionDb(double overDb, double slope);
/// Steady level out of the compressor for a level in, dBFS.
double compressorOutDb(const SettingsView& compressor, double inDb);

/// Steps of the level on each side of zero; 0 where none are to be heard.
double dirtSteps(const SettingsView& dirt);
/// The level against which dirt's saturation counts: −12 dBFS.
inline constexpr double kDirtDriveAgainst = 0.25;
/// What dirt makes of a sample, apart from its rate and from its level being made up.
double dirtTransfer(const SettingsView& dirt, double x);

/// The tremolo's gain at a phase in radians; at phase 0 it is open.
inline double tremoloGain(double depth, double phase) {
  return 1 - depth * 0.5 * (1 - std::cos(phase));
}

} // namespace ivrin

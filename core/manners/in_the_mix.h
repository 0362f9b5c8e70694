// A print against the mix that it lands in: from how loud on it is heard there, and up to where it does not jump out.
#pragma once

#include "analysis/phrases.h"
#include "audio/buffer.h"
#include "dsp/dynamics/balance.h"
#include "song/song.h"

#include <optional>

namespace ivrin {

/// What a row's sound is multiplied by on its way to the mix: its own gain and pan, and its bus's; 0 where it is muted.
/// Of the mix itself 1.
SideGains pathToMix(const Song& song, const std::string& row);

/// All gains are of the print, in dB; what does not apply is −200 or 200.
struct MixFit {
  double mixLufs = -200;   // the mix's loudest 400 ms where it is compared
  double printLufs = -200; // the print's loudest 400 ms as it reaches the mix, at gain 0
  double heardDb =
      -200; // least gain: 18 LU under that, and over the mix in three third-octave bands for most of its length
  double quietDb = 200;      // most gain: the mix's loudest 400 ms raised by 2 LU, its sample peak by 1 dB
  double lowsThereDb = -200; // energy under 200 Hz of the mix while the print sounds
  /// How far the print at `gainDb` is under the mix; nothing where there is no mix to be heard in.
  std::optional<double> underMix(double gainDb) const;
};

/// `print` begins at song frame `first` and is looked at until it has fallen by 30 dB. `compared` is where the mix's
/// loudness counts: the bar before, a second and a half before a landing. `mix` is the mix without the print.
MixFit fitInMix(const StereoBuffer& print, Frames first, const RowReader& mix, SideGains path, FrameRange compared,
                double sampleRate);

/// The same of a print whose loudest 400 ms, as it reaches the mix, is known: nothing else of a MixFit is computed.
std::optional<double> underMix(double printLufs, const RowReader& mix, FrameRange compared, double sampleRate);

/// 10 log of the energy (not the mean) under 200 Hz: comparable between a sound and its print whatever their lengths.
double lowEnergyDb(const StereoBuffer& b, double sampleRate);

} // namespace ivrin

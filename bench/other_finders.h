// What libraries find in the same sounds, where they are there to be built with (qm-dsp and aubio, of Debian): what our
// own finding is held against.
#pragma once

#include "audio/buffer.h"
#include "song/song.h"

#include <optional>
#include <vector>

namespace ivrin::bench {

bool othersAreThere();
/// From all stems together, as one sound.
struct FoundByOther {
  double bpm = 0; // 0: none
  std::optional<Key> key;
  double seconds = 0; // that it took
};
FoundByOther foundByQmDsp(const std::vector<StereoBuffer>& stems, double rate);
FoundByOther foundByAubio(const std::vector<StereoBuffer>& stems, double rate);

} // namespace ivrin::bench

// The decoded stems of a song, opened from the store; what is missing or broken is said and stays silent.
#pragma once

#include "audio/stem_store.h"
#include "finish/impulses.h"
#include "song/reach.h"
#include "song/song.h"

#include <map>

namespace ivrin {

class SongAudio {
 public:
  /// Opens every stem file, and the impulse responses, with `threads` threads. Problems are appended in song order with
  /// places "stems[i].file". Bad samples and truncation are errors; the stem is there all the same, so that a window
  /// can open the song.
  static SongAudio open(const Song& song, const Reach& reach, const StemStore& store, Problems& problems,
                        int threads = 2, std::stop_token stop = {}, const Progress& progress = {});
  const std::shared_ptr<const StemAudio>& of(const std::string& stemId) const;
  /// The impulse responses; may be none.
  const std::shared_ptr<const Impulses>& impulses() const { return impulses_; }
  void setImpulses(std::shared_ptr<const Impulses> impulses) { impulses_ = std::move(impulses); }
  void set(const std::string& stemId, std::shared_ptr<const StemAudio> audio) { stems_[stemId] = std::move(audio); }

 private:
  std::map<std::string, std::shared_ptr<const StemAudio>> stems_;
  std::shared_ptr<const Impulses> impulses_;
};

} // namespace ivrin

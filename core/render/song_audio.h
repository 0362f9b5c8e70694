// The decoded stems of a song, opened from the store; what is missing or broken is said and stays silent.
#pragma once

#include "audio/stem_store.h"
#include "files/audio_folders.h"
#include "finish/impulses.h"
#include "song/song.h"

#include <map>

namespace ivrin {

class SongAudio {
 public:
  /// Opens every stem file, and the impulse responses, with `threads` threads; what `known` has of the very same files
  /// is taken over. Problems are appended in song order with places "stems[i].file". Bad samples and truncation are
  /// errors; the stem is there all the same, so that a window can open the song.
  static SongAudio open(const Song& song, const AudioFolders& folders, const StemStore& store, Problems& problems,
                        int threads = 2, std::stop_token stop = {}, const Progress& progress = {},
                        const SongAudio* known = nullptr);
  const std::shared_ptr<const StemAudio>& of(const std::string& stemId) const;
  /// Whether every file of the song was tried: stems and impulse responses.
  bool covers(const Song& song) const;
  /// Those that could be opened, by the stem's id.
  std::map<std::string, std::shared_ptr<const StemAudio>> all() const;
  /// Stems of which a part was not there when it was read.
  std::vector<std::string> damaged() const;
  /// Forgotten, so that it is opened anew.
  void drop(const std::string& stemId) { stems_.erase(stemId); }
  /// The impulse responses; may be none.
  const std::shared_ptr<const Impulses>& impulses() const { return impulses_; }
  void setImpulses(std::shared_ptr<const Impulses> impulses) { impulses_ = std::move(impulses); }
  void set(const std::string& stemId, std::shared_ptr<const StemAudio> audio, std::string file = {}) {
    stems_[stemId] = {std::move(audio), std::move(file)};
  }
  /// Whether the same stems sound.
  bool sameStems(const SongAudio& other) const { return stems_ == other.stems_; }

 private:
  struct Opened {
    std::shared_ptr<const StemAudio> audio; // nothing: it could not be
    std::string file;                       // as the song names it
    friend bool operator==(const Opened&, const Opened&) = default;
  };
  std::map<std::string, Opened> stems_;
  std::shared_ptr<const Impulses> impulses_;
};

} // namespace ivrin

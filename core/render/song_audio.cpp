#include "render/song_audio.h"

#include "render/song_impulses.h"
#include "words/words.h"

#include <algorithm>
#include <atomic>
#include <mutex>
#include <thread>

namespace ivrin {

const std::shared_ptr<const StemAudio>& SongAudio::of(const std::string& stemId) const {
  static const std::shared_ptr<const StemAudio> none;
  const auto it = stems_.find(stemId);
  return it == stems_.end() ? none : it->second.audio;
}

bool SongAudio::covers(const Song& song) const {
  for (const Stem& s : song.stems) {
    const auto it = stems_.find(s.id);
    if (s.file && (it == stems_.end() || it->second.file != *s.file)) return false;
  }
  const auto files = impulseFiles(song);
  return std::all_of(files.begin(), files.end(), [&](const auto& f) { return impulses_ && impulses_->has(f.second); });
}

std::map<std::string, std::shared_ptr<const StemAudio>> SongAudio::all() const {
  std::map<std::string, std::shared_ptr<const StemAudio>> opened;
  for (const auto& [id, one] : stems_)
    if (one.audio) opened[id] = one.audio;
  return opened;
}

std::vector<std::string> SongAudio::damaged() const {
  std::vector<std::string> all;
  for (const auto& [id, opened] : stems_)
    if (opened.audio && opened.audio->damaged()) all.push_back(id);
  return all;
}

SongAudio SongAudio::open(const Song& song, const AudioFolders& folders, const StemStore& store, Problems& problems,
                          int threads, std::stop_token stop, const Progress& progress, const SongAudio* known) {
  const std::size_t n = song.stems.size();
  std::vector<std::shared_ptr<const StemAudio>> audio(n);
  std::vector<Problems> found(n);
  std::vector<std::optional<std::filesystem::path>> files(n);
  SongAudio all;
  if (known) all = *known;
  const auto have = [&](const Stem& s) {
    const auto it = known ? known->stems_.find(s.id) : all.stems_.end();
    return known && it != known->stems_.end() && it->second.file == *s.file;
  };
  for (std::size_t i = 0; i < n; ++i)
    if (song.stems[i].file && !have(song.stems[i]))
      files[i] = resolveAudio(folders, *song.stems[i].file, "stems[" + std::to_string(i) + "].file", found[i]);

  std::atomic<std::size_t> next{0};
  std::vector<std::int64_t> done(n, 0), total(n, 0);
  std::mutex progressMutex;
  const auto each = [&](std::size_t i) {
    const std::string place = "stems[" + std::to_string(i) + "].file";
    const auto report = [&, i](std::int64_t d, std::int64_t t) {
      std::lock_guard lock(progressMutex);
      done[i] = d;
      total[i] = t;
      std::int64_t sumDone = 0, sumTotal = 0;
      for (std::size_t k = 0; k < n; ++k) {
        sumDone += done[k];
        sumTotal += std::max(total[k], k > i ? t : total[k]); // not begun yet: take them to be as long as this one
      }
      progress(sumDone, sumTotal);
    };
    audio[i] = store.open(*files[i], song.sampleRate, place, found[i], stop, progress ? Progress(report) : Progress());
    if (!audio[i]) return;
    if (audio[i]->badSamples() > 0)
      found[i].error(ErrorId::bad_samples, place,
                     worded("%1 has %2 samples that are not numbers", *song.stems[i].file, audio[i]->badSamples()));
    if (audio[i]->truncated())
      found[i].error(ErrorId::broken_audio, place,
                     worded("%1 is cut short: it has less audio than its header says", *song.stems[i].file));
  };
  const auto work = [&] {
    for (std::size_t i = next++; i < n && !stop.stop_requested(); i = next++) {
      if (!files[i]) continue;
      try {
        each(i);
      } catch (const std::exception& e) {
        found[i].error(ErrorId::broken_audio, "stems[" + std::to_string(i) + "].file",
                       *song.stems[i].file + ": " + inWords(e));
      }
    }
  };
  {
    std::vector<std::jthread> pool;
    for (int t = 1; t < threads; ++t) pool.emplace_back(work);
    work();
  }
  if (stop.stop_requested() && known) return *known;
  for (std::size_t i = 0; i < n; ++i) {
    const Stem& s = song.stems[i];
    if (s.file && !have(s)) all.set(s.id, audio[i], *s.file);
    problems.append(std::move(found[i]));
  }
  all.setImpulses(loadImpulses(song, folders, store, all.impulses(), problems, stop));
  return all;
}

} // namespace ivrin

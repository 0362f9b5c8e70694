#include "render/song_impulses.h"

#include "song/each_settings.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

std::vector<std::pair<std::string, std::string>> impulseFiles(const Song& song) {
  std::vector<std::pair<std::string, std::string>> found;
  const auto look = [&](const Settings& s, const std::string& place) {
    const auto character = s.find("character"), file = s.find("impulse_file");
    if (character == s.end() || file == s.end()) return;
    if (!character->second.text() || *character->second.text() != "impulse" || !file->second.text()) return;
    const std::string& name = *file->second.text();
    if (name.starts_with("shipped:")) return;
    if (std::none_of(found.begin(), found.end(), [&](const auto& f) { return f.second == name; }))
      found.emplace_back(place + ".impulse_file", name);
  };
  for (std::size_t i = 0; i < song.ornaments.size(); ++i) {
    const Ornament& o = *song.ornaments[i];
    const std::string at = "ornaments[" + std::to_string(i) + "]";
    eachSettings(o, [&](const std::string&, const Settings& s, const std::string& place) { look(s, at + place); });
  }
  return found;
}

std::shared_ptr<const Impulses> loadImpulses(const Song& song, const AudioFolders& folders, const StemStore& store,
                                             std::shared_ptr<const Impulses> known, Problems& problems,
                                             std::stop_token stop) {
  std::shared_ptr<Impulses> more;
  for (const auto& [place, file] : impulseFiles(song)) {
    if (known && known->has(file)) continue;
    if (file.starts_with("shipped:")) continue;
    if (!more) more = known ? std::make_shared<Impulses>(*known) : std::make_shared<Impulses>();
    std::shared_ptr<const Impulse> impulse;
    if (const auto path = resolveAudio(folders, file, place, problems))
      if (const auto audio = store.open(*path, song.sampleRate, place, problems, stop)) {
        // A little more than the longest, so that the cut is seen and said.
        const auto most = std::llround((kLongestImpulseSeconds + 0.1) * song.sampleRate);
        StereoBuffer h(std::min<std::int64_t>(audio->frames(), most));
        std::copy_n(audio->left(), h.frames(), h.left());
        std::copy_n(audio->right(), h.frames(), h.right());
        impulse = makeImpulse(std::move(h), song.sampleRate, audio->digest());
        if (audio->badSamples() > 0 || audio->truncated())
          problems.error(audio->truncated() ? ErrorId::broken_audio : ErrorId::bad_samples, place,
                         worded(audio->truncated() ? "%1 is cut short" : "%1 has samples that are not numbers", file));
        if (!impulse->note.empty())
          problems.note(ErrorId::refused, place, worded("%1 is long and was %2", file, impulse->note));
      }
    if (stop.stop_requested()) return known;
    more->set(file, impulse); // nothing: known not to be there, and not tried again
  }
  return more ? more : known;
}

} // namespace ivrin

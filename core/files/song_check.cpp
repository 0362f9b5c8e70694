#include "files/song_check.h"

#include "files/audio_folders.h"
#include "files/json.h"
#include "files/song_file.h"
#include "files/song_parts.h"
#include "song/edits.h"
#include "song/limits.h"
#include "words/words.h"

#include <unordered_set>

namespace ivrin {
namespace {

void refuse(Problems& problems, std::string place) {
  problems.error(ErrorId::refused, std::move(place), worded("would change when the song is saved and opened again"));
}

/// All of the song but its ornaments.
Song withoutOrnaments(Song song) {
  song.ornaments = {};
  return song;
}

void checkHead(const Song& head, const Registry& registry, Problems& problems) {
  Problems own;
  const auto again = readSong(writeSong(head, registry), registry, own);
  if (again && !own.hasErrors() && !(*again == head)) refuse(own, again->title == head.title ? "song" : "title");
  problems.append(std::move(own));
}

void checkOrnament(const Ornament& o, const Registry& registry, const std::string& place, Problems& problems) {
  Problems own;
  const auto text = parseJson(prettyJson(ornamentValue(o)), own);
  if (text) {
    const Ornament again = readOrnament(*text, registry, place, own);
    if (!own.hasErrors() && !(again == o)) refuse(own, place);
  } else {
    own = {};
    own.error(ErrorId::syntax, place, worded("has text that is not UTF-8, which a song file cannot store"));
  }
  problems.append(std::move(own));
}

} // namespace

void checkSong(const Song& song, const Registry& registry, Problems& problems, const Song* known) {
  const bool sameGrid = known && song.tempo == known->tempo && song.meter == known->meter;
  checkLimits(song, problems, sameGrid ? known : nullptr);
  const Song head = withoutOrnaments(song);
  const bool sameHead = known && head == withoutOrnaments(*known);
  if (!sameHead) checkHead(head, registry, problems);
  bool sameIds = sameHead && song.ornaments.size() == known->ornaments.size();
  Song changed = head; // and only those ornaments that are not known, wherever they stand
  std::unordered_set<const Ornament*> checked;
  for (std::size_t i = 0; i < song.ornaments.size(); ++i) {
    const Ornament& o = *song.ornaments[i];
    const Ornament* was = known && i < known->ornaments.size() ? known->ornaments[i].get() : nullptr;
    if (was == &o) continue;
    sameIds = sameIds && was && was->id == o.id;
    if (known && checked.empty())
      for (const auto& k : known->ornaments) checked.insert(k.get());
    if (checked.contains(&o)) continue;
    checkOrnament(o, registry, "ornaments[" + std::to_string(i) + "]", problems);
    changed.ornaments.push_back(song.ornaments[i]);
  }
  // Ids that stay as they were stand once; what the changed ones name must still be there.
  checkIds(sameIds ? changed : song, registry, problems);
}

void checkText(const std::string& text, const Song& song, const Registry& registry, const std::filesystem::path& folder,
               Problems& problems) {
  Problems own;
  const auto again = readSong(text, registry, own);
  const auto named = [&](const std::string& path) { return pathForSong(path, folder); };
  if (again && !own.hasErrors() && !(*again == withPaths(song, named))) refuse(own, "song");
  problems.append(std::move(own));
}

} // namespace ivrin

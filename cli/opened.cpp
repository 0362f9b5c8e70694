#include "opened.h"

#include "files/safe_file.h"
#include "files/song_check.h"
#include "files/targets.h"
#include "manners/lead.h"

#include <iostream>
#include <sstream>

namespace ivrin::cli {

void say(const std::string& file, const Problems& problems) {
  for (const Problem& p : problems.list) std::cerr << file << ": " << (p.isError ? "" : "note: ") << p.text() << '\n';
}

std::vector<std::string> listOf(const std::string& commas) {
  std::vector<std::string> items;
  std::istringstream in(commas);
  for (std::string item; std::getline(in, item, ',');)
    if (!item.empty()) items.push_back(item);
  return items;
}

std::optional<OpenedSong> open(const SongOptions& o, Problems& problems) {
  const StemStore store(StemStore::defaultFolder());
  return openSong(o.song, {o.reach.begin(), o.reach.end()}, allKinds(), store, problems);
}

/// An opened song without any error, or nothing with the errors said.
std::optional<OpenedSong> openSound(const SongOptions& o) {
  Problems problems;
  auto opened = open(o, problems);
  say(o.song, problems);
  return problems.hasErrors() ? std::nullopt : std::move(opened);
}

namespace {
void sayErrors(const Problems& problems) {
  for (const Problem& p : problems.list)
    if (p.isError) std::cerr << "ivrin-cli: " << p.text() << '\n';
}
} // namespace

bool writeSongFile(const Song& song, const std::filesystem::path& out) {
  const Registry registry = allKinds().registry();
  const std::filesystem::path folder = plainPath(out).parent_path();
  const std::string text = writeSongFor(song, registry, folder);
  Problems problems;
  checkText(text, song, registry, folder, problems);
  sayErrors(problems);
  std::string why;
  if (problems.hasErrors()) return false;
  if (replaceFile(out, text, why)) return true;
  std::cerr << "ivrin-cli: " << why << '\n';
  return false;
}

int writeEdited(const OpenedSong& was, Song song, const std::string& out, const std::string& done) {
  if (const std::string why = whyNotWritten(out, TargetKind::song, Sources(was.song)); !why.empty()) {
    std::cerr << "ivrin-cli: --out: " << why << '\n';
    return 1;
  }
  const Registry registry = allKinds().registry();
  Problems problems, roomless;
  checkSong(song, registry, problems);
  sayErrors(problems);
  if (problems.hasErrors()) return 1;
  const int lead = song.leadBars;
  Song roomy = withRoomBefore(was.song, song, lead, was.audio.impulses());
  checkSong(roomy, registry, roomless, &song);
  if (!roomless.hasErrors()) song = std::move(roomy);
  if (song.leadBars > lead)
    std::cerr << "note: the song starts " << song.leadBars << (song.leadBars == 1 ? " bar" : " bars")
              << " before its stems now, so that the whole lead-in is heard\n";
  if (!writeSongFile(song, out)) return 1;
  std::cerr << "wrote " << out << (done.empty() ? "" : ": ") << done << '\n';
  return 0;
}

bool isRow(const Song& song, const std::string& option, const std::string& id) {
  if (song.hasRow(id)) return true;
  std::cerr << "ivrin-cli: " << option << ": there is no row \"" << id << "\""
            << didYouMean(id, song.rowsInScoreOrder()) << '\n';
  return false;
}

bool isOrnament(const Song& song, const std::string& option, const std::string& id) {
  if (song.ornament(id)) return true;
  std::vector<std::string> ids;
  for (const auto& o : song.ornaments) ids.push_back(o->id);
  std::cerr << "ivrin-cli: " << option << ": there is no ornament \"" << id << "\"" << didYouMean(id, ids) << '\n';
  return false;
}

} // namespace ivrin::cli

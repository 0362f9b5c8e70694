// Killed at any moment, while it saves or keeps its journal: the song is one that was finished, never half of one.
#include "audio/chance.h"
#include "files/journal.h"
#include "files/safe_file.h"
#include "files/song_file.h"
#include "ornaments/kind.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>

#include <csignal>
#include <fstream>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace ivrin;
using namespace ivrin::test;

namespace {

/// The song after its n-th edit; longer ones follow shorter ones and the other way round.
Song afterEdit(std::int64_t n) {
  Song s;
  s.title = "after edit " + std::to_string(n);
  for (std::int64_t i = 0; i < 1 + n % 40; ++i)
    s.landings.push_back({"l" + std::to_string(i), Beats::ofQuarters(static_cast<double>(4 * i)), "Landing"});
  return s;
}

std::int64_t editOf(const Song& s) {
  return std::stoll(s.title.substr(std::string("after edit ").size()));
}

/// What the killed process had finished, told over a pipe as it went.
struct Finished {
  std::int64_t edit = 0, saved = 0;
};

/// Edits for ever: every edit goes to the journal, every fifth is saved and the journal forgotten, as a window does.
[[noreturn]] void editForEver(const std::filesystem::path& file, const std::filesystem::path& journal, int told) {
  std::string why;
  for (std::int64_t n = 1;; ++n) {
    const std::string text = writeSong(afterEdit(n), allKinds().registry());
    if (!writeJournal(journal, {file.string(), "", text}, why)) _exit(1);
    Finished f{n, 0};
    if (write(told, &f, sizeof f) != sizeof f) _exit(1);
    if (n % 5 == 0) {
      if (!replaceFile(file, text, why, 3)) _exit(1);
      std::error_code none;
      std::filesystem::remove(journal, none);
      f.saved = n;
      if (write(told, &f, sizeof f) != sizeof f) _exit(1);
    }
  }
}

} // namespace

TEST_CASE("killed a hundred times, the song opens as it was at the last finished edit or save", "[song][heavy]") {
  const TempFolder dir;
  const auto file = dir / "song.ivrin", journal = journalFor(dir.path(), file);
  Chance chance(17);
  int fromJournal = 0, saves = 0;
  pid_t dead = 0; // a process that is no more
  for (int kill = 0; kill < 100; ++kill) {
    std::filesystem::remove(file);
    std::filesystem::remove(journal);
    int told[2];
    REQUIRE(pipe(told) == 0);
    const pid_t child = fork();
    REQUIRE(child >= 0);
    if (child == 0) {
      close(told[0]);
      editForEver(file, journal, told[1]);
    }
    close(told[1]);
    // Some steps are told, then it is killed within the next ones.
    Finished last, f;
    const auto hear = [&] {
      if (read(told[0], &f, sizeof f) != sizeof f) return false;
      last = {f.edit, std::max(last.saved, f.saved)};
      return true;
    };
    for (auto steps = static_cast<int>(14 * chance.unit()); steps > 0; --steps) REQUIRE(hear());
    std::this_thread::sleep_for(std::chrono::microseconds(static_cast<int>(2000 * chance.unit())));
    REQUIRE(::kill(child, SIGKILL) == 0);
    int status = 0;
    REQUIRE(waitpid(child, &status, 0) == child);
    REQUIRE(WIFSIGNALED(status));
    dead = child;
    while (hear()) {
    }
    close(told[0]);
    INFO("kill " << kill << " after edit " << last.edit << ", saved " << last.saved);
    // The file: nothing before the first save, else the last save told, or the one that was under way.
    std::int64_t inFile = 0;
    if (std::filesystem::exists(file)) {
      Problems p;
      const auto song = readSongFile(file, allKinds().registry(), p);
      REQUIRE(song);
      inFile = editOf(*song);
      REQUIRE(*song == afterEdit(inFile));
      ++saves;
    }
    REQUIRE((inFile == last.saved || (inFile == last.edit && inFile % 5 == 0) || inFile == last.edit + 1));
    // The journal: the last edit told or the one under way; gone only if the file holds that.
    Problems p;
    const auto j = readJournal(journal, p);
    REQUIRE_FALSE(p.hasErrors());
    std::int64_t newest = inFile;
    if (j) {
      const auto song = readSong(j->song, allKinds().registry(), p);
      REQUIRE(song);
      newest = std::max(newest, editOf(*song));
      REQUIRE(*song == afterEdit(editOf(*song)));
      ++fromJournal;
    }
    REQUIRE(newest >= last.edit);
    REQUIRE(newest <= last.edit + 1);
  }
  CHECK(fromJournal > 30);
  CHECK(saves > 30);
  // What was half written lies beside it, and goes with the next save that finds it a minute old.
  const auto halves = [&] {
    std::vector<std::filesystem::path> all;
    for (const auto& entry : std::filesystem::directory_iterator(dir.path()))
      if (entry.path().filename().string().rfind("song.ivrin.new-", 0) == 0) all.push_back(entry.path());
    return all;
  };
  const auto own = dir / ("song.ivrin.new-" + std::to_string(getpid())), other = dir / "song.ivrin.new-x";
  const std::string gone = std::to_string(dead);
  const auto twisted = dir / ("song.ivrin.new-" + gone + "x"), dashed = dir / ("song.ivrin.new-" + gone + "-x");
  for (const auto& half : {own, other, twisted, dashed, dir / ("song.ivrin.new-" + std::to_string(dead))})
    std::ofstream(half) << "half";
  CHECK(halves().size() >= 3);
  std::string why;
  for (const auto& half : halves())
    std::filesystem::last_write_time(half, std::filesystem::file_time_type::clock::now() - std::chrono::minutes(2));
  REQUIRE(replaceFile(file, "whole", why));
  // What a process that lives is writing stays, and what has no such name.
  const auto sorted = [](std::vector<std::filesystem::path> all) {
    std::sort(all.begin(), all.end());
    return all;
  };
  CHECK(sorted(halves()) == sorted({own, other, twisted, dashed}));
}

// Who works on something; what windows left that ended before they saved; a page of a mapping that has gone.
#include "audio/chance.h"
#include "audio/mapped_file.h"
#include "audio/stem_store.h"
#include "document/document.h"
#include "files/held_file.h"
#include "files/journal.h"
#include "files/safe_file.h"
#include "finish/starting_points.h"
#include "render/export.h"
#include "render/relink.h"
#include "services/opening.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <csignal>
#include <fcntl.h>
#include <fstream>
#include <sys/stat.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace ivrin;
using namespace ivrin::test;
namespace fs = std::filesystem;

TEST_CASE("a file is held by one of all processes, and by nobody when that one has ended", "[held][song]") {
  const TempFolder dir;
  const fs::path lock = dir / ".song.ivrin.lock";
  CHECK(lockOf(dir / "song.ivrin") == lock);
  std::ofstream(dir / "song.ivrin") << "x";
  fs::create_symlink(dir / "song.ivrin", dir / "other-name.ivrin");
  CHECK(lockOf(dir / "other-name.ivrin") == lock);
  {
    const auto mine = HeldFile::take(lock);
    REQUIRE(mine.held);
    CHECK(HeldFile::isHeld(lock));
    const auto second = HeldFile::take(lock);
    CHECK_FALSE(second.held);
    REQUIRE(second.by);
    CHECK(second.by->process == ::getpid());
    CHECK(second.by->onThisMachine());
  }
  CHECK_FALSE(fs::exists(lock));
  CHECK_FALSE(HeldFile::isHeld(lock));
  // A process that was killed holds nothing, though its file is there.
  int told[2];
  REQUIRE(::pipe(told) == 0);
  const pid_t child = ::fork();
  REQUIRE(child >= 0);
  if (child == 0) {
    const auto theirs = HeldFile::take(lock);
    char ok = theirs.held ? 'y' : 'n';
    if (::write(told[1], &ok, 1) != 1) _exit(1);
    ::pause();
    _exit(0);
  }
  char ok = 0;
  REQUIRE(::read(told[0], &ok, 1) == 1);
  CHECK(ok == 'y');
  const auto held = HeldFile::take(lock);
  REQUIRE(held.by);
  CHECK(held.by->process == child);
  ::kill(child, SIGKILL);
  int status = 0;
  REQUIRE(::waitpid(child, &status, 0) == child);
  CHECK(fs::exists(lock));
  CHECK_FALSE(HeldFile::isHeld(lock));
  CHECK(HeldFile::take(lock).held);
  // Where none can be made nobody has it, and nobody waits.
  const auto none = HeldFile::take(dir / "no-such-folder" / "lock");
  CHECK_FALSE(none.held);
  CHECK_FALSE(none.by);
  fs::create_symlink(dir / "elsewhere", dir / "link");
  CHECK_FALSE(HeldFile::take(dir / "link").held); // links are not followed: nothing is made elsewhere
  CHECK_FALSE(fs::exists(dir / "elsewhere"));
  ::close(told[0]);
  ::close(told[1]);
}

TEST_CASE("of many that want it at once one has it, every time", "[held][song][threads]") {
  const TempFolder dir;
  const fs::path lock = dir / "lock";
  std::atomic<int> holding{0}, most{0}, taken{0};
  std::vector<std::jthread> all;
  for (int t = 0; t < 4; ++t)
    all.emplace_back([&] {
      for (int i = 0; i < tries(600); ++i)
        if (const auto mine = HeldFile::take(lock); mine.held) {
          const int now = ++holding;
          int seen = most;
          while (now > seen && !most.compare_exchange_weak(seen, now)) {
          }
          ++taken;
          --holding;
        }
    });
  all.clear();
  CHECK(most == 1);
  CHECK(taken > 0);
  CHECK_FALSE(fs::exists(lock));
}

TEST_CASE("journals: each window its own, what was left is found, what is being written is not", "[held][song]") {
  const TempFolder dir;
  const fs::path song = dir / "song.ivrin";
  std::string why;
  Problems told;
  auto one = JournalPlace::fresh(dir.path(), song), two = JournalPlace::fresh(dir.path(), song);
  REQUIRE(one);
  REQUIRE(two);
  CHECK(one->file() != two->file());
  REQUIRE(writeJournal(one->file(), {song.string(), "base", "song one", 3}, why));
  REQUIRE(writeJournal(two->file(), {song.string(), "base", "song two", 5}, why));
  CHECK(leftJournals(dir.path(), song, told).empty()); // both live
  const fs::path left = two->file();
  two.reset();
  auto found = leftJournals(dir.path(), song, told);
  REQUIRE(found.size() == 1);
  CHECK(found[0].path == left);
  CHECK(found[0].journal.song == "song two");
  CHECK(found[0].journal.edits == 5);
  CHECK(leftJournals(dir.path(), std::nullopt, told).size() == 1);
  CHECK(leftJournals(dir.path(), dir / "other.ivrin", told).empty());
  // The next window has a place of its own: what was left is not written over.
  auto three = JournalPlace::fresh(dir.path(), song);
  REQUIRE(three);
  CHECK(three->file() != left);
  CHECK(three->file() != one->file());
  // Taken up, it is left no more.
  auto taken = JournalPlace::leftAt(left);
  REQUIRE(taken);
  CHECK_FALSE(JournalPlace::leftAt(left));
  CHECK(leftJournals(dir.path(), song, told).empty());
  // Through a link, under a name with dots, of a name longer than file names are: the same journal, one that can be
  // had.
  std::ofstream(song) << "x";
  fs::create_symlink(song, dir / "link.ivrin");
  CHECK(journalFor(dir.path(), dir / "link.ivrin") == journalFor(dir.path(), song));
  CHECK(journalFor(dir.path(), dir.path() / "x" / ".." / "song.ivrin") == journalFor(dir.path(), song));
  std::string longStem(240, 'n');
  longStem.append(".ivrin");
  const fs::path longName = journalFor(dir.path(), dir / longStem, 12);
  CHECK(longName.filename().string().size() < 120);
  CHECK(told.list.empty());
  // One that cannot be read is told of once, and kept; one of a newer version is told of and stays.
  three.reset();
  const fs::path bad = journalFor(dir.path(), song, 9), later = journalFor(dir.path(), song, 10);
  for (const char* text : {"{", "", R"({"format": "ivrin-journal", "song": "x"})"}) {
    INFO(text);
    Problems damaged, again;
    std::ofstream(bad) << text;
    CHECK(leftJournals(dir.path(), song, damaged).empty());
    REQUIRE(damaged.list.size() == 1);
    CHECK(damaged.list[0].message.find("They are kept as " + bad.string() + ".damaged") != std::string::npos);
    CHECK_FALSE(fs::exists(bad));
    CHECK(leftJournals(dir.path(), song, again).empty());
    CHECK(again.list.empty());
  }
  CHECK(fs::exists(bad.string() + ".damaged-3"));
  std::ofstream(later) << R"({"format": "ivrin-journal", "version": 2, "song": "x"})";
  CHECK(leftJournals(dir.path(), song, told).empty());
  REQUIRE(told.list.size() == 1);
  CHECK(told.list[0].message.find("newer version of Ivrin") != std::string::npos);
  CHECK(fs::exists(later));
  // One of this name that was written for another song is not this one's; what is no folder is told of.
  Problems other;
  REQUIRE(writeJournal(journalFor(dir.path(), song, 11), {(dir / "other.ivrin").string(), "base", "x", 1}, why));
  for (const auto& l : leftJournals(dir.path(), song, other)) CHECK(l.journal.song != "x");
  Problems nowhere;
  CHECK(leftJournals(song, std::nullopt, nowhere).empty());
  REQUIRE(nowhere.list.size() == 1);
  CHECK(nowhere.list[0].message.find("Recovery failed") != std::string::npos);
}

TEST_CASE("a page that has no file under it any more is silence, and the process goes on", "[held][audio]") {
  const TempFolder dir;
  const fs::path file = dir / "mapped";
  std::ofstream(file) << std::string(8 * 4096, 'x');
  const int fd = ::open(file.c_str(), O_RDONLY);
  const auto map = MappedFile::map(fd, 8 * 4096), other = MappedFile::map(fd, 8 * 4096);
  ::close(fd);
  REQUIRE(map);
  REQUIRE(other);
  CHECK(map->data()[5 * 4096] == 'x');
  fs::resize_file(file, 3 * 4096);
  CHECK_FALSE(map->damaged());
  CHECK(map->data()[2 * 4096 + 17] == 'x'); // still there
  CHECK_FALSE(map->damaged());
  CHECK(map->data()[3 * 4096] == 0);
  CHECK(map->damaged());
  CHECK_FALSE(other->damaged()); // nobody has read that one
  int sum = 0;
  std::vector<std::jthread> readers; // from any thread, many at once
  for (int t = 0; t < 4; ++t)
    readers.emplace_back([&] {
      volatile const char* p = other->data();
      for (int i = 3 * 4096; i < 8 * 4096; i += 64) {
        const char c = p[i];
        if (c != 0) std::abort();
      }
    });
  readers.clear();
  for (int i = 0; i < 8 * 4096; ++i) sum += other->data()[i] != 0;
  CHECK(sum == 3 * 4096);
  CHECK(other->damaged());
}

TEST_CASE("every byte of a stem's copy in the cache is held by a checksum", "[held][audio]") {
  const TempFolder dir;
  writeWav(dir / "v.wav", 48000, 2, 300000, noise(3, 0.4)); // more than two blocks of them
  const StemStore store(dir / "cache");
  const auto open = [&] {
    Problems p;
    auto a = store.open(dir / "v.wav", 48000, "stems[0].file", p);
    REQUIRE(a);
    return a;
  };
  CHECK(open()->verify());
  fs::path file;
  for (const auto& e : fs::directory_iterator(dir / "cache" / "stems")) file = e.path();
  const auto size = static_cast<std::int64_t>(fs::file_size(file));
  Chance chance(5);
  int found = 0;
  const int n = tries(200);
  for (int i = 0; i < n; ++i) {
    const auto at = static_cast<std::streamoff>(chance.unit() * static_cast<double>(size));
    char was = 0;
    const auto put = [&](bool back) {
      std::fstream f(file, std::ios::in | std::ios::out | std::ios::binary);
      f.seekg(at);
      if (!back) was = static_cast<char>(f.get());
      f.seekp(at);
      f.put(back ? was : static_cast<char>(was ^ 0x10));
    };
    put(false);
    // In the header or the table: brought in anew at once; in the samples or peaks: found by verify.
    const auto inode = [&] {
      struct stat st {};
      ::stat(file.c_str(), &st);
      return st.st_ino;
    };
    const auto before = inode();
    const auto a = open();
    const bool anew = inode() != before;
    if (anew || !a->verify()) ++found;
    if (!anew) put(true);
  }
  // What is left are the rests of pages that nothing is read from.
  CHECK(found >= n * 95 / 100);
  CHECK(open()->verify());
}

namespace {

/// Somebody to whom nothing here belongs; where tests do not run as root, folders are closed instead.
class Nobody {
 public:
  explicit Nobody(const fs::path& folder)
      : folder_(folder) {
    fs::permissions(folder_, fs::perms::none);
    if (::geteuid() == 0) static_cast<void>(!::seteuid(65534));
  }
  ~Nobody() {
    if (::getuid() == 0) static_cast<void>(!::seteuid(0));
    fs::permissions(folder_, fs::perms::owner_all);
  }
  Nobody(const Nobody&) = delete;
  Nobody& operator=(const Nobody&) = delete;

 private:
  fs::path folder_;
};

} // namespace

TEST_CASE("in a folder of somebody else all work says why it cannot be done, and nothing ends the process",
          "[held][song][audio]") {
  const Registry registry = allKinds().registry();
  const TempFolder dir, mine;
  writeWav(dir / "v.wav", 48000, 1, 4800, noise(1, 0.3));
  writeWav(mine / "v.wav", 48000, 1, 4800, noise(1, 0.3));
  Song song;
  song.title = "s";
  std::ofstream(dir / "s.ivrin") << writeSong(song, registry);
  TestSong t;
  t.stem("v", 4800, sine(440, 48000, 0.3));
  const auto plan = t.plan();
  std::string long1(255, 'n');
  long1.append(".ivrin");
  const Nobody nobody(dir.path());
  for (const std::string& name :
       {std::string("s.ivrin"), std::string("new.ivrin"), long1, std::string("a/b/c.ivrin")}) {
    INFO(name);
    std::string why;
    CHECK_FALSE(replaceFile(dir / name, "x", why, 3));
    CHECK(why.find(name) != std::string::npos);
    Problems p;
    CHECK_FALSE(readSongFile(dir / name, registry, p));
    CHECK(p.hasErrors());
    Document d(registry);
    d.adopt(song, {}, {});
    CHECK_FALSE(d.save(dir / name).why.empty());
    CHECK_FALSE(HeldFile::take(lockOf(dir / name)).held);
    CHECK_FALSE(HeldFile::isHeld(lockOf(dir / name)));
  }
  std::string why;
  Problems told;
  CHECK_FALSE(writeJournal(dir / "j" / "x.json", {}, why));
  CHECK_FALSE(JournalPlace::fresh(dir / "j", dir / "s.ivrin"));
  CHECK(leftJournals(dir / "j", dir / "s.ivrin", told).empty());
  CHECK(leftWithoutFile(dir / "j").edits.empty());
  CHECK_FALSE(keepStartingPoint(dir.path(), {"x", {}, {}}, why));
  Problems p;
  CHECK(startingPointsIn(dir.path(), registry, p).empty());
  const StemStore store(dir / "cache");
  CHECK_FALSE(store.open(dir / "v.wav", 48000, "stems[0].file", p));
  CHECK_FALSE(openDocument(dir / "s.ivrin", {dir / "j"}, store, {}, {}).opened);
  CHECK_FALSE(beginDocument({dir / "v.wav"}, 120, store, {}, {}).opened);
  CHECK(findStems(t.song, {"v"}, dir.path(), store).empty());
  CHECK(p.list.size() == 2); // the folder of presets, the stem
  for (const fs::path& out : {dir.path(), dir / "out", dir / "a" / "b"}) {
    std::string said;
    try {
      exportSong(plan, out, {});
    } catch (const std::exception& e) {
      said = e.what();
    }
    CHECK(said.find(dir.path().string()) != std::string::npos);
  }
}

// Killed at any moment, and disks that are full after any number of bytes.
#include "stress.h"

#include "document/document.h"
#include "files/journal.h"
#include "files/safe_file.h"
#include "finish/starting_points.h"
#include "render/export.h"
#include "services/opening.h"
#include "test_support/full_disk.h"
#include "test_support/signals.h"

#include <csignal>
#include <fstream>
#include <poll.h>
#include <sys/wait.h>
#include <unistd.h>

namespace ivrin::test {
namespace {
namespace fs = std::filesystem;

/// Runs `forEver` in a process of its own and kills it after a while by chance; the last number it told.
std::int64_t killed(Chance& chance, int mostMicroseconds,
                    const std::function<void(const std::function<void(std::int64_t)>&)>& forEver) {
  int told[2];
  if (::pipe(told) != 0) return -1;
  const pid_t pid = ::fork();
  if (pid == 0) {
    ::close(told[0]);
    forEver([&](std::int64_t n) {
      if (::write(told[1], &n, sizeof n) != sizeof n) ::_exit(0);
    });
    ::_exit(0);
  }
  ::close(told[1]);
  // A moment after a number of its words: not of the clock, so that a busy machine makes no difference.
  std::int64_t last = 0, n = 0;
  for (int words = 1 + chance.below(12); words > 0 && ::read(told[0], &n, sizeof n) == sizeof n; --words) last = n;
  struct pollfd p {
    told[0], POLLIN, 0
  };
  const struct timespec moment { 0, 1000L * chance.below(static_cast<std::size_t>(mostMicroseconds)) };
  ::nanosleep(&moment, nullptr);
  ::kill(pid, SIGKILL);
  int status = 0;
  ::waitpid(pid, &status, 0);
  while (::poll(&p, 1, 0) == 1 && ::read(told[0], &n, sizeof n) == sizeof n) last = n;
  ::close(told[0]);
  return last;
}

Song afterEdit(std::int64_t n) {
  Song s;
  s.title = std::to_string(n);
  for (std::int64_t i = 0; i < 1 + n % 40; ++i)
    s.landings.push_back({"l" + std::to_string(i), Beats::ofQuarters(static_cast<double>(4 * i)), "Landing"});
  return s;
}

std::size_t leftovers(const fs::path& folder) {
  std::size_t n = 0;
  for (const auto& e : fs::recursive_directory_iterator(folder))
    n += e.path().filename().string().find(".new-") != std::string::npos;
  return n;
}

} // namespace

Tally windowKills(std::int64_t count) {
  return tryInProcesses(
      "killed while editing and saving", count, {60, 4096},
      [](std::int64_t, Chance& chance, const std::string& folder) -> Tried {
        const Registry registry = allKinds().registry();
        const fs::path file = fs::path(folder) / "s.ivrin", journal = fs::path(folder) / "journal";
        fs::remove_all(journal);
        for (const auto& e : fs::directory_iterator(folder)) fs::remove(e.path());
        std::ofstream(file) << writeSong(afterEdit(0), registry);
        const std::int64_t last = killed(chance, 2000, [&](const auto& tell) {
          Document d(registry, journal);
          SongPlace place;
          place.file = file;
          place.savedText = writeSong(afterEdit(0), registry);
          place.held = HeldFile::take(lockOf(file)).held;
          d.adopt(afterEdit(0), {folder, {}}, std::move(place));
          for (std::int64_t n = 1;; ++n) {
            d.edit("edit", afterEdit(n));
            d.waitForJournal();
            tell(n);
            if (n % 5 == 0) d.save(file);
          }
        });
        const StemStore store(fs::path(folder) / "cache");
        const OpenedDocument d = openDocument(file, {journal}, store, {}, {});
        if (d.heldBy) return {Verdict::failed, "the lock of a process that is gone holds"};
        if (!d.opened) return {Verdict::failed, "the song cannot be opened"};
        if (!d.left.empty()) return {Verdict::failed, "what it left is not brought back by itself"};
        const Song& song = d.broughtBack ? *d.broughtBack : d.opened->song;
        const std::int64_t n = std::stoll(song.title);
        if (n < last || n > last + 1)
          return {Verdict::failed, "edit " + std::to_string(n) + " after " + std::to_string(last) + " was told"};
        if (!(song == afterEdit(n))) return {Verdict::failed, "it is not the song of that edit"};
        return {};
      });
}

Tally importKills(std::int64_t count) {
  return tryInProcesses("killed while bringing in a stem", count, {60, 2048},
                        [](std::int64_t, Chance& chance, const std::string& folder) -> Tried {
                          const fs::path file = fs::path(folder) / "v.wav", cache = fs::path(folder) / "cache";
                          if (!fs::exists(file)) writeWav(file, 44100, 2, 120000, noise(7, 0.4));
                          fs::remove_all(cache);
                          const StemStore store(cache);
                          killed(chance, 12000, [&](const auto& tell) {
                            for (std::int64_t n = 1;; ++n) {
                              std::error_code none;
                              fs::remove_all(cache / "stems", none);
                              tell(n);
                              Problems p;
                              store.open(file, 44100, "", p);
                              tell(n);
                            }
                          });
                          std::error_code none;
                          fs::create_directories(cache, none);
                          if (leftovers(cache) > 0) return {Verdict::failed, "something half written is left"};
                          Problems p;
                          const auto a = store.open(file, 44100, "stems[0].file", p);
                          if (!a || !a->verify()) return {Verdict::failed, "it does not open"};
                          static const StereoBuffer wanted = fill(120000, noise(7, 0.4));
                          if (!std::equal(wanted.left(), wanted.left() + 120000, a->left()))
                            return {Verdict::failed, "another sound"};
                          return {};
                        });
}

Tally exportKills(std::int64_t count) {
  // Two songs in turns, so that a file of one cannot be taken for one of the other.
  const auto songOf = [](float level) {
    auto t = std::make_unique<TestSong>();
    for (const char* id : {"a", "b"}) t->stem(id, 40000, [level](std::int64_t, int) { return level; });
    return t;
  };
  const auto one = songOf(0.25f), two = songOf(0.5f);
  const auto planOne = one->plan(), planTwo = two->plan();
  return tryInProcesses(
      "killed while exporting", count, {60, 4096},
      [&](std::int64_t i, Chance& chance, const std::string& folder) -> Tried {
        const fs::path out = fs::path(folder) / "out";
        fs::remove_all(out);
        ExportOptions e;
        e.stems = true;
        e.threads = 1;
        e.format = i % 2 ? AudioFormat::flac24 : AudioFormat::wav24;
        killed(chance, 6000, [&](const auto& tell) {
          for (std::int64_t n = 1;; ++n) {
            exportSong(n % 2 ? planOne : planTwo, out, e);
            tell(n);
          }
        });
        // In the moment in which a file over another has two names one may be left; the next export takes it away.
        if (leftovers(out) > 1) return {Verdict::failed, "more than one thing half written is left"};
        if (leftovers(out) == 1) {
          for (const auto& f : fs::recursive_directory_iterator(out))
            if (f.path().filename().string().find(".new-") != std::string::npos)
              fs::last_write_time(f.path(), fs::file_time_type::clock::now() - std::chrono::minutes(2));
          exportSong(planOne, out, e);
          if (leftovers(out) > 0) return {Verdict::failed, "what was half written stays"};
        }
        for (const auto& f : fs::recursive_directory_iterator(out)) {
          if (f.is_directory() || f.path().filename().string().starts_with("mix")) continue;
          Problems p;
          const auto reader = AudioReader::open(f.path(), 48000, "", p);
          if (!reader) return {Verdict::failed, f.path().filename().string() + " cannot be read"};
          std::vector<float> l(static_cast<std::size_t>(reader->frames())), r(l.size());
          std::int64_t got = 0;
          while (const std::int64_t n = reader->read(l.data() + got, r.data() + got, reader->frames() - got)) got += n;
          if (got != 40000 || reader->truncated()) return {Verdict::failed, "it is not whole"};
          for (const float v : l)
            if (std::abs(v - l[0]) > 1e-4f) return {Verdict::failed, "it is of two songs"};
        }
        return {};
      });
}

Tally fullDisks(std::int64_t count) {
  TestSong exported;
  exported.stem("v", 20000, noise(4, 0.3));
  const auto plan = exported.plan();
  return tryInProcesses(
      "disks that are full", count, {60, 4096},
      [&](std::int64_t i, Chance& chance, const std::string& folder) -> Tried {
        const Registry registry = allKinds().registry();
        const fs::path dir = fs::path(folder) / "d";
        fs::remove_all(dir);
        fs::create_directories(dir);
        std::string why;
        const auto text = [](const fs::path& f) {
          std::string none;
          return readWholeFile(f, 1 << 26, none).value_or("");
        };
        switch (i % 6) {
        case 0:
        case 1: { // a song, a journal
          const bool song = i % 6 == 0;
          const fs::path file = dir / "x";
          const auto write = [&](int n, std::string& said) {
            const std::string all = writeSong(afterEdit(n), registry);
            return song ? replaceFile(file, all, said, 3) : writeJournal(file, {"/s", "base", all, n}, said);
          };
          if (!write(7, why)) return {Verdict::failed, why};
          const std::string before = text(file);
          bool done = false;
          {
            const FullDisk full(static_cast<rlim_t>(chance.below(6000)));
            done = write(39, why);
          }
          const std::string now = text(file);
          if (!done && (now != before || why.find(file.string()) == std::string::npos))
            return {Verdict::failed, why + " / not as before"};
          if (done && now == before) return {Verdict::failed, "said to be written, and is not"};
          return {done ? Verdict::worked : Verdict::refused, {}};
        }
        case 2: { // a stem
          writeWav(dir / "v.wav", 48000, 2, 30000, noise(3, 0.4));
          const StemStore store(dir / "cache");
          Problems p;
          std::shared_ptr<const StemAudio> a;
          {
            const FullDisk full(static_cast<rlim_t>(chance.below(400000)));
            a = store.open(dir / "v.wav", 48000, "stems[0].file", p);
          }
          if (!a && (p.list.size() != 1 || p.list[0].message.find("v.wav") == std::string::npos))
            return {Verdict::failed, "no name in its error"};
          Problems later;
          const auto again = store.open(dir / "v.wav", 48000, "", later);
          if (!again || !again->verify() || (a && !a->verify()))
            return {Verdict::failed, "it does not open afterwards"};
          return {a ? Verdict::worked : Verdict::refused, {}};
        }
        case 3:
        case 4: { // an export
          ExportOptions e;
          e.threads = 1;
          e.format = i % 6 == 3 ? AudioFormat::wav24 : AudioFormat::flac24;
          const fs::path mix = dir / ("mix" + extensionOf(e.format));
          exportSong(plan, dir, e);
          const std::string before = text(mix);
          std::string said;
          try {
            const FullDisk full(static_cast<rlim_t>(chance.below(before.size() + before.size() / 4)));
            exportSong(plan, dir, e);
          } catch (const std::exception& x) {
            said = x.what();
          }
          if (text(mix) != before) return {Verdict::failed, "what was there is another now"}; // the same song
          if (!said.empty() && said.find(mix.string()) == std::string::npos)
            return {Verdict::failed, said + ": no name in it"};
          return {said.empty() ? Verdict::worked : Verdict::refused, {}};
        }
        default: { // a starting point
          const StartingPoint point{"mine", {"treat"}, std::vector<Processor>(40, {"gain", {{"db", Value(-3.0)}}})};
          StartingPoint before = point;
          before.finish.resize(1);
          if (!keepStartingPoint(dir, before, why)) return {Verdict::failed, why};
          bool done = false;
          {
            const FullDisk full(static_cast<rlim_t>(chance.below(3000)));
            done = keepStartingPoint(dir, point, why);
          }
          Problems p;
          const auto all = startingPointsIn(dir, registry, p);
          if (all.size() != 1 || !(all[0] == (done ? point : before))) return {Verdict::failed, "not one of the two"};
          return {done ? Verdict::worked : Verdict::refused, {}};
        }
        }
      });
}

} // namespace ivrin::test

// What is the user's own: recipes, patterns, presets, tags, and the folders that all of it lies in; and edits by the
// million.
#include "stress.h"

#include "document/document.h"
#include "files/journal.h"
#include "files/safe_file.h"
#include "finish/starting_points.h"
#include "import/tags.h"
#include "manners/recipe.h"
#include "patterns/pattern_book.h"
#include "services/findings.h"
#include "services/opening.h"
#include "test_support/places.h"
#include "test_support/random_edits.h"
#include "test_support/signals.h"

#include <fstream>
#include <sys/stat.h>

namespace ivrin::test {
namespace {
namespace fs = std::filesystem;

/// Bytes changed, cut, doubled, or put in, somewhere.
std::string harmed(std::string text, Chance& chance) {
  for (int n = 1 + chance.below(6); n > 0 && !text.empty(); --n) {
    const auto at = static_cast<std::size_t>(chance.below(text.size()));
    switch (chance.below(5)) {
    case 0:
      text[at] = static_cast<char>(chance.below(256));
      break;
    case 1:
      text.erase(at, static_cast<std::size_t>(1 + chance.below(20)));
      break;
    case 2:
      text.insert(at, text.substr(at, static_cast<std::size_t>(1 + chance.below(200))));
      break;
    case 3:
      text.insert(at,
                  chance.oneOf(std::vector<std::string>{"1e308", "-1", "null", "\"\"", "[", "{}", "\xff\xff\xff\xff"}));
      break;
    default:
      text.resize(at);
    }
  }
  return text;
}

/// Read: an error, or what is the same when it is written and read again.
template <class Read, class Write> Tried readBack(const std::string& text, const Read& read, const Write& write) {
  Problems problems, again;
  const auto one = read(text, problems);
  if (one.has_value() == problems.hasErrors()) return {Verdict::failed, "neither read nor refused"};
  if (!one) return {Verdict::refused, {}};
  const auto back = read(write(*one), again);
  if (!back || !(*back == *one)) return {Verdict::failed, "another one when it is read again"};
  return {};
}

void put(const fs::path& file, const std::string& bytes) {
  std::ofstream(file, std::ios::binary) << bytes;
}

/// Something in the place of a file: what one expects, damaged, or something else altogether.
void putAnything(const fs::path& at, const std::string& good, Chance& chance) {
  std::error_code ec;
  fs::create_directories(at.parent_path(), ec);
  switch (chance.below(10)) {
  case 0:
    put(at, good);
    break;
  case 1:
    put(at, harmed(good, chance));
    break;
  case 2:
    put(at, "");
    break;
  case 3:
    fs::create_directories(at / "x", ec);
    break;
  case 4:
    ::mkfifo(at.c_str(), 0600);
    break;
  case 5:
    fs::create_symlink("/dev/zero", at, ec);
    break;
  case 6:
    fs::create_symlink(at, at, ec); // to itself
    break;
  case 7:
    fs::create_symlink(at.parent_path() / "nowhere", at, ec);
    break;
  case 8:
    put(at, std::string(3 << 20, chance.below(2) == 0 ? ' ' : '['));
    break;
  default:
    put(at, good);
    ::chmod(at.c_str(), static_cast<mode_t>(chance.below(2) == 0 ? 0 : 0444));
  }
}

} // namespace

Tally recipeMutations(std::int64_t count) {
  return tryInProcesses("recipes, mutated", count, {20, 2048}, [](std::int64_t i, Chance& chance, const std::string&) {
    const Registry registry = allKinds().registry();
    const auto& all = shippedRecipes();
    return readBack(
        harmed(writeRecipe(all[static_cast<std::size_t>(i) % all.size()]), chance),
        [&](const std::string& text, Problems& p) { return readRecipe(text, registry, p); }, writeRecipe);
  });
}

Tally patternMutations(std::int64_t count) {
  return tryInProcesses("patterns, mutated", count, {20, 2048}, [](std::int64_t i, Chance& chance, const std::string&) {
    const auto& all = shippedPatterns();
    return readBack(harmed(patternText(all[static_cast<std::size_t>(i) % all.size()]), chance), parsePattern,
                    patternText);
  });
}

Tally presetMutations(std::int64_t count) {
  return tryInProcesses("presets, mutated", count, {20, 2048}, [](std::int64_t i, Chance& chance, const std::string&) {
    const Registry registry = allKinds().registry();
    const auto all = shippedStartingPoints(allKinds().registry());
    return readBack(
        harmed(writeStartingPoint(all[static_cast<std::size_t>(i) % all.size()]), chance),
        [&](const std::string& text, Problems& p) { return readStartingPoint(text, registry, p); }, writeStartingPoint);
  });
}

Tally tagMutations(std::int64_t count) {
  return tryInProcesses("tags, mutated", count, {20, 1024},
                        [](std::int64_t, Chance& chance, const std::string& folder) -> Tried {
                          static const std::vector<std::string> seeds = [] {
                            std::vector<std::string> all;
                            for (const auto& e : fs::directory_iterator(sourceFolder() / "tests/fuzz/corpus-tags")) {
                              std::ifstream in(e.path(), std::ios::binary);
                              all.emplace_back(std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>());
                            }
                            std::sort(all.begin(), all.end());
                            return all;
                          }();
                          const fs::path file = fs::path(folder) / "t.bin";
                          put(file, harmed(chance.oneOf(seeds), chance));
                          const Tags t = tagsOf(file);
                          if (t.title.size() > 1000 || !isUtf8(t.title) || (t.bpm && !(*t.bpm >= 20 && *t.bpm <= 400)))
                            return {Verdict::failed, "what is read makes no sense"};
                          return {t.title.empty() && !t.bpm && !t.key ? Verdict::refused : Verdict::worked, {}};
                        });
}

Tally randomEditRuns(std::int64_t count) {
  return tryInProcesses("runs of a thousand random edits", count, {120, 2048},
                        [](std::int64_t i, Chance&, const std::string&) -> Tried {
                          const RandomEdits made = randomEdits(static_cast<std::uint64_t>(i) + 100, 1000);
                          if (!made.wrong.empty()) return {Verdict::failed, made.wrong};
                          return {};
                        });
}

/// Folders of a user in any state: all lists are opened, a song with its stem and what was left of it too.
Tally hostileFolders(std::int64_t count) {
  return tryInProcesses(
      "folders of the user, in any state", count, {20, 2048},
      [](std::int64_t, Chance& chance, const std::string& folder) -> Tried {
        const Registry registry = allKinds().registry();
        const fs::path home = fs::path(folder) / "home", song = home / "song/s.ivrin", stem = home / "song/v.wav",
                       cache = home / "cache", journals = home / "journal";
        std::error_code ec;
        fs::remove_all(home, ec);
        fs::create_directories(home / "song");
        writeWav(stem, 48000, 1, 9600, noise(3, 0.3));
        Song s;
        s.title = "s";
        Stem v;
        v.id = "v";
        v.file = "v.wav";
        s.stems.push_back(v);
        put(song, writeSong(s, registry));
        const auto anything = [&](const fs::path& dir, const std::string& ending, const std::string& good) {
          for (int n = chance.below(6); n > 0; --n) putAnything(dir / (std::to_string(n) + ending), good, chance);
        };
        anything(home / "recipes", ".json", writeRecipe(shippedRecipes().front()));
        anything(home / "patterns", ".json", patternText(shippedPatterns().front()));
        anything(home / "presets", ".json", writeStartingPoint(shippedStartingPoints(allKinds().registry()).front()));
        // Journals and locks under the names that they would have.
        std::string why;
        const fs::path scratch = home / "j.json";
        s.title = "edited";
        writeJournal(scratch, {song.string(), "", writeSong(s, registry), 3}, why);
        const std::string journal = *readWholeFile(scratch, 1 << 20, why);
        for (int n = 1; n <= 3; ++n) {
          if (chance.below(2) == 0) putAnything(journalFor(journals, song, n), journal, chance);
          if (chance.below(3) == 0)
            putAnything(fs::path(journalFor(journals, song, n).string() + ".lock"), "host 1", chance);
        }
        if (chance.below(3) == 0) putAnything(lockOf(song), "host 1", chance);
        // A cache as it is after a song was opened, and then not as it was.
        const StemStore store(cache);
        Problems first;
        if (chance.below(2) == 0) store.open(stem, 48000, "", first);
        std::vector<fs::path> entries;
        for (const auto& e : fs::recursive_directory_iterator(cache, ec))
          if (e.is_regular_file()) entries.push_back(e.path());
        for (const fs::path& e : entries)
          if (chance.below(2) == 0) {
            fs::remove(e, ec);
            putAnything(e, "x", chance);
          }
        const std::string kind = chance.below(8) == 0 ? "stems" : chance.below(8) == 0 ? "digests" : "";
        if (!kind.empty()) { // a file where a folder should be
          fs::remove_all(cache / kind, ec);
          fs::create_directories(cache, ec);
          put(cache / kind, "no folder");
        }

        Problems told;
        recipesIn(home / "recipes", registry, told);
        patternsIn(home / "patterns", told);
        startingPointsIn(home / "presets", registry, told);
        leftWithoutFile(journals);
        const OpenedDocument d = openDocument(song, {journals}, store, {}, {});
        if (!d.opened) return d.heldBy ? Tried{Verdict::refused, {}} : Tried{Verdict::failed, "the song does not open"};
        if (!d.broughtBack && d.opened->song.title != "s") return {Verdict::failed, "another song"};
        if (d.broughtBack && !(d.broughtBack->title == "edited")) return {Verdict::failed, "another song brought back"};
        const auto audio = d.opened->audio.of("v");
        if (!audio) {
          if (!kind.empty()) return {Verdict::refused, {}}; // told: the cache cannot be written
          return {Verdict::failed, "its stem does not open"};
        }
        if (audio->frames() != 9600 || !audio->verify()) return {Verdict::failed, "another sound"};
        return {};
      });
}

} // namespace ivrin::test

// Every recipe at every landing of the demo song and of made ones: the page docs/recipes.md.
#include "bench.h"

#include "render/export.h"
#include "render/open_song.h"
#include "test_support/made_songs.h"
#include "test_support/places.h"
#include "test_support/recipe_scores.h"

#include <algorithm>
#include <cstdio>

namespace ivrin::bench {
namespace {

struct Together {
  int tried = 0, fit = 0, checks = 0, lands = 0, room = 0, refits = 0, collide = 0;
  std::vector<double> seconds;
  std::vector<std::string> hot;
  void add(const test::RecipeScore& s) {
    ++tried;
    if (!s.fits()) return;
    ++fit;
    checks += s.checks;
    lands += s.landsOff <= 1;
    room += s.hasRoom();
    refits += s.refits;
    collide += s.collisions > 0;
    seconds.push_back(s.seconds);
  }
};

void song(const char* name, const Song& song, const SongAudio& audio, Together& all) {
  Findings findings({{}, false});
  const auto cache = std::make_shared<PrintCache>();
  const auto bare = RenderPlan::make(song, audio, allKinds(), *cache);
  completePrints(*bare, 2);
  for (const std::string& row : song.rowsInScoreOrder()) findings.of(bare, row);
  std::printf("\n## %s\n\n| recipe | landing | ornaments | under the ceiling | without it | collisions told | lands | "
              "placed in |\n|---|---|---|---|---|---|---|---|\n",
              name);
  for (const Recipe& r : shippedRecipes())
    for (const Landing& l : song.allLandings()) {
      if (l.at <= Beats(0)) continue;
      const test::RecipeScore s = test::scored(r, bare, audio, cache, l.id, findings);
      all.add(s);
      if (!s.fits())
        std::printf("| %s | %s | – %s | | | | | |\n", r.name.c_str(), l.name.c_str(), s.why.c_str());
      else
        std::printf("| %s | %s | %zu | %.1f dB | %.1f dB | %zu | %s | %.0f ms |\n", r.name.c_str(), l.name.c_str(),
                    s.placed, s.roomDb, song.mix.ceilingDbtp - s.peakBeforeDb, s.collisions,
                    s.landsOff <= 1 ? "on the frame" : (std::to_string(s.landsOff) + " frames off").c_str(),
                    1e3 * s.seconds);
      std::fflush(stdout);
    }
}

} // namespace

void recipesPage() {
  std::printf(
      "# Recipes, measured\n\nMade by `ivrin-bench recipes`: every recipe that ships at every landing of the demo "
      "song (its own ornaments in place) and of made songs (`tests/support/made_songs.cpp`). What is under the "
      "ceiling is the sample peak of the mix before the limiter, about the landing.\n");
  Together all;
  const test::TempFolder cache;
  const StemStore store(cache.path());
  Problems problems;
  if (const auto demo =
          openSong(test::sourceFolder() / "demo/song/lantern-ferry.ivrin", {}, allKinds(), store, problems))
    song("The demo song", demo->song, demo->audio, all);
  for (int i = 0; i < test::madeSongCount(); ++i) {
    const test::MadeSong made = test::madeSong(i);
    const bool wanted = made.name == "waltz" || made.name == "broken drums" || made.name == "slow beat";
    if (!wanted) continue;
    const auto plan = made.song->plan(); // its sound is there then
    test::TestSong& t = *made.song;
    if (made.name == "broken drums") { // doubled takes, softer, a hair later, to the sides: sixteen stems
      const std::size_t own = t.song.stems.size();
      for (std::size_t k = 0; t.song.stems.size() < 16; ++k) {
        Stem take = t.song.stems[k % own];
        const auto& sound = t.audio.of(take.id);
        take.id += "-take" + std::to_string(2 + k / own);
        take.offsetSeconds += 0.009;
        take.mix.gainDb -= 9;
        take.mix.pan = k % 2 == 0 ? -0.6 : 0.6;
        t.audio.set(take.id, sound);
        t.song.stems.push_back(std::move(take));
      }
      song("broken drums, 174 BPM, 16 stems", t.song, t.audio, all);
      continue;
    }
    song(made.name.c_str(), t.song, t.audio, all);
    if (made.name != "slow beat") continue;
    // The same with two stems.
    Song two = t.song;
    std::erase_if(two.stems, [&](const Stem& s) { return s.id != two.stems[0].id && s.id != two.stems[1].id; });
    song("slow beat, two stems", two, t.audio, all);
  }
  std::sort(all.seconds.begin(), all.seconds.end());
  std::printf(
      "\n## Together\n\n| what | |\n|---|---|\n| fit | %d of %d |\n| are read again as they are written | %d of %d "
      "|\n| land on the frame | %d of %d |\n| the mix at least 1 dB under its ceiling, or no higher than it was | %d "
      "of %d |\n| fitted anew at a tempo a tenth faster | %d of %d |\n| placed in, median; slowest | %.0f ms; %.0f ms "
      "|\n",
      all.fit, all.tried, all.checks, all.fit, all.lands, all.fit, all.room, all.fit, all.refits, all.fit,
      all.seconds.empty() ? 0 : 1e3 * all.seconds[all.seconds.size() / 2],
      all.seconds.empty() ? 0 : 1e3 * all.seconds.back());
}

} // namespace ivrin::bench

// What is looked for in sounds that have nothing to be found.
#include "services/grid_finding.h"
#include "services/opening_finding.h"
#include "services/section_finding.h"
#include "song/row_edits.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::test;

TEST_CASE("nothing is found, and nothing fails, in a tenth of a second, in silence and in no stem at all",
          "[finding][services]") {
  using Sound = std::pair<std::int64_t, Signal>;
  const auto of = [](const std::vector<Sound>& stems) {
    TestSong t;
    for (std::size_t i = 0; i < stems.size(); ++i) t.stem("s" + std::to_string(i), stems[i].first, stems[i].second);
    const auto plan = t.plan();
    Findings findings;
    const FoundGrid grid = findGrid(t.song, t.audio, 2);
    CHECK((!grid.tempo || grid.tempo->confidence < kLeastConfidence));
    CHECK((!grid.key || grid.key->confidence < kLeastConfidence));
    CHECK(sectionsOf(plan, findings, 2).empty());
    // Where bars turn, and a burst that stands alone.
    for (const Opening& o : openingsOf(plan, t.song.rowsInScoreOrder(), findings, 2))
      CHECK((o.kind == Opening::Kind::turn || o.kind == Opening::Kind::hit));
    const Song same = onGrid(t.song, grid);
    CHECK(same.tempo == t.song.tempo);
    CHECK(same.startSeconds == t.song.startSeconds);
  };
  const Signal silent = [](std::int64_t, int) { return 0.0f; };
  of({});
  of({{4800, silent}});
  of({{4800, noise(3, 0.3)}, {4800, sine(440, 48000, 0.3)}});
  of({{1, noise(3, 0.3)}});
  of({{48000 * 30, silent}});
  of({{48000 * 20, silent}, {4800, noise(3, 0.3)}});
}

TEST_CASE("listening that is asked to stop reads no further", "[finding][services]") {
  // A row of an hour that asks for it itself, at its first block or its hundredth.
  constexpr std::int64_t kFrames = std::int64_t{48000} * 3600;
  for (const int at : {1, 100}) {
    std::stop_source stop;
    int reads = 0, after = 0;
    const Signal sound = noise(3, 0.2);
    const auto read = [&](Frames from, StereoSpan out) {
      after += stop.stop_requested();
      if (++reads == at) stop.request_stop();
      for (std::int64_t i = 0; i < out.frames; ++i) out.left[i] = out.right[i] = sound(from.count + i, 0);
    };
    const FoundGrid found = findGrid({{read, {Frames(0), Frames(kFrames)}, true}}, 48000, 1, stop.get_token());
    CHECK_FALSE(found.tempo);
    CHECK(reads == at);
    CHECK(after == 0);
  }
  // What is brought in, and its digest.
  const TempFolder dir;
  writeWav(dir / "a.wav", 48000, 2, 4800, noise(1, 0.2));
  const StemStore store(dir / "cache");
  std::stop_source stop;
  stop.request_stop();
  Problems problems;
  CHECK(store.digestOf(dir / "a.wav", stop.get_token()).empty());
  CHECK_FALSE(store.open(dir / "a.wav", 48000, "x", problems, stop.get_token()));
  CHECK(stemsFromFiles({dir / "a.wav"}, Song(), store, problems, stop.get_token()).stems.empty());
  CHECK(problems.list.empty());
}

TEST_CASE("proposed sections join the song's own, but where one starts already", "[finding]") {
  Song s;
  s.sections = {{"s1", Beats::ofQuarters(16), "Verse"}};
  const std::vector<FoundSection> found = {
      {Beats(0), "A", 1}, {Beats::ofQuarters(16), "B", 1}, {Beats::ofQuarters(48), "A", 1}};
  CHECK(withoutOwn(found, s).size() == 2);
  const Song with = withSections(s, found);
  REQUIRE(with.sections.size() == 3);
  CHECK(with.sections[0].name == "A");
  CHECK(with.sections[1].name == "Verse");
  CHECK(with.sections[2].at == Beats::ofQuarters(48));
  CHECK(with.sections[0].id != with.sections[2].id);
  CHECK(withSections(with, found) == with);
}

TEST_CASE("roles that are heard fill in those that names do not tell", "[finding]") {
  Song s;
  for (const char* id : {"kit", "x", "vox"}) {
    Stem stem;
    stem.id = stem.name = id;
    s.stems.push_back(stem);
  }
  s.stems[2].role = RowRole::voice;
  FoundGrid found;
  found.stemRoles = {{"kit", RowRole::drums}, {"vox", RowRole::harmony}};
  const Song with = withHeardRoles(s, found);
  CHECK(with.stem("kit")->role == RowRole::drums);
  CHECK(with.stem("vox")->role == RowRole::voice);
  CHECK_FALSE(with.stem("x")->role);
  CHECK(with.rowsInScoreOrder() == std::vector<std::string>{"vox", "x", "kit", "mix"});
}

#include "test_support/signals.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr std::int64_t kFrames = 240000; // ten beats at 120

StereoBuffer rowWith(Settings s, double start = 2, double length = 2) {
  TestSong t;
  t.stem("v", kFrames, noise(1, 0.5));
  t.ornament("gap", "v", start, length, std::move(s));
  return rowOut(*t.plan(), "v", 0, kFrames);
}

} // namespace

TEST_CASE("a gap is silent inside, and outside the row is the same bit for bit", "[gap]") {
  const StereoBuffer dry = fill(kFrames, noise(1, 0.5)), row = rowWith({});
  const std::int64_t begin = 48000, end = 96000, fade = 240; // 5 ms
  for (std::int64_t i = 0; i < kFrames; ++i) {
    if (i <= begin || i >= end) REQUIRE(row.left()[i] == dry.left()[i]);
    if (i >= begin + fade && i < end - fade) REQUIRE(row.left()[i] == 0);
  }
  // At the landing the row is back at full level on the frame.
  CHECK(row.right()[end] == dry.right()[end]);
  CHECK(std::abs(row.left()[begin + fade / 2]) == Approx(std::abs(dry.left()[begin + fade / 2]) * 0.5).margin(1e-4));
}

TEST_CASE("depth turns down instead, fades are as long as they say", "[gap]") {
  const StereoBuffer dry = fill(kFrames, noise(1, 0.5)),
                     row = rowWith({{"depth_db", -12.0}, {"fade_out_ms", 100.0}, {"fade_in_ms", 0.0}});
  const float g = static_cast<float>(Decibels(-12).gain());
  for (std::int64_t i = 48000 + 4800; i < 96000; ++i) REQUIRE(row.left()[i] == dry.left()[i] * g);
  CHECK(std::abs(row.left()[48000 + 4000]) > std::abs(dry.left()[48000 + 4000] * g));
  CHECK(row.left()[96000] == dry.left()[96000]);
}

TEST_CASE("fades longer than the gap share it, and a gap before bar 1 or past the end is harmless", "[gap]") {
  const StereoBuffer dry = fill(kFrames, noise(1, 0.5)),
                     row = rowWith({{"fade_out_ms", 1000.0}, {"fade_in_ms", 1000.0}}, 2, 0.5);
  CHECK(row.left()[48000] == dry.left()[48000]);
  CHECK(std::abs(row.left()[48000 + 6000]) < 0.01f); // in the middle it does get down
  CHECK(rowWith({}, -4, 4) == dry);
  CHECK(rowWith({}, 10, 8) == dry);
  const StereoBuffer crossing = rowWith({}, -2, 4); // over the song's begin
  CHECK(crossing.left()[1000] == 0);
  CHECK(crossing.left()[48000] == dry.left()[48000]);
}

TEST_CASE("a gap on the mix keeps the throw's tail, or cuts it when asked", "[gap]") {
  TestSong t;
  t.stem("v", kFrames, only(0, 30000, sine(500, 48000, 0.5)));
  t.stem("drums", kFrames, noise(2, 0.5));
  t.ornament("delay-throw", "v", 0, 1, {{"feedback_percent", 80.0}});
  auto& gap = t.ornament("gap", "mix", 4, 2);
  const StereoBuffer kept = mixOut(*t.plan(), 96000 + 2400, 40000);
  const StereoBuffer tail = printOf(*t.plan(), "o1");
  for (std::int64_t i = 0; i < 40000; ++i)
    REQUIRE(kept.left()[i] == tail.left()[96000 + 2400 + i]); // exactly the tail, nothing dry
  CHECK(rmsDb(kept.left(), 40000) > -30);
  gap.settings["tails"] = "cut";
  const StereoBuffer cut = mixOut(*t.plan(), 96000 + 2400, 40000);
  CHECK(largest(cut) == 0);
}

TEST_CASE("what stands in the row's place falls silent in a gap; echoes, spaces and lead-ins go on", "[gap]") {
  struct Case {
    const char* kind;
    Settings settings;
    bool replaces;
  };
  const std::vector<Case> cases = {{"tape", {}, true},
                                   {"halftime", {}, true},
                                   {"stutter", {}, true},
                                   {"pulse", {}, true},
                                   {"glitch", {{"chance_percent", List{100.0}}}, true},
                                   {"treat", {{"dry", "replace"}}, true},
                                   {"reverse", {{"remove_dry", true}}, true},
                                   {"reverse", {{"remove_dry", false}}, false},
                                   {"delay-throw", {}, false},
                                   {"reverb-throw", {}, false},
                                   {"riser", {}, false}};
  const std::int64_t begin = 96000, end = 120000, fade = 240; // beats 4 to 5
  for (const Case& c : cases)
    for (const char* over : {"v", "group", "mix"}) {
      CAPTURE(c.kind, c.replaces, over);
      TestSong t;
      t.stem("v", kFrames, sine(300, 48000, 0.4));
      Bus group;
      group.id = group.name = "group";
      t.song.buses.push_back(group);
      t.song.stems[0].bus = "group";
      t.ornament(c.kind, "v", 2, 4, c.settings);
      t.ornament("gap", over, 4, 1);
      const StereoBuffer with = mixOut(*t.plan(), 0, kFrames), print = printOf(*t.plan(), "o1");
      t.ornaments[1].enabled = false;
      const StereoBuffer without = mixOut(*t.plan(), 0, kFrames);
      double inside = 0, before = 0;
      std::int64_t differ = 0;
      for (std::int64_t i = 0; i < kFrames; ++i) {
        const double v = std::abs(with.left()[i]);
        if (i > begin + fade && i < end - fade) inside = std::max(inside, v);
        if (i < begin || i >= end) differ += with.left()[i] != without.left()[i];
        if (i < begin) before = std::max(before, v);
      }
      CHECK(differ == 0);
      CHECK(before > 0.1);
      CHECK(rmsDb(without.left() + begin, end - begin) > -40);
      if (c.replaces) CHECK(inside == 0);
      if (!c.replaces) CHECK(inside > 0);
    }
}

TEST_CASE("what is placed after a gap in its row, over it, is heard", "[gap]") {
  for (const char* kind : {"stutter", "halftime"}) { // both play what came before the gap
    CAPTURE(kind);
    TestSong t;
    t.stem("v", kFrames, sine(300, 48000, 0.4));
    t.ornament("gap", "v", 4, 1);
    t.ornament(kind, "v", 2, 4);
    const StereoBuffer over = mixOut(*t.plan(), 96000 + 240, 24000 - 480);
    CHECK(rmsDb(over.left(), over.frames()) > -20);
    std::swap(t.ornaments[0], t.ornaments[1]);
    CHECK(largest(mixOut(*t.plan(), 96000 + 240, 24000 - 480)) == 0);
  }
}

TEST_CASE("overlapping gains multiply", "[gap]") {
  TestSong t;
  t.stem("v", kFrames, noise(1, 0.5));
  t.ornament("gap", "v", 1, 4, {{"depth_db", -6.0}});
  t.ornament("gap", "v", 2, 4, {{"depth_db", -6.0}});
  const StereoBuffer row = rowOut(*t.plan(), "v", 0, kFrames), dry = fill(kFrames, noise(1, 0.5));
  const float g = static_cast<float>(Decibels(-6).gain());
  CHECK(row.left()[30000] == dry.left()[30000] * g);
  CHECK(row.left()[70000] == dry.left()[70000] * g * g);
  CHECK(row.left()[130000] == dry.left()[130000] * g);
}

#include "analysis/roles.h"

#include "dsp/onsets.h"
#include "test_support/made_openings.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cstdio>
#include <cstdlib>
#include <map>

using namespace ivrin;
using namespace ivrin::test;

// Twenty-six made rows, a tenth of a second each.
TEST_CASE("what a row is can be told from its sound, mostly", "[roles][heavy]") {
  const std::map<std::string, RowRole> roles = {
      {"a singer", RowRole::voice},  {"legato", RowRole::voice},     {"a talker", RowRole::voice},
      {"strings", RowRole::harmony}, {"chords", RowRole::harmony},   {"a piano", RowRole::harmony},
      {"bells", RowRole::harmony},   {"lone kicks", RowRole::drums}, {"lone snares", RowRole::drums},
      {"a kit", RowRole::drums},     {"a bass", RowRole::bass},      {"hiss", RowRole::texture}};
  int right = 0, all = 0;
  for (int i = 0; i < madeOpeningsCount(); ++i) {
    const MadeOpenings made = madeOpenings(i, 0);
    const FrameRange range{Frames(0), Frames(made.sound.frames())};
    const RowChroma notes = rowChroma(readerOf(made.sound), range, made.rate);
    OnsetFinder finder(made.rate);
    finder.add(made.sound.left(), made.sound.right(), made.sound.frames());
    std::vector<Frames> attacks;
    for (const Onset& o : finder.finish()) attacks.emplace_back(o.frame);
    const auto sketch = sketchOf(readerOf(made.sound), range, made.rate, notes, attacks);
    REQUIRE(sketch);
    for (const auto& [name, role] : roles) {
      if (made.name.rfind(name, 0) != 0) continue;
      ++all;
      right += roleOfSound(*sketch) == role;
      if (std::getenv("IVRIN_TELL_ROLES"))
        std::fprintf(stderr, "%-30s %-8s %s low %.2f high %.2f tonal %.2f one %.2f attacks %.1f playing %.2f\n",
                     made.name.c_str(), roleWord(roleOfSound(*sketch)), roleOfSound(*sketch) == role ? " " : "!",
                     sketch->lowShare, sketch->highShare, sketch->tonal, sketch->oneNote, sketch->attacksPerSecond,
                     sketch->playing);
    }
  }
  INFO(right << " of " << all);
  CHECK(all == madeOpeningsCount());
  CHECK(right >= all * 3 / 4); // the name is asked first
}

TEST_CASE("silence is nothing", "[roles]") {
  const StereoBuffer b(48000);
  const FrameRange range{Frames(0), Frames(48000)};
  CHECK_FALSE(sketchOf(readerOf(b), range, 48000, rowChroma(readerOf(b), range, 48000), {}));
  CHECK_FALSE(sketchOf(readerOf(b), {Frames(0), Frames(10)}, 48000, {}, {}));
}

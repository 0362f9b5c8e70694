// What is found about rows belongs to their sound: it is never older than what is asked about, and found only once.
#include "services/findings.h"
#include "services/hearing.h"
#include "services/row_peaks.h"
#include "song/edits.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

/// A voice that rests from beat 4 to 8, keys that sound there, both on a bus.
void twoOnABus(TestSong& t) {
  t.stem("voice", 384000, [](std::int64_t f, int) {
    const double b = static_cast<double>(f) / 24000;
    return b < 4 || b >= 8 ? static_cast<float>(0.3 * std::sin(0.05 * static_cast<double>(f))) : 0.0f;
  });
  t.stem("keys", 384000, only(4 * 24000, 8 * 24000, sine(300, 48000, 0.3)));
  t.song.buses = {{"bus", "Bus", {}}};
  t.song.stems[0].bus = t.song.stems[1].bus = "bus";
}

} // namespace

TEST_CASE("phrases of a bus and the mix follow their members", "[services][threads]") {
  TestSong t;
  twoOnABus(t);
  Findings findings;
  const auto phrases = [&](const char* row) { return findings.of(t.plan(), row)->phrases; };
  CHECK(phrases("voice").size() == 2);
  CHECK(phrases("keys").size() == 1);
  CHECK(phrases("bus").size() == 1); // one of them always sounds
  t.song.stems[1].mix.mute = true;
  CHECK(phrases("keys").size() == 1);
  CHECK(phrases("bus").size() == 2); // before it was mended: one, as it was when the song was opened
  CHECK(phrases("mix").size() == 2);
  t.song.stems[1].mix.mute = false;
  t.ornament("gap", "keys", 4, 4);
  CHECK(phrases("keys").size() == 1); // a row before its own ornaments
  CHECK(phrases("bus").size() == 2);
  CHECK(findings.of(t.plan(), "bus")->onsets.size() >= 2);
}

TEST_CASE("findings are found once for every sound, and dropped when asked to stop", "[services][threads]") {
  TestSong t;
  twoOnABus(t);
  Findings findings;
  const auto plan = t.plan();
  CHECK_FALSE(findings.known(*plan, "bus"));
  std::stop_source stop;
  stop.request_stop();
  CHECK_FALSE(findings.of(plan, "bus", stop.get_token()));
  CHECK_FALSE(findings.known(*plan, "bus"));
  const auto first = findings.of(plan, "bus");
  REQUIRE(first);
  CHECK(findings.of(plan, "bus") == first);
  t.song.title = "another name";
  CHECK(findings.known(*t.plan(), "bus") == first); // the same sound
  t.song.stems[0].mix.gainDb = -3;
  CHECK_FALSE(findings.known(*t.plan(), "bus"));
  CHECK(findings.known(*t.plan(), "nowhere") == nullptr);
}

TEST_CASE("row peaks are made anew only where a row's sound has changed", "[services][threads]") {
  TestSong t;
  twoOnABus(t);
  t.stem("alone", 384000, noise(5, 0.2));
  const auto whole = [](const std::shared_ptr<const RenderPlan>& plan) {
    for (const auto& n : plan->nodes())
      if (n->print) n->print->ensure(*plan, *n);
    return plan;
  };
  const auto first = rowPeaks(*whole(t.plan()), {}, {});
  REQUIRE(first);
  CHECK(first->size() == 2);
  t.ornament("delay-throw", "alone", 1, 1, {{"cut_at", 2.0}});
  const auto second = rowPeaks(*whole(t.plan()), *first, {});
  CHECK(second->at("bus").peaks == first->at("bus").peaks);
  CHECK(second->at("mix").peaks != first->at("mix").peaks);
  std::stop_source stop;
  stop.request_stop();
  CHECK_FALSE(rowPeaks(*t.plan(), {}, stop.get_token()));
}

TEST_CASE("several presses hear the rows as the earlier ones leave them, under ids of their own",
          "[services][threads]") {
  TestSong t;
  twoOnABus(t);
  t.ornament("gap", "voice", 12, 1).id = "o2";
  Findings findings;
  const auto plan = t.plan();
  const auto cache = std::make_shared<PrintCache>();
  std::vector<Song> heard;
  const Hear plain = hearing(plan, t.audio, cache, findings);
  const Hear hear = [&](const Song& s, const std::string& row) {
    heard.push_back(s);
    return plain(s, row);
  };
  const auto made = placeSeveral(allKinds(), "delay-throw", plan->song(),
                                 {{"voice", {Beats::ofQuarters(2), Beats::ofQuarters(4)}},
                                  {"nowhere", {Beats::ofQuarters(2), Beats::ofQuarters(4)}},
                                  {"bus", {Beats::ofQuarters(2), Beats::ofQuarters(4)}}},
                                 hear);
  REQUIRE(made.placed.size() == 2);
  CHECK(made.placed[0].id == "o3"); // o2 is taken
  CHECK(made.placed[1].id == "o4");
  CHECK(made.song.ornaments.size() == 3);
  REQUIRE(heard.size() == 2);
  CHECK(heard[1].ornament("o3")); // the second one heard the first
  CHECK(*made.song.ornament("o4") == made.placed[1]);
}

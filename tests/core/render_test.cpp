#include "render/render_pool.h"
#include "test_support/bench_song.h"
#include "test_support/lead_in_kind.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <chrono>
#include <cmath>
#include <semaphore>
#include <thread>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr std::int64_t kFrames = 192000;

} // namespace

TEST_CASE("gain and pan follow docs/song-format.md, 0 is bit-transparent", "[render]") {
  TestSong t;
  t.stem("v", kFrames, noise(1, 0.5));
  const StereoBuffer x = fill(kFrames, noise(1, 0.5));
  CHECK(mixOut(*t.plan(), 0, kFrames) == x);
  t.song.stems[0].mix = {-6, 0.5, false, false};
  const StereoBuffer y = mixOut(*t.plan(), 0, kFrames);
  const double g = Decibels(-6).gain();
  CHECK(y.left()[500] == Approx(static_cast<double>(x.left()[500]) * g * std::cos(M_PI / 4)).epsilon(1e-5));
  CHECK(y.right()[500] == Approx(static_cast<double>(x.right()[500]) * g).epsilon(1e-5));
  t.song.stems[0].mix.mute = true;
  CHECK(largest(mixOut(*t.plan(), 0, kFrames)) == 0);
  CHECK(largest(rowOut(*t.plan(), "v", 0, kFrames)) > 0.1f); // its own file is still written
}

TEST_CASE("mono is both sides at unity; offsets and an empty row stand where they should", "[render]") {
  TestSong t;
  t.stem("m", 48000, noise(1, 0.5), 1, 0, 0.5);
  t.stem("early", 48000, noise(2, 0.5), 2, 0, -0.25);
  Stem empty;
  empty.id = "empty";
  t.song.stems.push_back(empty);
  const StereoBuffer m = rowOut(*t.plan(), "m", 0, 96000), x = fill(48000, noise(1, 0.5)),
                     e = rowOut(*t.plan(), "early", 0, 96000), y = fill(48000, noise(2, 0.5));
  CHECK(m.left()[23999] == 0);
  CHECK(m.left()[24000] == x.left()[0]);
  CHECK(m.right()[24000 + 777] == x.left()[777]);
  CHECK(e.left()[0] == y.left()[12000]);
  CHECK(largest(rowOut(*t.plan(), "empty", 0, 1000)) == 0);
  CHECK(t.plan()->end() == Frames(72000));
}

TEST_CASE("a bus carries its members and an ornament of its own", "[render]") {
  TestSong t;
  t.stem("a", kFrames, only(0, 20000, sine(400, 48000, 0.25)));
  t.stem("b", kFrames, only(0, 20000, sine(600, 48000, 0.25)));
  t.stem("c", kFrames, sine(900, 48000, 0.1));
  t.song.buses.push_back({"bus", "Bus", {-6, 0, false, false}});
  t.song.stems[0].bus = t.song.stems[1].bus = "bus";
  t.ornament("delay-throw", "bus", 0, 1, {{"feedback_percent", 0.0}});
  const StereoBuffer row = rowOut(*t.plan(), "bus", 0, kFrames);
  // The echo one beat later holds both members, under the bus's gain.
  CHECK(toneLevel(row.left() + 26000, 12000, 400, 48000) == Approx(0.25 * Decibels(-6).gain()).epsilon(0.02));
  CHECK(toneLevel(row.left() + 26000, 12000, 600, 48000) == Approx(0.25 * Decibels(-6).gain()).epsilon(0.02));
  const StereoBuffer mix = mixOut(*t.plan(), 0, kFrames);
  CHECK(toneLevel(mix.left() + 26000, 12000, 600, 48000) == Approx(0.25 * Decibels(-6).gain()).epsilon(0.02));
  CHECK(toneLevel(mix.left() + 26000, 12000, 900, 48000) == Approx(0.1).epsilon(0.02));
  t.song.buses[0].mix.mute = true;
  CHECK(toneLevel(mixOut(*t.plan(), 0, kFrames).left() + 26000, 12000, 600, 48000) < 1e-3);
}

TEST_CASE("a source taken from another row is heard before its ornaments, gain, pan and mute", "[render]") {
  TestSong t;
  t.stem("a", kFrames, only(0, 24000, sine(400, 48000, 0.5)));
  t.stem("b", kFrames, silence());
  t.song.stems[0].mix = {-20, 1, true, false};
  t.ornament("gap", "a", 0, 4);
  auto& o = t.ornament("delay-throw", "b", 2, 1, {{"feedback_percent", 0.0}});
  o.source = {{"a", Beats(0), Beats::ofQuarters(1), -6}};
  const StereoBuffer p = printOf(*t.plan(), "o2");
  CHECK(toneLevel(p.left() + 26000, 20000, 400, 48000) == Approx(0.5 * Decibels(-6).gain()).epsilon(0.01));
  // It stays there when the ornament is moved.
  t.ornaments[1].start = Beats::ofQuarters(5);
  const StereoBuffer moved = printOf(*t.plan(), "o2");
  CHECK(moved == p);
  // Pieces of a list all begin at the start and are summed, each for its own length.
  t.ornaments[1].source.push_back({"a", Beats::ofQuarters(0.5), Beats::ofQuarters(0.5), 0});
  const StereoBuffer both = printOf(*t.plan(), "o2");
  CHECK(toneLevel(both.left() + 38000, 9000, 400, 48000) == Approx(0.5 * Decibels(-6).gain()).epsilon(0.02));
  CHECK(rmsDb(both.left() + 26000, 8000) > rmsDb(p.left() + 26000, 8000) - 12);
}

TEST_CASE("an ornament hears the row as earlier ones left it, or dry", "[render]") {
  TestSong t;
  t.stem("v", kFrames, only(0, 12000, sine(500, 48000, 0.5)));
  t.ornament("delay-throw", "v", 0, 1, {{"feedback_percent", 0.0}}); // an echo at beat 1
  auto& second = t.ornament("delay-throw", "v", 1, 0.5,
                            {{"feedback_percent", 0.0}}); // takes beats 1 to 1½: only the echo is there
  CHECK(toneLevel(printOf(*t.plan(), "o2").left() + 24500, 10000, 500, 48000) == Approx(0.5).epsilon(0.02));
  second.hears = Hears::dry;
  CHECK(printOf(*t.plan(), "o2").frames() == 0);
}

TEST_CASE("a kind that reads ahead and sounds before its source works through the same plan", "[render]") {
  TestSong t;
  t.useKinds(kindsWithLeadIn());
  t.stem("v", kFrames, impulseAt(52000, 0.8f));
  t.ornament("test-lead-in", "v", 2, 1);                                 // source 48000..72000, print 24000..48000
  t.ornament("delay-throw", "mix", 0.5, 2, {{"feedback_percent", 0.0}}); // hears it: a dependency on what lies before
  const auto plan = t.plan();
  const StereoBuffer row = rowOut(*plan, "v", 0, kFrames);
  CHECK(row.left()[47999 - 4000] == Approx(0.4f));
  CHECK(row.left()[52000] == 0); // its dry is out
  CHECK(plan->node("o1")->kind->landingFrame({*plan->node("o1")->ornament, plan->context()}) == Frames(48000));
  CHECK(mixOut(*plan, 47999 - 4000 + 24000, 1).left()[0] == Approx(0.4f));
  // Before the song's begin it exists too; a range with a negative start hears it.
  t.ornaments[0].start = Beats(0);
  t.ornaments[0].source = {{std::nullopt, Beats::ofQuarters(2), Beats::ofQuarters(1), 0}};
  const auto early = t.plan();
  CHECK(early->node("o1")->print->first() == Frames(-24000));
  CHECK(rowOut(*early, "v", -24000, 24000).left()[24000 - 1 - 4000] == Approx(0.4f));
}

TEST_CASE("a circle of sources is refused and said, all else sounds", "[render]") {
  TestSong t;
  t.stem("a", kFrames, noise(1, 0.3));
  t.song.buses.push_back({"bus", "Bus", {}});
  t.song.stems[0].bus = "bus";
  auto& o = t.ornament("delay-throw", "a", 0, 1);
  o.source = {{"bus", Beats(0), Beats::ofQuarters(1), 0}}; // the bus before its ornaments needs this very row
  t.ornament("delay-throw", "bus", 0, 1);
  const auto plan = t.plan();
  REQUIRE(t.problems.list.size() >= 1);
  CHECK(t.problems.list[0].id == ErrorId::refused);
  CHECK(t.problems.list[0].text().find("o1") != std::string::npos);
  CHECK(largest(mixOut(*plan, 0, kFrames)) > 0.2f);
}

TEST_CASE("the same samples for any cut, order and thread", "[render][threads]") {
  const auto t = bigSong(4, 8, 12);
  const auto plan = t->plan();
  const StereoBuffer whole = mixOut(*plan, 0, 8 * 48000);
  PrintCache fresh;
  const auto other = RenderPlan::make(t->song, t->audio, allKinds(), fresh);
  // Backwards in odd pieces, from prints that were never rendered from the front by an earlier range.
  Evaluator e(*other, Evaluator::Missing::compute);
  StereoBuffer part(7001);
  for (std::int64_t at = 8 * 48000 - 7001; at > 0; at -= 7001) {
    e.mix(Frames(at), part.span());
    for (std::int64_t i = 0; i < 7001; ++i) REQUIRE(part.left()[i] == whole.left()[at + i]);
  }
  // By a pool of threads.
  PrintCache third;
  const auto pooled = RenderPlan::make(t->song, t->audio, allKinds(), third);
  {
    RenderPool pool(3);
    pool.setPlan(pooled);
    pool.waitUntilIdle();
  }
  for (const auto& n : pooled->nodes())
    if (n->print) CHECK(n->print->complete());
  CHECK(mixOut(*pooled, 0, 8 * 48000) == whole);
}

TEST_CASE("an edit computes anew what depends on it and nothing else; going back is instant", "[render]") {
  TestSong t;
  t.stem("a", kFrames, noise(1, 0.3));
  t.stem("b", kFrames, noise(2, 0.3));
  for (int i = 0; i < 10; ++i) t.ornament("delay-throw", i % 2 ? "a" : "b", 0.25 * i, 0.25, {{"cut_at", 1.0}});
  for (auto& o : t.ornaments) o.hears = Hears::dry;
  const auto first = t.plan();
  CHECK(t.cache.computedAnew() == 10);
  t.plan();
  CHECK(t.cache.computedAnew() == 10);
  t.ornaments[3].settings["feedback_percent"] = 20.0;
  const auto second = t.plan();
  CHECK(t.cache.computedAnew() == 11); // it alone: the others hear the row dry
  CHECK(second->node("o3")->print == first->node("o3")->print);
  t.ornaments[3].settings.erase("feedback_percent");
  CHECK(t.plan()->node("o4")->print == first->node("o4")->print);
  CHECK(t.cache.computedAnew() == 11);
  // One that hears the row as left by an earlier, overlapping one depends on it.
  t.ornaments[9].hears = Hears::row;
  t.plan();
  CHECK(t.cache.computedAnew() == 12);
  t.ornaments[7].settings["wet_db"] = -3.0; // same row, overlaps
  t.plan();
  CHECK(t.cache.computedAnew() == 14);
  // A row's gain changes no print of its own row; it does change what the mix hears.
  t.ornament("delay-throw", "mix", 0, 1);
  t.plan();
  const auto before = t.cache.computedAnew();
  t.song.stems[0].mix.gainDb = -3;
  t.plan();
  CHECK(t.cache.computedAnew() == before + 1);
  // Renaming, moving a landing that nothing is tied to: nothing.
  t.song.title = "other";
  t.ornaments[0].name = "other";
  t.plan();
  CHECK(t.cache.computedAnew() == before + 1);
}

TEST_CASE("a tempo change moves what comes after it, and renders what it meets", "[render]") {
  TestSong t;
  t.stem("a", kFrames * 4, noise(1, 0.3));
  t.ornament("delay-throw", "a", 0, 1, {{"cut_at", 2.0}});
  t.ornament("delay-throw", "a", 8, 1, {{"cut_at", 2.0}});
  const auto first = t.plan();
  t.song.tempo.push_back({Beats::ofQuarters(4), 60});
  const auto second = t.plan();
  CHECK(second->node("o1")->print == first->node("o1")->print);
  CHECK_FALSE(second->node("o2")->print == first->node("o2")->print);
  CHECK(second->node("o2")->print->first() == Frames(4 * 24000 + 4 * 48000));
}

TEST_CASE("200 ornaments on one row, and 1000 in a song, are planned quickly and right", "[render]") {
  TestSong t;
  t.stem("a", kFrames, noise(1, 0.1));
  for (int i = 0; i < 200; ++i) t.ornament("delay-throw", "a", 0.01 * i, 0.25, {{"cut_at", 0.5}, {"wet_db", -40.0}});
  const auto plan = t.plan();
  const StereoBuffer row = rowOut(*plan, "a", 0, kFrames);
  CHECK(std::isfinite(largest(row)));
  CHECK(largest(row) >= 0.1f * 0.9f);
  CHECK(plan->nodes().size() == 200);
}

TEST_CASE("what an ornament does not reach stays bit for bit", "[render]") {
  TestSong t;
  t.stem("v", kFrames, noise(1, 0.5));
  t.ornament("delay-throw", "v", 1, 0.5, {{"cut_at", 2.0}, {"remove_dry", true}});
  const auto plan = t.plan();
  const StereoBuffer with = rowOut(*plan, "v", 0, kFrames), dry = fill(kFrames, noise(1, 0.5));
  const FrameRange reach = plan->node("o1")->extent();
  CHECK(reach.begin == Frames(24000));
  CHECK(reach.end <= Frames(24000 + 48000));
  for (std::int64_t i = 0; i < kFrames; ++i)
    if (!reach.contains(Frames(i))) REQUIRE(with.left()[i] == dry.left()[i]);
}

namespace {

std::binary_semaphore gArrived{0}, gGo{0};

/// Stops in its first block until it is told to go on.
class HeldVoice : public Voice {
 public:
  std::int64_t render(StereoSpan out) override {
    if (blocks_++ == 0) {
      gArrived.release();
      gGo.acquire();
    }
    out.clear();
    return blocks_ < 40 ? out.frames : 0;
  }

 private:
  int blocks_ = 0;
};

class HeldKind : public Kind {
 public:
  const TableSpec& table() const override {
    static const TableSpec t{"test-held", "Held", "X", "Waits to be told.", {}};
    return t;
  }
  PrintPlan plan(const Placed& p) const override {
    PrintPlan plan;
    plan.extent = {p.span().begin, p.span().begin + Frames(50 * kPrintBlock)};
    return plan;
  }
  std::unique_ptr<Voice> start(const Placed&, Sounds&) const override { return std::make_unique<HeldVoice>(); }
};

} // namespace

TEST_CASE("the pool finishes a print that somebody else began and gave up", "[render][threads]") {
  static const HeldKind held;
  const KindSet kinds({&held});
  TestSong t;
  t.useKinds(kinds);
  t.stem("v", kFrames, silence());
  t.ornament("test-held", "v", 0, 1);
  const auto plan = t.plan();
  const auto node = plan->node("o1");
  std::stop_source stop;
  std::jthread other([&] { node->print->ensure(*plan, *node, stop.get_token()); });
  gArrived.acquire(); // the other one is computing
  RenderPool pool(1);
  pool.setPlan(plan);
  // Its worker finds it taken and nothing else to do. (It has no way to say so: it is given the time.)
  for (const auto until = std::chrono::steady_clock::now() + std::chrono::milliseconds(20);
       std::chrono::steady_clock::now() < until;)
    std::this_thread::yield();
  stop.request_stop();
  gGo.release();
  other.join();
  pool.waitUntilIdle();
  CHECK(node->print->complete());
}

TEST_CASE("who waits for the pool hears of a print that somebody else finished", "[render][threads]") {
  static const HeldKind held;
  const KindSet kinds({&held});
  TestSong t;
  t.useKinds(kinds);
  t.stem("v", kFrames, silence());
  t.ornament("test-held", "v", 0, 1);
  const auto plan = t.plan();
  const auto node = plan->node("o1");
  std::jthread other([&] { node->print->ensure(*plan, *node); });
  gArrived.acquire();
  RenderPool pool(1);
  pool.setPlan(plan);
  std::jthread waiter([&] { pool.waitUntilIdle(); });
  for (const auto until = std::chrono::steady_clock::now() + std::chrono::milliseconds(20);
       std::chrono::steady_clock::now() < until;)
    std::this_thread::yield();
  gGo.release();
  other.join();
  waiter.join(); // it never did
  CHECK(node->print->complete());
}

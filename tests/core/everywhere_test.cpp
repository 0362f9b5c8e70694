// A kind sounds the same wherever it is placed, at any rate, however loud: what a song may be must not matter.
#include "test_support/any_settings.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

/// Words over six beats at 120, begun at `at` seconds, as a function of time: the same at any rate.
Signal phrase(double at, double rate, double level = 0.3, int partials = 5) {
  std::vector<double> ratios;
  for (int k = 1; k <= partials; ++k) ratios.push_back(2 * M_PI * std::pow(k, 1.07));
  return [=](std::int64_t f, int side) {
    const double t = static_cast<double>(f) / rate - at;
    if (t < 0 || t >= 3) return 0.0f;
    const double in = std::fmod(t, 0.5), word = std::min({1.0, in / 0.01, (0.45 - in) / 0.05});
    const double fundamental = 180 + 40 * std::floor(t / 0.5);
    double v = 0;
    for (int k = 1; word > 0 && k <= partials; ++k)
      v += std::sin(ratios[static_cast<std::size_t>(k - 1)] * fundamental * t + (side ? 0.4 * k : 0)) / std::min(k, 5);
    return static_cast<float>(level * std::max(0.0, word) * v);
  };
}

/// Four beats of ornament whose settings are the kind's own, with what it needs to be heard.
Settings plainOf(const Kind& kind) {
  Settings s;
  if (kind.table().find("lead_beats")) s["lead_beats"] = 2.0;
  if (kind.table().find("chance_percent")) s["chance_percent"] = List{70.0}; // 0 does nothing
  return s;
}

/// Four beats of a kind; what a treat does is in its finish.
void place(TestSong& t, const Kind& kind, double start, const Settings& s) {
  Ornament& o = t.ornament(kind.table().id, "v", start, 4, s);
  if (kind.table().id == "treat") o.finish = {{"gain", {{"db", -3.0}}}};
}

/// Bars of two seconds: row "v" with the phrase and one ornament over it, heard from two seconds before it for eight.
struct Placing {
  int rate = 48000;
  int bar = 2; // where the phrase begins
  double level = 0.3;
  int channels = 2;
  int fileRate = 0;
  int partials = 5;
  bool sameSides = false;
};

StereoBuffer heard(const Kind& kind, const Settings& s, const Placing& p) {
  TestSong t(p.rate);
  const double at = 2.0 * p.bar;
  const int fileRate = p.fileRate > 0 ? p.fileRate : p.rate;
  const auto both = phrase(at, fileRate, p.level, p.partials);
  t.stem("v", static_cast<std::int64_t>((at + 8) * fileRate),
         p.channels == 2 && !p.sameSides ? both : Signal([both](std::int64_t f, int) { return both(f, 0); }),
         p.channels, p.fileRate);
  place(t, kind, 4.0 * p.bar, s);
  return rowOut(*t.plan(), "v", static_cast<std::int64_t>((at - 2) * p.rate), 8L * p.rate);
}

double worstDifference(const StereoBuffer& a, const StereoBuffer& b) {
  double worst = 0;
  for (std::int64_t f = 0; f < a.frames(); ++f)
    worst = std::max({worst, static_cast<double>(std::abs(a.left()[f] - b.left()[f])),
                      static_cast<double>(std::abs(a.right()[f] - b.right()[f]))});
  return worst;
}

/// Levels of windows of so many seconds, dB.
std::vector<double> levels(const StereoBuffer& b, int rate, double seconds) {
  std::vector<double> all;
  const auto begin = [&](int window) { return std::llround(window * seconds * rate); };
  for (int w = 0; begin(w + 1) <= b.frames(); ++w) all.push_back(rmsDb(b.left() + begin(w), begin(w + 1) - begin(w)));
  return all;
}

} // namespace

TEST_CASE("moved by whole bars, any kind with any settings gives the same samples", "[kinds][everywhere][heavy]") {
  Chance chance(21);
  for (const Kind* kind : allKinds().all())
    for (int i = 0; i < 4; ++i) {
      Settings s = i == 0 ? plainOf(*kind) : anySettings(kind->table(), chance);
      if (i > 0 && kind->table().find("cut_at")) s["cut_at"] = 6.0;
      if (i > 0 && kind->table().find("lead_beats")) s["lead_beats"] = 1 + 3 * chance.unit();
      INFO(kind->table().id << " " << i << " " << compactJson(Value(Object(s.begin(), s.end()))));
      const StereoBuffer here = heard(*kind, s, {}), there = heard(*kind, s, {.bar = 9});
      // The phrase itself is computed at another place, so its own rounding differs by a few steps of a float.
      const double reach = std::max(1.0, static_cast<double>(largest(here)));
      CHECK(worstDifference(here, there) < 2e-4 * reach);
    }
}

TEST_CASE("at any rate a kind is as loud at every moment", "[kinds][everywhere][heavy]") {
  for (const Kind* kind : allKinds().all()) {
    const Settings s = plainOf(*kind);
    // Echoes of a space stand elsewhere at another rate: its windows are noise, their levels scatter, the less the more
    // partials there are.
    const std::string& id = kind->table().id;
    // The noise of a riser is drawn for its rate.
    const bool space = id == "reverse-reverb" || id == "reverb-throw" || id == "riser";
    const double window = space ? 0.2 : 0.05;
    const int partials = space ? 24 : 5;
    const auto at48 = levels(heard(*kind, s, {.partials = partials}), 48000, window);
    for (const int rate : {22050, 44100, 96000}) {
      const auto there = levels(heard(*kind, s, {.rate = rate, .partials = partials}), rate, window);
      REQUIRE(there.size() == at48.size());
      double sum = 0;
      int n = 0;
      for (std::size_t w = 0; w < there.size(); ++w) {
        // In the last of a space few partials are left, and each beats as it likes.
        if (std::max(at48[w], there[w]) < (space ? -30 : -35)) continue;
        INFO(id << " at " << rate << ", window " << w << ": " << at48[w] << " and " << there[w]);
        CHECK(std::abs(at48[w] - there[w]) < (space ? 2.5 : 0.5));
        sum += at48[w] - there[w];
        ++n;
      }
      INFO(id << " at " << rate << ", " << n << " windows");
      CHECK(n * window >= 0.9);
      CHECK(std::abs(sum / n) < (space ? 0.6 : 0.15));
    }
  }
}

TEST_CASE("half as loud in, half as loud out: nothing of a kind's own settings depends on the level",
          "[kinds][everywhere][heavy]") {
  for (const Kind* kind : allKinds().all()) {
    if (kind->table().id == "riser") continue; // its level is its own
    const Settings s = plainOf(*kind);
    const StereoBuffer whole = heard(*kind, s, {.level = 0.2}), half = heard(*kind, s, {.level = 0.1});
    double worst = 0;
    for (std::int64_t f = 0; f < whole.frames(); ++f)
      worst = std::max(worst, static_cast<double>(std::abs(0.5f * whole.left()[f] - half.left()[f])));
    INFO(kind->table().id);
    CHECK(largest(half) > 0.05f);
    // A tail ends when it is under its floor, at −90 dB: that much earlier in the softer one.
    CHECK(worst < 4e-5);
  }
}

TEST_CASE("a mono file sounds as a stereo one with the same on both sides", "[kinds][everywhere]") {
  for (const Kind* kind : allKinds().all()) {
    const Settings s = plainOf(*kind);
    const StereoBuffer mono = heard(*kind, s, {.channels = 1});
    const StereoBuffer stereo = heard(*kind, s, {.sameSides = true});
    INFO(kind->table().id);
    CHECK(worstDifference(mono, stereo) == 0);
  }
}

TEST_CASE("a file of another rate is treated as the song's own", "[kinds][everywhere]") {
  for (const Kind* kind : allKinds().all()) {
    const Settings s = plainOf(*kind);
    INFO(kind->table().id);
    CHECK(worstDifference(heard(*kind, s, {}), heard(*kind, s, {.fileRate = 96000})) < 0.02);
  }
}

TEST_CASE("a row that begins before the song is heard from bar 1 on, and its ornaments too", "[kinds][everywhere]") {
  for (const Kind* kind : allKinds().all()) {
    TestSong t, plain;
    // The file begins a bar early; the ornament stands on bar 1, over the file's second bar.
    t.stem("v", 12 * 48000, phrase(2, 48000), 2, 0, -2);
    plain.stem("v", 10 * 48000, phrase(0, 48000));
    for (TestSong* song : {&t, &plain}) place(*song, *kind, 0, plainOf(*kind));
    const StereoBuffer early = rowOut(*t.plan(), "v", -96000, 6 * 48000);
    const StereoBuffer same = rowOut(*plain.plan(), "v", -96000, 6 * 48000);
    INFO(kind->table().id);
    CHECK(worstDifference(early, same) < 2e-4);
    CHECK(largest(early) > 0.05f);
  }
}

TEST_CASE("over a change of tempo and meter an ornament keeps to its beats", "[kinds][everywhere]") {
  for (const Kind* kind : allKinds().all()) {
    TestSong t;
    const Signal plain = noise(5, 0.3);
    t.stem("v", 20 * 48000, plain);
    t.song.tempo = {{Beats(0), 120}, {Beats::ofQuarters(10), 60}};
    t.song.meter = {{Beats(0), 4, 4}, {Beats::ofQuarters(8), 3, 4}};
    place(t, *kind, 8, plainOf(*kind));
    const auto plan = t.plan();
    const TempoMap& map = plan->map();
    const auto node = plan->node("o1");
    INFO(kind->table().id);
    const Frames begin = map.frameAt(Beats::ofQuarters(8)), end = map.frameAt(Beats::ofQuarters(12));
    CHECK(begin == Frames(4 * 48000));
    CHECK(end == Frames(7 * 48000));
    // It covers its span, or what leads to it; what it does ends with its span or goes on after it.
    CHECK(node->extent().begin <= begin);
    CHECK(node->extent().end >= (node->kind->landingFrame({*node->ornament, plan->context()}) ? begin : end));
    const StereoBuffer row = rowOut(*plan, "v", 0, 16 * 48000);
    std::int64_t first = -1;
    for (std::int64_t f = 0; f < row.frames() && first < 0; ++f)
      if (std::abs(row.left()[f] - plain(f, 0)) > 1e-3f) first = f;
    REQUIRE(first >= 0);
    CHECK(first >= node->extent().begin.count);
    CHECK(std::isfinite(largest(row)));
  }
}

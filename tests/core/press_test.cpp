// What a first press hears around its place, and what it does about it.
#include "analysis/collisions.h"
#include "dsp/filter/svf.h"
#include "dsp/measure/loudness.h"
#include "manners/first_press.h"
#include "manners/fitting.h"
#include "manners/said_of_press.h"
#include "ornaments/delay_throw_settings.h"
#include "ornaments/tape.h"
#include "render/facts.h"
#include "song/edits.h"
#include "test_support/presses.h"
#include "test_support/signals.h"
#include "time/song_place.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

/// Notes of half a beat at 120 from `from` to `to`, seconds, with 30 ms between them.
Signal line(std::vector<std::pair<double, double>> spans, double level = 0.2, double hertz = 600) {
  return [=](std::int64_t f, int) {
    const double t = static_cast<double>(f) / kRate;
    for (const auto& [a, b] : spans)
      if (t >= a && t < b) {
        const double in = std::fmod(t - a, 0.25);
        const double envelope = std::clamp(std::min(in / 0.01, (0.22 - in) / 0.02), 0.0, 1.0);
        return static_cast<float>(level * envelope *
                                  (std::sin(2 * M_PI * hertz * t) + 0.6 * std::sin(2 * M_PI * 3 * hertz * t)));
      }
    return 0.0f;
  };
}

Pressed pressOn(TestSong& t, const char* kind, const char* row, double from, double to) {
  return press(allKinds(), kind, t.song, row, {Beats::ofQuarters(from), Beats::ofQuarters(to)},
               listenTo(t.plan(), row));
}

std::string said(const TestSong& t, const Heard& heard) {
  return saidOfPress(heard, [map = t.song.tempoMap()](Beats b) { return placeText(map, b); });
}

double number(const Ornament& o, const char* key) {
  return *settingOr(allKinds().find(o.kind)->table(), o.settings, key).number();
}

} // namespace

TEST_CASE(
    "a throw inside a part that does not rest has fallen 30 dB after two bars, and no breath 20 s later shortens it",
    "[press]") {
  // At 120: 40 s without a rest, or with one 20 s after the place.
  for (const double breath : {0.0, 24.0}) {
    TestSong t(48000, 120);
    t.stem("v", 40 * 48000, breath > 0 ? line({{0.25, breath}, {breath + 0.8, 40}}) : line({{0.25, 40}}));
    const Pressed p = pressOn(t, "delay-throw", "v", 8, 8.5);
    INFO("breath at " << breath);
    CHECK(p.heard.runs);
    CHECK_FALSE(p.heard.next);
    const auto s = DelayThrowSettings::of({p.ornament, contextOf(t.song)});
    const double rounds = (0.25 + 4.0) * kRate / s.timeLeft - 1; // to two bars, four seconds, after its source
    CHECK(rounds * Decibels::ofGain(s.feedbackLeft.at(0)).value <= -29);
    CHECK(rounds * Decibels::ofGain(s.feedbackLeft.at(0)).value >= -33);
    CHECK(number(p.ornament, "duck_db") >= 12); // deeper than at a rest, and deeper yet where it piles up on the row

    const Pressed space = pressOn(t, "reverb-throw", "v", 8, 8.5);
    CHECK(space.heard.runs);
    CHECK(number(space.ornament, "decay_seconds") == 2);
    CHECK(number(space.ornament, "duck_db") >= 12);
  }
  // A rest a bar away counts.
  TestSong t(48000, 120);
  t.stem("v", 20 * 48000, line({{0.25, 6}, {8, 20}}));
  const Pressed p = pressOn(t, "delay-throw", "v", 8, 8.5);
  CHECK_FALSE(p.heard.runs);
  REQUIRE(p.heard.next);
  CHECK(p.heard.next->quarters() == Approx(16).margin(0.06));
  // On the last word before it there is nothing to be ducked under but the word.
  CHECK(number(pressOn(t, "delay-throw", "v", 11.5, 12).ornament, "duck_db") == 6);
}

TEST_CASE("what a press adds is heard in the mix it lands in, and does not jump out of it", "[press]") {
  for (const double band : {0.0, 0.02, 0.15, 0.5}) {
    TestSong t(48000, 120);
    t.stem("v", 12 * 48000, line({{1, 3}, {7, 9}}));
    if (band > 0) t.stem("band", 12 * 48000, noise(3, band));
    const Pressed p = pressOn(t, "reverb-throw", "v", 5.5, 6);
    INFO("band " << band << ": " << said(t, p.heard));
    const double over = p.heard.overSourceLu;
    CHECK(over <= 2);
    if (band == 0) { // against its source alone, as its low cut leaves it, and less where its peaks would stand out
      CHECK(over <= -8);
      CHECK(over >= -11);
    }
    if (band == 0.15) CHECK(over > -7); // raised, to be heard
    if (band == 0.5) {                  // it cannot be heard over that; it goes as far as it may
      REQUIRE(p.heard.underMixLu);
      CHECK(*p.heard.underMixLu < 18);
      CHECK((p.heard.level == Heard::Level::heldUnderSource || p.heard.level == Heard::Level::heldInMix));
    }
    // And what it does to the mix, by rendering it.
    t.ornaments = {p.ornament};
    const auto with = t.plan();
    const StereoBuffer on = mixOut(*with, 48000, 5 * 48000);
    t.ornaments.clear();
    const auto without = t.plan();
    const StereoBuffer off = mixOut(*without, 48000, 5 * 48000);
    CHECK(Decibels::ofGain(static_cast<double>(largest(on) / largest(off))).value < 1.05);
  }
}

TEST_CASE("a muted row's press is fitted to its source alone", "[press]") {
  TestSong t(48000, 120);
  t.stem("v", 12 * 48000, line({{1, 3}, {7, 9}}));
  t.stem("band", 12 * 48000, noise(3, 0.5));
  t.song.stems[0].mix.mute = true;
  const Pressed p = pressOn(t, "reverb-throw", "v", 5.5, 6);
  CHECK(p.heard.overSourceLu == Approx(-9.5).margin(1.5));
  CHECK_FALSE(p.heard.underMixLu);
}

TEST_CASE("bass and kick get throws and swells that are there, with 10 dB less of their lows", "[press]") {
  const Signal bass = [](std::int64_t f, int) {
    const double t = std::fmod(static_cast<double>(f) / kRate, 2.0);
    if (t > 0.5) return 0.0f;
    double v = 0;
    for (int k = 1; k <= 6; ++k) v += std::sin(2 * M_PI * 55 * k * t) / (k * k);
    return static_cast<float>(0.3 * v * std::min({1.0, t / 0.005, (0.5 - t) / 0.02}));
  };
  const Signal kick = [](std::int64_t f, int) {
    const double t = std::fmod(static_cast<double>(f) / kRate, 2.0);
    return static_cast<float>(0.8 * std::exp(-t / 0.08) *
                              std::sin(2 * M_PI * (50 * t + 3 * (1 - std::exp(-t / 0.02)))));
  };
  for (const auto& [name, signal] : {std::pair{"bass", bass}, std::pair{"kick", kick}})
    for (const char* kind : {"delay-throw", "reverb-throw", "reverse-reverb"}) {
      TestSong t(48000, 120);
      t.stem("r", 14 * 48000, signal);
      const Pressed p = pressOn(t, kind, "r", 8, 9);
      INFO(name << ", " << kind << ": " << said(t, p.heard));
      CHECK(number(p.ornament, "low_cut_hz") < 200); // where there is something left of it
      const PrintLevel l = measurePrint(*allKinds().find(kind), p.ornament, contextOf(t.song), listenTo(t.plan(), "r"));
      CHECK(l.printLowsDb <= l.sourceLowsDb - 10);
      CHECK(l.print > l.source - 22);
    }
}

TEST_CASE("a swell's lead-in shrinks with the rest before its word, without a cliff, and ends under the word",
          "[press][heavy]") {
  double before = 0;
  for (double rest = 0.06; rest <= 2.3; rest += 0.12) { // seconds; half a second is a beat
    TestSong t(48000, 120);
    t.stem("v", 8 * 48000, line({{1, 4 - rest}, {4, 5}}));
    const Pressed p = pressOn(t, "reverse-reverb", "v", 8, 8.5);
    const double lead = number(p.ornament, "lead_beats");
    INFO(rest << " s of rest");
    CHECK(lead >= std::max(1.0, before));
    CHECK(lead <= std::max(1.0, before + 0.51)); // it goes in quarters of a beat, as does the rest here
    CHECK(lead <= std::max(1.0, rest * 2 + 0.1));
    before = lead;
    // Over what is sung before it, it is turned down.
    const bool ducks = std::any_of(p.ornament.finish.begin(), p.ornament.finish.end(),
                                   [](const Processor& f) { return f.type == "duck"; });
    if (std::abs(lead - rest * 2) > 0.25) CHECK(ducks == (lead > rest * 2));
  }
  CHECK(before == 4);

  TestSong t(48000, 120);
  t.stem("v", 8 * 48000, line({{1, 2}, {4, 5}}));
  const Pressed p = pressOn(t, "reverse-reverb", "v", 8, 8.5);
  const PressSound s =
      soundOf(*allKinds().find("reverse-reverb"), p.ornament, contextOf(t.song), listenTo(t.plan(), "v"));
  const std::int64_t n = 2400, landing = 4 * 48000 - s.first.count;
  const auto lufs = [&](const float* l, const float* r) {
    return loudestWindowLufs(kWeightedPower(l, r, n, kRate), n);
  };
  const StereoBuffer word = rowOut(*t.plan(), "v", 4 * 48000 + 1200, n);
  CHECK(lufs(s.print.left() + landing - n, s.print.right() + landing - n) < lufs(word.left(), word.right()) + 0.3);
}

TEST_CASE("where a row comes back on an attack played a moment early, the attack is whole", "[press]") {
  constexpr std::int64_t kLanding = 4 * 48000, kEarly = 7 * 48; // seven milliseconds
  const Signal drums = [](std::int64_t f, int side) {
    const std::int64_t in = (f + kEarly) % 24000;
    return in < 4000 ? noise(5, 0.8 * std::exp(-static_cast<double>(in) / 900))(f, side) : 0.0f;
  };
  for (const char* kind : {"gap", "tape", "reverse", "halftime"}) {
    TestSong t(48000, 120);
    t.stem("d", 10 * 48000, drums);
    t.song.sections = {{"s1", Beats(0), "A"}, {"s2", Beats::ofQuarters(8), "B"}};
    const Pressed p = pressOn(t, kind, "d", 6, 8);
    INFO(kind << ": " << said(t, p.heard));
    REQUIRE(p.heard.attackKeptMs);
    CHECK(*p.heard.attackKeptMs == Approx(7).margin(1));
    const std::string* landing = p.ornament.landing ? &*p.ornament.landing : nullptr;
    REQUIRE(landing);
    CHECK(*landing == "s2"); // it is the landing's all the same
    const StereoBuffer dry = rowOut(*t.plan(), "d", 0, 6 * 48000);
    t.ornaments = {p.ornament};
    const StereoBuffer row = rowOut(*t.plan(), "d", 0, 6 * 48000);
    int differing = 0;
    for (std::int64_t f = kLanding - kEarly + 48; f < kLanding + 4000; ++f) differing += row.left()[f] != dry.left()[f];
    CHECK(differing == 0); // from a millisecond after the attack's first frame on
  }
  // A stroke on the click, or a long way before it, moves nothing.
  TestSong t(48000, 120);
  t.stem("d", 10 * 48000, [](std::int64_t f, int side) { return f % 24000 < 4000 ? noise(5, 0.5)(f, side) : 0.0f; });
  const Pressed p = pressOn(t, "gap", "d", 6, 8);
  CHECK_FALSE(p.heard.attackKeptMs);
  CHECK(p.ornament.span().end == Beats::ofQuarters(8));
}

TEST_CASE("a hard attack played backwards is faded where it would click", "[press]") {
  // A low tone that starts at its full height, where the selection starts.
  TestSong t(48000, 120);
  t.stem("b", 6 * 48000, [](std::int64_t f, int) {
    const double s = static_cast<double>(f) / kRate - 1;
    return s < 0 || s > 1 ? 0.0f : static_cast<float>(0.5 * std::cos(2 * M_PI * 60 * s) * std::exp(-8 * s));
  });
  const auto highs = [&](const Ornament& o) { // over 500 Hz, in the last 10 ms and the 10 after them
    t.ornaments = {o};
    StereoBuffer row = rowOut(*t.plan(), "b", 96000 - 4800, 9600);
    StereoSvf high(StereoSvf::Pass::high, 500, 500, kRate), again = high;
    high.process(row.left(), row.right(), row.frames());
    again.process(row.left(), row.right(), row.frames());
    return rmsDb(row.left() + 4800 - 480, 960);
  };
  const Pressed p = pressOn(t, "reverse", "b", 2, 4);
  Ornament plain = p.ornament;
  REQUIRE(plain.finish.size() == 1);
  plain.finish.clear();
  CHECK(highs(p.ornament) < highs(plain) - 10);
  // What comes up slowly needs none.
  TestSong soft(48000, 120);
  soft.stem("b", 6 * 48000, only(48000, 96000, [](std::int64_t f, int) {
              return static_cast<float>(0.5 * std::min(1.0, static_cast<double>(f - 48000) / 4800) *
                                        std::sin(0.01 * static_cast<double>(f)));
            }));
  CHECK(pressOn(soft, "reverse", "b", 2, 4).ornament.finish.empty());
}

TEST_CASE("a press says what it heard in one line", "[press]") {
  TestSong t(48000, 120);
  t.stem("v", 20 * 48000, line({{0.25, 6}, {8, 20}}));
  const Pressed p = pressOn(t, "delay-throw", "v", 11.5, 12);
  const std::string line = said(t, p.heard);
  INFO(line);
  CHECK(line.find("next phrase at 5:1") != std::string::npos); // four seconds in, at 120 and 4/4: beat 16
  CHECK(line.find("LU below its source") != std::string::npos);
  CHECK(line.find("LUFS") != std::string::npos);
  CHECK(line.find('\n') == std::string::npos);
}

TEST_CASE("what lies over the phrase that goes on is told, and so is what meets the next", "[press]") {
  const Signal dry = only(0, 96000, sine(300, kRate, 0.3));
  const FrameRange source{Frames(24000), Frames(30000)}, extent{Frames(24000), Frames(80000)};
  const std::vector<FrameRange> phrases = {{Frames(0), Frames(96000)}};
  const auto print = [&](double db) {
    return readerOf(only(30000, 80000, sine(700, kRate, 0.3 * Decibels(db).gain())));
  };
  const auto over = findCollisions(print(-12), extent, source, readerOf(dry), phrases, kRate);
  REQUIRE(over.size() == 1);
  CHECK(over[0].goesOn);
  CHECK(over[0].db == Approx(-12).margin(0.5));
  CHECK(over[0].frames.begin == Frames(30000));
  CHECK(findCollisions(print(-26), extent, source, readerOf(dry), phrases, kRate).empty());
  // The end of the word itself is its own.
  CHECK(findCollisions(print(-12), extent, source, readerOf(dry), {{Frames(20000), Frames(40000)}}, kRate).empty());
}

TEST_CASE("a reverb throw's key again: it is cut on a beat, held as a pad up to the landing, and rings on again",
          "[press]") {
  Song song;
  Stem voice;
  voice.id = "v";
  song.stems.push_back(voice);
  song.sections = {{"a", Beats(0), "One"}, {"b", Beats::ofQuarters(16), "Two"}};
  Ornament o;
  o.id = "o1";
  o.kind = "reverb-throw";
  o.on = "v";
  o.start = Beats::ofQuarters(8.5);
  o.length = Beats::ofQuarters(1.25); // ends within the beat
  o.settings = {{"decay_seconds", 2.0}};
  const auto press = [&] {
    song.ornaments = {};
    song = withOrnament(std::move(song), o);
    const auto again = pressedAgain(song, o.kind, "v", o.span());
    REQUIRE(again);
    REQUIRE(again->next);
    o = *again->next;
  };
  const Ornament first = o;
  press();
  CHECK(o.start.quarters() + *o.settings.at("cut_at").number() == 11); // the beat that is one beat or more after it
  CHECK_FALSE(o.settings.contains("freeze"));
  press();
  CHECK(*o.settings.at("freeze").boolean());
  CHECK(*o.settings.at("freeze_of").text() == "tones");
  CHECK(o.start.quarters() + *o.settings.at("cut_at").number() == 16);
  CHECK(o.landing == "b");
  press();
  CHECK(o.settings == first.settings);
}

TEST_CASE("a tape's first press stops as a machine that is switched off; its start bends as it did", "[press]") {
  TestSong t(48000, 120);
  t.stem("v", 10 * 48000, sine(220, kRate, 0.3));
  Ornament o = pressOn(t, "tape", "v", 8, 10).ornament;
  CHECK(*o.settings.at("bend").number() == -0.2);
  CHECK(*o.settings.at("fade").number() == 40);
  // v(u) = 1 − P(−0.2, u): an exponential fall, faster first.
  const Curve v = tapeCurve(allKinds().find("tape")->table(), o.settings);
  const auto law = [](double u) { return 1 - std::expm1(-1.2 * u) / std::expm1(-1.2); };
  for (const double u : {0.1, 0.3, 0.5, 0.8}) CHECK(v.at(u) == Approx(law(u)).margin(1e-6));
  t.song = withOrnament(t.song, o);
  o = *pressedAgain(t.song, "tape", "v", o.span())->next;
  CHECK(*o.settings.at("shape").text() == "start");
  CHECK_FALSE(o.settings.contains("bend"));
  CHECK_FALSE(o.settings.contains("fade"));
  CHECK(*settingOr(allKinds().find("tape")->table(), o.settings, "bend").number() == 0.5);
}

TEST_CASE("a tape's key again comes to the hand: strokes on the eighths that end on the row's own speed", "[press]") {
  Song song;
  Stem voice;
  voice.id = "v";
  song.stems.push_back(voice);
  Ornament o;
  o.id = "o1";
  o.kind = "tape";
  o.on = "v";
  o.start = Beats::ofQuarters(4);
  o.length = Beats::ofQuarters(2);
  std::vector<std::string> shapes;
  for (int k = 0; k < 5; ++k) {
    song.ornaments = {};
    song = withOrnament(std::move(song), o);
    o = *pressedAgain(song, "tape", "v", o.span())->next;
    shapes.push_back(*o.settings.at("shape").text());
  }
  CHECK(shapes == std::vector<std::string>{"start", "dip", "spin-back", "custom", "stop"});
  CHECK(*o.settings.at("bend").number() == -0.2); // a stop's, as its first press has it; no other shape had it
  const auto curve = Curve::from(o.settings.at("speed"));
  REQUIRE(curve);
  CHECK(curve->at(1) == 1);
  double forth = 0, back = 0, sum = 0;
  for (double u = 0; u < 0.75; u += 1e-4) {
    forth = std::max(forth, curve->at(u));
    back = std::min(back, curve->at(u));
    sum += curve->at(u) * 1e-4;
  }
  CHECK(forth == Approx(1.6).margin(0.01));
  CHECK(back == Approx(-1.6).margin(0.01));
  CHECK(sum == Approx(0).margin(1e-3)); // three strokes, each back to where it came from
}

TEST_CASE("places and lengths are read as people say them", "[press][time]") {
  const TempoMap map({{Beats(0), 100}}, {{Beats(0), 4, 4}, {Beats::ofQuarters(16), 7, 8}}, Seconds(0), 48000);
  CHECK(readPlace("3:1", map) == Beats::ofQuarters(8));
  CHECK(readPlace("3:1.5", map) == Beats::ofQuarters(8.5));
  CHECK(readPlace("5:3", map) == Beats::ofQuarters(17)); // beats of an eighth
  CHECK(readPlace("0:1", map) == Beats::ofQuarters(-4));
  CHECK(readPlace("12.25", map) == Beats::ofQuarters(12.25));
  for (const char* none : {"", "3:", ":1", "3:0", "3:5", "1.5:1", "x", "3:1:1", "nan", "1e300"})
    CHECK_FALSE(readPlace(none, map));
  CHECK(readLength("2 bars", map, Beats::ofQuarters(12)) ==
        Beats::ofQuarters(7.5)); // one of four, one of seven eighths
  CHECK(readLength("+1 bar", map, Beats(0)) == Beats::ofQuarters(4));
  CHECK(readLength("1/8", map, Beats(0)) == Beats::ofQuarters(0.5));
  CHECK(readLength("3", map, Beats(0)) == Beats::ofQuarters(3));
  for (const char* none : {"", "0", "-1", "bars", "0 bars"}) CHECK_FALSE(readLength(none, map, Beats(0)));
  CHECK(placeText(map, Beats::ofQuarters(17.25)) == "5:3.5");
}

// Three of the songs that docs/first-press.md is made of: five seconds of music to make, and some fifty presses, for
// each.
TEST_CASE("first presses over made songs keep the figures of docs/first-press.md", "[press][slow][heavy]") {
  int presses = 0, next = 0, overNext = 0, adding = 0, inaudible = 0, lows = 0, mud = 0, jumps = 0, clicks = 0;
  for (const int song : {2, 4, 7}) { // told over a bed, in one room, broken drums
    for (const PressFigures& f : pressAll(madeSong(song))) {
      if (f.refused) continue;
      INFO(f.song << ": " << f.place.kind << " on " << f.place.row << " at " << f.place.start);
      ++presses;
      if (f.overNextDb && f.place.kind != "treat") {
        ++next;
        overNext += *f.overNextDb > -24;
      }
      if (f.changeLu) {
        ++adding;
        inaudible += std::abs(*f.changeLu) < 0.1;
      }
      if (f.lowsThereDb && f.place.kind != "treat") {
        ++lows;
        mud += *f.lowsThereDb > -10;
      }
      jumps += f.peakRaisedDb > 1.05;
      clicks += f.clickDb > 6;
      if (f.overSourceLu && f.place.kind != "treat") CHECK(*f.overSourceLu <= 2.05);
      if (f.collides) CHECK(f.told);
    }
  }
  CHECK(presses > 120);
  CHECK(overNext <= std::max(1, next * 3 / 100));
  CHECK(inaudible <= adding * 15 / 100); // of these three, the densest; a tenth of all of them
  CHECK(mud <= lows / 20);
  CHECK(jumps <= presses / 50);
  CHECK(clicks == 0);
}

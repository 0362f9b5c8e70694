#include "render/song_impulses.h"
#include "test_support/acoustics.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr std::int64_t kBeat = 24000;

std::unique_ptr<TestSong> throwOf(const Signal& s, Settings settings) {
  auto t = std::make_unique<TestSong>();
  t->stem("v", 48000 * 8, s);
  t->ornament("reverb-throw", "v", 2, 1, std::move(settings));
  return t;
}

StereoBuffer printWith(const Signal& s, Settings settings) {
  return printOf(*throwOf(s, std::move(settings))->plan(), "o1");
}

double db(const StereoBuffer& b, std::int64_t from, std::int64_t n) {
  return rmsDb(b.left() + from, n);
}

} // namespace

TEST_CASE("a reverb throw dies as long as it is told, in seconds or as a note value", "[reverb-throw]") {
  const Signal burst = only(2 * kBeat + 12000, 2 * kBeat + 13000, noise(1, 0.8));
  for (const Value& decay : {Value(1.0), Value("1/2"), Value("1 bar")}) {
    const StereoBuffer print =
        printWith(burst, {{"decay_seconds", decay}, {"damping_percent", 0.0}, {"modulation_percent", 0.0}});
    const double wanted = decay.number() ? 1.0 : *decay.text() == "1/2" ? 1.0 : 2.0; // at 120 BPM
    const auto band = bandOf(print.left() + 13000, print.frames() - 13000, 1000, 1, 48000);
    CHECK(decayTime(band, 48000) == Approx(wanted).epsilon(0.06));
  }
}

TEST_CASE("a reverb throw ends when it has fallen to its floor, and not before", "[reverb-throw]") {
  for (const double floor : {-60.0, -84.0}) {
    const StereoBuffer print = printWith(noise(1, 0.5), {{"decay_seconds", 2.0}, {"tail_floor_db", floor}});
    float last = 0;
    const std::int64_t tenth = 4800;
    for (std::int64_t i = print.frames() - tenth; i < print.frames(); ++i)
      last = std::max(last, std::abs(print.left()[i]));
    INFO(floor);
    CHECK(20 * std::log10(last + 1e-12) < floor + 0.1);
    CHECK(static_cast<double>(print.frames()) / 48000 > 0.5 + 2.0 * (-floor - 25) / 60);
  }
}

TEST_CASE("pre-delay shifts the answer to the frame", "[reverb-throw]") {
  const Signal click = only(2 * kBeat + 400, 2 * kBeat + 401, [](auto, auto) { return 0.9f; });
  const StereoBuffer at0 = printWith(click, {{"modulation_percent", 0.0}}),
                     later = printWith(click, {{"modulation_percent", 0.0}, {"pre_delay", "1/16"}});
  const std::int64_t shift = kBeat / 4;
  for (std::int64_t i = 0; i < 48000; i += 11) REQUIRE(later.left()[i + shift] == Approx(at0.left()[i]).margin(1e-7));
}

TEST_CASE("a frozen space holds its level until it is cut, and is faded at 120 s without a cut",
          "[reverb-throw][slow][heavy]") {
  const StereoBuffer held = printWith(noise(1, 0.3), {{"freeze", true}, {"cut_at", 13.0}});
  REQUIRE(held.frames() == 13 * kBeat);
  // At 1 kHz: the movement inside the space takes a little of the highest octave with time, as air does.
  const auto at = [&](std::int64_t from) {
    const auto band = bandOf(held.left() + from, kBeat, 1000, 1, 48000);
    double e = 0;
    for (const double v : band) e += v * v;
    return 10 * std::log10(e);
  };
  CHECK(at(10 * kBeat) == Approx(at(2 * kBeat)).margin(0.7));
  CHECK(std::abs(held.left()[held.frames() - 1]) < 1e-3f);
  const auto owned = throwOf(noise(1, 0.3), {{"freeze", true}});
  TestSong& t = *owned;
  const auto plan = t.plan();
  const StereoBuffer forever = printOf(*plan, "o1");
  CHECK(forever.frames() == kBeat + 120 * 48000);
  CHECK_FALSE(plan->node("o1")->print->note().empty());
}

/// A vowel: harmonics of `hz` that fall by 6 dB for each octave, with an attack of noise and a vibrato.
Signal vowel(double hz, double vibrato = 0) {
  return [=](std::int64_t f, int s) {
    const double t = static_cast<double>(f - 2 * kBeat) / 48000;
    if (t < 0 || t > 0.5) return 0.0;
    double all = t < 0.03 ? noise(9, 0.2)(f, s) : 0;
    const double phase = 2 * std::numbers::pi * hz * t + vibrato * std::sin(2 * std::numbers::pi * 5.5 * t);
    for (int n = 1; n <= 12; ++n) all += 0.12 / n * std::sin(n * phase);
    return all;
  };
}
const Settings kPad = {{"freeze", true}, {"freeze_of", "tones"}, {"hold_db", -10.0}, {"cut_at", 16.0}};

TEST_CASE("held tones are the vowel's own, steady, without a seam, as loud as asked, and end where they are cut",
          "[reverb-throw]") {
  const StereoBuffer pad = printWith(vowel(220), kPad);
  REQUIRE(pad.frames() == 16 * kBeat);
  // As long as one likes within the same level: in every 100 ms of eight seconds.
  const double level = db(pad, 2 * kBeat, 8 * kBeat);
  for (std::int64_t at = 2 * kBeat; at + 4800 < 15 * kBeat; at += 4800)
    CHECK(db(pad, at, 4800) == Approx(level).margin(3));
  const StereoBuffer dry = rowOut(*throwOf(vowel(220), {{"wet_db", -60.0}})->plan(), "v", 2 * kBeat, 24000);
  CHECK(level == Approx(db(dry, 0, 24000) - 10).margin(1.5));
  // Its harmonics against each other as the vowel has them, and nothing between.
  const auto tone = [&](double hz) { return 20 * std::log10(toneLevel(pad.left() + 4 * kBeat, 4 * kBeat, hz, 48000)); };
  for (int n = 2; n <= 6; ++n) CHECK(tone(220 * n) - tone(220) == Approx(-20 * std::log10(n)).margin(3.5));
  for (const double off : {275.0, 550.0}) CHECK(tone(off) < tone(220) - 40);
  // The hiss of its attack is not in it.
  CHECK(tone(7150) < tone(220) - 50);
  // It comes in under the vowel, without a step anywhere, and is gone on the cut.
  CHECK(db(pad, 0, 480) < level - 20);
  float step = 0;
  for (std::int64_t i = 1; i < pad.frames(); ++i) step = std::max(step, std::abs(pad.left()[i] - pad.left()[i - 1]));
  CHECK(step < 2 * std::numbers::pi * 220 * 13 / 48000 * largest(pad));
  CHECK(std::abs(pad.left()[pad.frames() - 1]) < 1e-3f);
  // Both sides belong together, and are not the same.
  double lr = 0, ll = 0, rr = 0;
  for (std::int64_t i = 4 * kBeat; i < 12 * kBeat; ++i) {
    lr += static_cast<double>(pad.left()[i]) * pad.right()[i];
    ll += static_cast<double>(pad.left()[i]) * pad.left()[i];
    rr += static_cast<double>(pad.right()[i]) * pad.right()[i];
  }
  CHECK(lr / std::sqrt(ll * rr) > 0.5);
  CHECK(lr / std::sqrt(ll * rr) < 0.95);
  CHECK(10 * std::log10(ll / rr) == Approx(0).margin(1));
}

TEST_CASE("held tones of a voice that trembles, of a chord, of a click and of silence", "[reverb-throw]") {
  const StereoBuffer trembling = printWith(vowel(330, 0.8), kPad);
  CHECK(largest(trembling) > 0.01f);
  const double level = db(trembling, 2 * kBeat, 8 * kBeat);
  for (std::int64_t at = 2 * kBeat; at + 9600 < 15 * kBeat; at += 9600)
    CHECK(db(trembling, at, 9600) == Approx(level).margin(5));
  const Signal click = only(2 * kBeat, 2 * kBeat + 20, noise(3, 0.9));
  const StereoBuffer clicked = printWith(click, kPad); // what there is of it, and not loud
  CHECK(largest(clicked) < 0.9f);
  CHECK(largest(printWith([](std::int64_t, int) { return 0.0; }, kPad)) == 0);
}

TEST_CASE("cut, send, width, cuts and ducking of a reverb throw", "[reverb-throw]") {
  const Signal s = noise(1, 0.5);
  const StereoBuffer whole = printWith(s, {});
  CHECK(printWith(s, {{"cut_at", 2.0}}).frames() == 2 * kBeat);
  const StereoBuffer mono = printWith(s, {{"width_percent", 0.0}});
  for (std::int64_t i = 0; i < mono.frames(); i += 101) REQUIRE(mono.left()[i] == Approx(mono.right()[i]).margin(1e-7));
  // Sent only from half of the source on.
  const Value send(List{List{0.0, 0.0}, List{0.5, 0.0}, List{0.5, 100.0}});
  const StereoBuffer late = printWith(s, {{"send_percent", send}});
  CHECK(db(late, 0, kBeat / 2 - 100) < -150);
  CHECK(db(late, kBeat / 2 + 4800, 4800) > -30);
  const StereoBuffer thin = printWith(s, {{"low_cut_hz", 1000.0}});
  const auto low = [](const StereoBuffer& b) {
    const auto v = bandOf(b.left(), b.frames(), 150, 1, 48000);
    double e = 0;
    for (const double x : v) e += x * x;
    return 10 * std::log10(e);
  };
  CHECK(low(thin) - low(whole) < -22); // 12 dB per octave from 1 kHz to the 150 Hz octave, less the band's upper skirt
  // Ducked under the row that goes on: the stem sounds all the time.
  const StereoBuffer ducked = printWith(s, {{"duck_db", 12.0}});
  CHECK(db(ducked, 2 * kBeat, 4800) - db(whole, 2 * kBeat, 4800) == Approx(-12).margin(1));
}

TEST_CASE("an impulse from a file sounds as if convolved, and one that is missing is said and silent",
          "[reverb-throw][space]") {
  const Signal click = only(2 * kBeat + 500, 2 * kBeat + 501, [](auto, auto) { return 0.5f; });
  const auto owned = throwOf(click, {{"character", "impulse"}, {"impulse_file", "two.wav"}, {"decay_seconds", 30.0}});
  TestSong& t = *owned;
  // Two spikes: energy 1 makes them 1/√2 each.
  writeWav(t.folder / "two.wav", 48000, 2, 4000, [](std::int64_t f, int) { return f == 0 || f == 3000 ? 0.9f : 0.0f; });
  Problems problems;
  t.plan(); // puts the ornament into the song
  t.audio.setImpulses(loadImpulses(t.song, AudioFolders{t.folder.path(), {}}, t.store(), nullptr, problems));
  REQUIRE_FALSE(problems.hasErrors());
  const StereoBuffer print = printOf(*t.plan(), "o1");
  CHECK(print.left()[500] == Approx(0.5f * std::sqrt(0.5f)).margin(1e-4));
  CHECK(print.left()[3500] == Approx(0.5f * std::sqrt(0.5f)).epsilon(0.02)); // less the window of 30 s
  CHECK(std::abs(print.left()[2000]) < 1e-5f);

  t.ornaments.front().settings["impulse_file"] = "gone.wav";
  t.plan();
  t.audio.setImpulses(loadImpulses(t.song, AudioFolders{t.folder.path(), {}}, t.store(), t.audio.impulses(), problems));
  REQUIRE(problems.hasErrors());
  CHECK(problems.list.front().place == "ornaments[0].settings.impulse_file");
  CHECK(problems.list.front().id == ErrorId::missing_audio);
  CHECK(largest(printOf(*t.plan(), "o1")) == 0);
}

TEST_CASE("reverse plays the source backwards in its place, or ending on its landing", "[reverse]") {
  TestSong t;
  t.stem("v", 48000 * 8, noise(3, 0.5));
  t.ornament("reverse", "v", 4, 2);
  const StereoBuffer dry = fill(48000 * 8, noise(3, 0.5));
  const StereoBuffer row = rowOut(*t.plan(), "v", 0, 48000 * 8);
  for (std::int64_t i = 500; i < 2 * kBeat - 500; i += 13)
    REQUIRE(row.left()[4 * kBeat + i] == dry.left()[6 * kBeat - 1 - i]);
  for (std::int64_t i = 0; i <= 4 * kBeat; i += 13) REQUIRE(row.left()[i] == dry.left()[i]);
  for (std::int64_t i = 6 * kBeat; i < 48000 * 8; i += 13) REQUIRE(row.left()[i] == dry.left()[i]);

  // Ending where the source begins, the dry kept, coming up over a beat.
  auto& o = t.ornaments.front();
  o.settings = {{"land", 0.0}, {"remove_dry", false}, {"fade_in_beats", 1.0}};
  const auto plan = t.plan();
  CHECK(plan->node("o1")->print->first() == Frames(2 * kBeat));
  const StereoBuffer print = printOf(*plan, "o1");
  REQUIRE(print.frames() == 2 * kBeat);
  CHECK(print.left()[kBeat / 2] == Approx(0.5f * dry.left()[6 * kBeat - 1 - kBeat / 2]).margin(1e-3));
  CHECK(print.left()[2 * kBeat - 500] == dry.left()[4 * kBeat + 499]);
  CHECK(rowOut(*plan, "v", 5 * kBeat, 4800).left()[100] == dry.left()[5 * kBeat + 100]);
}

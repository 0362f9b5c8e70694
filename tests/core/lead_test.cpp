// Room before the song: what sounds before the stems' time 0 is played and exported whole, and files say where they
// lie.
#include "manners/lead.h"

#include "audio/audio_reader.h"
#include "audio/audio_writer.h"
#include "files/song_file.h"
#include "manners/first_press.h"
#include "play/player.h"
#include "play/simulated_output.h"
#include "render/evaluator.h"
#include "render/export.h"
#include "song/edits.h"
#include "test_support/signals.h"

#include <fstream>

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::test;

namespace {

/// A word of half a second that begins at `frame`, and silence after it.
Signal word(std::int64_t frame) {
  return
      [n = noise(5, 0.4), frame](std::int64_t f, int side) { return f >= frame && f < frame + 24000 ? n(f, side) : 0; };
}

/// A first word at beat 1 of a song at 120, and a swell of eight beats before it.
TestSong& withSwell(TestSong& t) {
  t.stem("v", 4 * 48000, word(24000));
  t.ornament("reverse-reverb", "v", 1, 1, {{"lead_beats", 8.0}});
  return t;
}

std::int64_t timeReference(const std::filesystem::path& file) {
  Problems none;
  const auto reader = AudioReader::open(file, 48000, {}, none);
  REQUIRE(reader);
  return reader->info().timeReference.value_or(-1);
}

/// With one piece of it changed the song is not read, because of what stands at `place`.
void checkRefused(std::string text, const std::string& was, const char* is, const char* place) {
  text.replace(text.find(was), was.size(), is);
  Problems own;
  CHECK_FALSE(readSong(text, allKinds().registry(), own));
  REQUIRE(own.hasErrors());
  CHECK(own.list.front().place == place);
}

} // namespace

TEST_CASE("bars before the song: where it begins, in any meter and tempo", "[lead]") {
  Song s;
  s.sampleRate = 44100;
  s.tempo = {{Beats(0), 93.7}, {Beats::ofQuarters(6), 200}};
  s.meter = {{Beats(0), 3, 4}, {Beats::ofQuarters(6), 7, 8}};
  s.startSeconds = 0.31;
  CHECK(s.firstFrame() == Frames(0));
  s.leadBars = 5;
  CHECK(s.firstFrame().count == -std::llround(15 * 60 / 93.7 * 44100));
  CHECK_FALSE(soundsBefore(s, s.firstFrame() - Frames(200)));
  CHECK(soundsBefore(s, s.firstFrame() - Frames(230)));
  CHECK(leadBarsFor(s, s.firstFrame()) == 5);
  CHECK(leadBarsFor(s, s.firstFrame() - Frames(44100)) == 6);
  CHECK(leadBarsFor(s, Frames(10)) == 0);
  CHECK(leadBarsFor(s, Frames(-1000000000)) == 64);
}

TEST_CASE("lead_bars is read and written in version 2, refused in version 1 and out of range", "[lead][song]") {
  const Registry registry = allKinds().registry();
  Song s;
  CHECK(writeSong(s, registry).find("lead_bars") == std::string::npos);
  CHECK(lowestVersion(s, registry) == 1);
  s.leadBars = 7;
  CHECK(lowestVersion(s, registry) == 2);
  const std::string text = writeSong(s, registry);
  Problems problems;
  const auto back = readSong(text, registry, problems);
  REQUIRE(back);
  CHECK(back->leadBars == 7);
  CHECK(*back == s);
  const auto refused = [&](const char* was, const char* is) { checkRefused(text, was, is, "lead_bars"); };
  refused("\"version\": 2", "\"version\": 1");
  refused("\"lead_bars\": 7", "\"lead_bars\": 65");
  refused("\"lead_bars\": 7", "\"lead_bars\": 1.5");
  refused("\"lead_bars\": 7", "\"lead_bars\": -1");
}

TEST_CASE("an edit that sounds before the song gets the bars that it needs", "[lead]") {
  TestSong t;
  withSwell(t);
  const Song now = t.song; // before the ornament
  const Song with = t.plan()->song();
  // It lands on beat 1 and swells for eight: seven beats before the stems, two bars.
  CHECK(withRoomBefore(now, with, 0).leadBars == 2);
  CHECK(withRoomBefore(now, with, 5).leadBars == 5);
  // What did not change asks for nothing; bypassed it does not sound.
  CHECK(withRoomBefore(with, with, 0).leadBars == 0);
  Song off = with;
  Ornament o = *off.ornaments[0];
  o.enabled = false;
  off = withOrnamentReplaced(off, o);
  CHECK(withRoomBefore(now, off, 0).leadBars == 0);
  // A kind that hands over 2 ms before its first cell needs none at the song's start.
  Ornament stutter = o;
  stutter.kind = "stutter";
  stutter.enabled = true;
  stutter.start = Beats(0);
  stutter.settings.clear();
  CHECK(withRoomBefore(now, withOrnamentReplaced(with, stutter), 0).leadBars == 0);
}

TEST_CASE("the lead is exported whole, in every file alike, and adds nothing to the rest", "[lead][export]") {
  TestSong t;
  withSwell(t);
  t.stem("b", 2 * 48000, noise(2, 0.1));
  ExportOptions o;
  o.stems = o.dry = o.wet = o.ornaments = true;
  o.format = AudioFormat::wav32f;
  const TempFolder dir;
  t.song.leadBars = 2;
  const auto with = exportSong(t.plan(), dir / "with", o);
  t.song.leadBars = 0;
  const auto without = exportSong(t.plan(), dir / "without", o);
  constexpr std::int64_t kLead = 2 * 96000;
  CHECK(with.frames == without.frames + kLead);
  for (const auto& f : with.files) {
    INFO(f.string());
    const StereoBuffer y = readWav(f), x = readWav(dir / "without" / std::filesystem::relative(f, dir / "with"));
    REQUIRE(y.frames() == with.frames);
    // After the two milliseconds in which it was faded in without the lead all is the same.
    CHECK(std::equal(y.left() + kLead + 96, y.left() + y.frames(), x.left() + 96));
  }
  // All of the swell is there: what is exported is the print, from its first frame on.
  const StereoBuffer print = printOf(*t.plan(), "o1"), wet = readWav(dir / "with/wet/v.wav"),
                     cut = readWav(dir / "without/wet/v.wav");
  const std::int64_t first = t.plan()->node("o1")->print->first().count;
  CHECK(first == 24000 - 8 * 24000);
  std::int64_t apart = 0;
  for (std::int64_t f = 0; f < print.frames(); ++f) apart += wet.left()[kLead + first + f] != print.left()[f];
  CHECK(apart == 0);
  const auto energy = [](const StereoBuffer& b) {
    double sum = 0;
    for (std::int64_t f = 0; f < b.frames(); ++f) sum += static_cast<double>(b.left()[f]) * b.left()[f];
    return sum;
  };
  CHECK(energy(wet) > 1.05 * energy(cut)); // so much was lost
}

TEST_CASE("hz_law is read and written in version 2; a new song's curves go over octaves, a file's as it says",
          "[song]") {
  const Registry registry = allKinds().registry();
  Song s;
  CHECK(s.hzLaw == CurveLaw::linear);
  CHECK(writeSong(s, registry).find("hz_law") == std::string::npos);
  s.hzLaw = CurveLaw::log;
  CHECK(lowestVersion(s, registry) == 2);
  const std::string text = writeSong(s, registry);
  Problems problems;
  const auto back = readSong(text, registry, problems);
  REQUIRE(back);
  CHECK(*back == s);
  checkRefused(text, "\"version\": 2", "\"version\": 1", "hz_law");
  checkRefused(text, "\"hz_law\": \"log\"", "\"hz_law\": \"cubic\"", "hz_law");
  const Curve sweep({{0, 200, 0}, {4, 3200, 0}, {6, 3200, 0}, {8, 200, 0.5}});
  CHECK(sweep.by(CurveLaw::log).at(2) == Approx(800));
  CHECK(sweep.at(2) == Approx(1700));
  CHECK(sweep.by(CurveLaw::log).at(7) == Approx(3200 * std::pow(1.0 / 16, bendProgress(0.5, 0.5))));
  CHECK(Curve({{0, 0, 0}, {1, 5, 0}}).by(CurveLaw::log).at(0.5) == 2.5); // nothing has no logarithm
}

TEST_CASE("the lead is played, sample by sample what is exported", "[lead][play]") {
  TestSong t;
  withSwell(t);
  t.song.leadBars = 2;
  const auto plan = t.plan();
  Player player({48000, 256, false});
  SimulatedOutput out(SimulatedOutput::Mode::stepped, 256);
  out.beforePeriod([&] { player.pump(); });
  out.start(player, 48000);
  player.setPlan(plan);
  player.play(plan->song().firstFrame());
  constexpr std::int64_t kFrames = 3 * 48000;
  out.step(kFrames);
  const StereoBuffer heard = out.recorded();
  Evaluator e(*plan, Evaluator::Missing::compute);
  e.setBegin(plan->song().firstFrame());
  StereoBuffer want(kFrames);
  for (std::int64_t at = 0; at < kFrames; at += 4096)
    e.mix(plan->song().firstFrame() + Frames(at), want.span().part(at, std::min<std::int64_t>(4096, kFrames - at)));
  const std::int64_t delay = Player::monitorDelay(48000);
  std::int64_t apart = 0;
  for (std::int64_t f = 4800; f < kFrames - delay; ++f) apart += heard.left()[f + delay] != want.left()[f];
  CHECK(apart == 0);
  CHECK(largest(want) > 0.01f);
}

TEST_CASE("WAV files say where they lie: the stems' own place or one hour, less the lead", "[lead][export]") {
  TestSong t;
  withSwell(t);
  const TempFolder dir;
  ExportOptions o;
  exportSong(t.plan(), dir / "zero", o);
  CHECK(timeReference(dir / "zero/mix.wav") == 3600ll * 48000);
  t.song.leadBars = 2;
  exportSong(t.plan(), dir / "lead", o);
  CHECK(timeReference(dir / "lead/mix.wav") == 3600ll * 48000 - 2 * 96000);
  o.from = Beats::ofQuarters(3);
  exportSong(t.plan(), dir / "from", o);
  CHECK(timeReference(dir / "from/mix.wav") == 3600ll * 48000 + 3 * 24000);
  // A stem that says so itself, at a rate of its own, half a second into the song.
  const auto file = t.folder / "said.wav";
  {
    AudioWriter w(file, AudioFormat::wav24, 44100, 44100, 1, 44100ll * 10);
    const StereoBuffer quiet = fill(44100, noise(1, 0.01));
    w.write(quiet.left(), quiet.right(), 44100, 0);
    w.finish();
  }
  t.song.stems[0].file = file.string();
  t.song.stems[0].offsetSeconds = 0.5;
  o.from.reset();
  exportSong(t.plan(), dir / "said", o);
  CHECK(timeReference(dir / "said/mix.wav") == 48000ll * 19 / 2 - 2 * 96000);
  // Two exports are the same bytes.
  exportSong(t.plan(), dir / "again", o);
  const auto bytes = [](const std::filesystem::path& f) {
    std::ifstream in(f, std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(in), {});
  };
  CHECK(bytes(dir / "said/mix.wav") == bytes(dir / "again/mix.wav"));
}

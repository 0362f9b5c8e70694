// The command line as its users run it.
#include "audio/audio_reader.h"
#include "files/json.h"
#include "files/safe_file.h"
#include "files/song_file.h"
#include "ornaments/kind.h"
#include "test_support/midi_bytes.h"
#include "test_support/places.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cstdio>
#include <fstream>
#include <limits>
#include <sstream>
#include <sys/wait.h>

using namespace ivrin;
using namespace ivrin::test;

namespace {

struct Ran {
  int status = -1;
  std::string out, err;
};

Ran run(const TempFolder& dir, const std::string& args) {
  const std::string cli = cliProgram();
  const std::string line = "cd '" + dir.path().string() + "' && XDG_CACHE_HOME='" + (dir / "cache").string() + "' '" +
                           cli + "' " + args + " > out.txt 2> err.txt";
  Ran r;
  const int s = std::system(line.c_str());
  r.status = WIFEXITED(s) ? WEXITSTATUS(s) : 1000 + s;
  const auto slurp = [&](const char* name) {
    std::ifstream in(dir / name);
    std::stringstream t;
    t << in.rdbuf();
    return t.str();
  };
  r.out = slurp("out.txt");
  r.err = slurp("err.txt");
  return r;
}

/// Ends with this status, says this somewhere, and its results are text.
void endsWith(const TempFolder& dir, const std::string& args, int status, const std::string& says) {
  const Ran r = run(dir, args);
  INFO(args << "\n" << r.out << r.err);
  CHECK(r.status == status);
  CHECK((r.err + r.out).find(says) != std::string::npos);
  CHECK(isUtf8(r.out));
}

Value json(const Ran& r) {
  Problems p;
  const auto v = parseJson(r.out, p);
  INFO(r.out << r.err);
  REQUIRE(v);
  return *v;
}

const Value& at(const Value& v, const std::string& key) {
  for (const auto& [k, value] : *v.object())
    if (k == key) return value;
  FAIL("no " << key);
  return v;
}

/// A song of two stems with one word and one throw, made by the commands themselves.
struct Made {
  TempFolder dir;
  Made() {
    writeWav(dir / "audio/voice.wav", 44100, 1, 44100 * 4, only(44100, 66150, sine(500, 44100, 0.4)));
    writeWav(dir / "audio/drums.wav", 48000, 2, 48000 * 5, noise(1, 0.1));
    REQUIRE(run(dir, "new --out s.ivrin --bpm 120 --sample-rate 48000 audio/voice.wav audio/drums.wav").status == 0);
    REQUIRE(run(dir, "place s.ivrin --kind delay-throw --row voice --start 2 --length 1 --out t.ivrin").status == 0);
  }
};

} // namespace

TEST_CASE("new, check, place, show, render: from files to files", "[cli]") {
  const Made m;
  CHECK(run(m.dir, "check t.ivrin").status == 0);
  CHECK(run(m.dir, "check t.ivrin").out == "t.ivrin: no problems\n");
  const Value shown = json(run(m.dir, "show t.ivrin --json"));
  const Value& o = (*at(shown, "ornaments").list())[0];
  CHECK(*at(o, "id").text() == "o1");
  CHECK(*at(o, "first_frame").number() == 48000);
  CHECK(*at(o, "loop_gain_db").number() < -2);
  CHECK(at(o, "landing_frame").isNull());
  CHECK(*at(o, "lufs_with").number() > *at(o, "lufs_without").number());
  const Ran r = run(m.dir, "render t.ivrin --out r --what mix,stems,dry,wet,ornaments --format wav32f");
  INFO(r.err);
  REQUIRE(r.status == 0);
  for (const char* f : {"mix", "stems/voice", "stems/drums", "stems/mix", "dry/voice", "wet/voice", "ornaments/o1"})
    CHECK(std::filesystem::exists(m.dir / ("r/" + std::string(f) + ".wav")));
  int rate = 0;
  const StereoBuffer mix = readWav(m.dir / "r/mix.wav", &rate), print = readWav(m.dir / "r/ornaments/o1.wav");
  CHECK(rate == 48000);
  CHECK(mix.frames() == print.frames());
  CHECK(mix.frames() >= 240000);
  CHECK(static_cast<double>(print.frames()) >= *at(o, "end_frame").number());
  // The same song on one thread: the same bytes.
  REQUIRE(run(m.dir, "render t.ivrin --out one --threads 1 --format wav32f").status == 0);
  CHECK(readWav(m.dir / "one/mix.wav") == mix);
  // A range.
  REQUIRE(run(m.dir, "render t.ivrin --out part --from 2.5 --to 4 --format wav32f").status == 0);
  const StereoBuffer part = readWav(m.dir / "part/mix.wav");
  CHECK(part.frames() == 36000);
  CHECK(std::equal(part.left(), part.left() + 36000, mix.left() + 60000));
}

TEST_CASE("a lead-in before the song gets its bars, and check says how many are missing", "[cli]") {
  const Made m;
  const Ran r = run(m.dir, "place s.ivrin --kind reverse-reverb --row voice --start 2 --length 1 --out early.ivrin");
  REQUIRE(r.status == 0);
  CHECK(r.err.find("1 bar before its stems") != std::string::npos);
  CHECK(run(m.dir, "check early.ivrin").out == "early.ivrin: no problems\n");
  std::string why;
  std::string text = *readWholeFile(m.dir / "early.ivrin", 1 << 20, why);
  const std::string lead = "  \"lead_bars\": 1,\n";
  REQUIRE(text.find(lead) != std::string::npos);
  text.erase(text.find(lead), lead.size());
  std::ofstream(m.dir / "late.ivrin") << text;
  const Ran checked = run(m.dir, "check late.ivrin");
  CHECK(checked.status == 0);
  CHECK(checked.out.find("\"lead_bars\" of 1 would make room for it") != std::string::npos);
  REQUIRE(run(m.dir, "render early.ivrin --out e").status == 0);
  REQUIRE(run(m.dir, "render late.ivrin --out l").status == 0);
  CHECK(readWav(m.dir / "e/mix.wav").frames() == readWav(m.dir / "l/mix.wav").frames() + 96000);
}

TEST_CASE("place without --out prints the ornament and leaves the song alone", "[cli]") {
  const Made m;
  const auto before = std::filesystem::last_write_time(m.dir / "s.ivrin");
  const Value o = json(run(m.dir, "place s.ivrin --kind gap --row mix --start 6 --length 2"));
  CHECK(*at(o, "kind").text() == "gap");
  CHECK(*at(o, "start").number() == 6);
  CHECK(std::filesystem::last_write_time(m.dir / "s.ivrin") == before);
}

TEST_CASE("places are said in bars and beats; what a press heard is told; a second one does not stack", "[cli]") {
  const Made made;
  const TempFolder& dir = made.dir;
  // The word sounds from 1 s to 1.5 s, at 120: beat 3 of bar 1.
  const Ran ran =
      run(dir, "place s.ivrin --kind reverb-throw --row voice --start 1:3 --length 1/4 --out u.ivrin --json");
  REQUIRE(ran.status == 0);
  const Value placed = json(ran);
  CHECK(*at(at(placed, "ornament"), "start").number() == 2);
  CHECK(*at(at(placed, "ornament"), "length").number() == 1);
  const Value& heard = at(placed, "heard");
  CHECK(*at(heard, "source_lufs").number() == Approx(-11).margin(3)); // a tone of 0.4 on both sides
  CHECK(*at(heard, "over_source_lu").number() <= 2);
  CHECK_FALSE(at(heard, "level").isNull());
  CHECK(ran.err.find(*at(placed, "said").text()) != std::string::npos);
  endsWith(dir, "place u.ivrin --kind treat --row voice --start 1:3 --length 1 --out w.ivrin", 0, "");
  endsWith(dir, "place w.ivrin --kind treat --row voice --start 1:3 --length 1 --out v.ivrin", 1, "treated already");
  CHECK_FALSE(std::filesystem::exists(dir / "v.ivrin"));
  endsWith(dir, "place s.ivrin --kind delay-throw --row voice --start 1:1 --length 1/4 --out v.ivrin", 1,
           "This row is silent there");
  endsWith(dir, "place s.ivrin --kind delay-throw --row voice --start 900:1 --length 1 --out v.ivrin", 1,
           "This row is silent there");
  CHECK_FALSE(std::filesystem::exists(dir / "v.ivrin"));
  endsWith(dir, "place s.ivrin --kind gap --row voice --start 1:5 --length 1", 2, "is not a position");
  endsWith(dir, "place s.ivrin --kind gap --row voice --start 1:3 --length 'two bars'", 2, "is not a length");
}

TEST_CASE("rows are listed with where they sound; ornaments as a table", "[cli]") {
  const Made made;
  const TempFolder& dir = made.dir;
  const Value listed = json(run(dir, "rows s.ivrin --json"));
  const List& rows = *at(listed, "rows").list();
  REQUIRE(rows.size() == 3); // two stems and the mix
  const Value& voice = *at(rows[0], "row").text() == "voice" ? rows[0] : rows[1];
  const Value& drums = *at(rows[0], "row").text() == "drums" ? rows[0] : rows[1];
  REQUIRE(at(voice, "sounds").list()->size() == 1);
  CHECK(*at((*at(voice, "sounds").list())[0], "start").number() == Approx(2).margin(0.06));
  CHECK(*at((*at(voice, "sounds").list())[0], "end").number() == Approx(3).margin(0.06));
  CHECK(at(drums, "runs") == Value(true));
  const Ran table = run(dir, "rows s.ivrin");
  CHECK(table.out.find("1:3") != std::string::npos);
  CHECK(table.out.find("runs") != std::string::npos);
  const Ran shown = run(dir, "show t.ivrin");
  CHECK(shown.out.find("delay-throw") != std::string::npos);
  CHECK(shown.out.find("1:3–1:4") != std::string::npos);
  const Value figures = json(run(dir, "show t.ivrin --json"));
  const Value& throw_ = (*at(figures, "ornaments").list())[0];
  CHECK(*at(throw_, "row").text() == "voice");
  CHECK(*at(throw_, "over_source_lu").number() < 2.1);
  CHECK(*at(throw_, "under_mix_lu").number() < 18.5);
}

TEST_CASE("openings of rows and before landings are listed", "[cli]") {
  const TempFolder dir;
  // Two words of the voice with two beats between them at 120 BPM, the second one held.
  writeWav(dir / "voice.wav", 48000, 1, 48000 * 10, [](std::int64_t f, int) {
    const double t = static_cast<double>(f) / 48000;
    const bool sounds = (t >= 1 && t < 2) || (t >= 3 && t < 5);
    return sounds ? static_cast<float>(0.3 * std::sin(2 * M_PI * 330 * t)) : 0.0f;
  });
  REQUIRE(run(dir, "new --out s.ivrin --bpm 120 voice.wav").status == 0);
  REQUIRE(run(dir, "landing s.ivrin --section --at 5:1 --name B --out t.ivrin").status == 0);
  const Value found = json(run(dir, "openings t.ivrin --json"));
  int gaps = 0, held = 0, landings = 0;
  for (const Value& o : *at(found, "openings").list()) {
    const std::string kind = *at(o, "kind").text();
    const double start = *at(o, "start").number(), length = *at(o, "length").number();
    gaps += kind == "gap" && std::abs(start - 4) < 0.1 && std::abs(length - 2) < 0.1;
    held += kind == "held" && std::abs(start - 6) < 0.1 && std::abs(length - 4) < 0.4;
    landings += kind == "landing" && start == 8 && length == 8 && *at(o, "row").text() == "mix";
    CHECK(*at(o, "score").number() > 0);
    CHECK(at(o, "suits").list()->size() > 1);
  }
  CHECK(gaps == 1);
  CHECK(held == 1);
  CHECK(landings == 1);
  CHECK(run(dir, "openings t.ivrin --row voice").out.find("gap") != std::string::npos);
  CHECK(run(dir, "openings t.ivrin --row voice").out.find("landing") == std::string::npos);
  CHECK(run(dir, "openings t.ivrin --row nobody").status == 2);
}

TEST_CASE("tempo, bar 1 and key are told of files, and a new song takes them", "[cli]") {
  const TempFolder dir;
  // Kick on every beat, a burst between: 100 BPM from 0.5 s on.
  const Signal burst = noise(3, 0.4);
  const auto every = [](double seconds, double from, const Signal& s) {
    return [=](std::int64_t f, int side) {
      const double t = static_cast<double>(f) / 48000 - from;
      const double in = t - std::floor(t / seconds) * seconds;
      return t >= 0 && in < 0.05 ? s(std::llround(in * 48000), side) * static_cast<float>(std::exp(-in * 80)) : 0.0f;
    };
  };
  writeWav(dir / "kick.wav", 48000, 2, 48000 * 24, every(0.6, 0.5, sine(60, 48000, 0.8)));
  writeWav(dir / "snare.wav", 48000, 1, 48000 * 24, every(1.2, 1.1, burst));
  writeWav(dir / "hiss.wav", 48000, 2, 48000 * 24, noise(8, 0.2));
  const Value found = json(run(dir, "tempo kick.wav snare.wav --json"));
  CHECK(*at(found, "bpm").number() == 100);
  CHECK(*at(found, "confidence").number() > 0.6);
  const double one = *at(found, "bar_one_seconds").number() - 0.5;
  CHECK(std::abs(one - std::round(one / 0.6) * 0.6) < 0.004);
  CHECK(at(found, "alternatives").list()->size() == 4);
  CHECK(run(dir, "tempo kick.wav snare.wav").out.find("100 BPM") != std::string::npos);
  const Value nothing = json(run(dir, "tempo hiss.wav --json"));
  CHECK(*at(nothing, "confidence").number() < 0.3);
  CHECK(run(dir, "tempo hiss.wav").out.find("tempo detection failed") != std::string::npos);
  CHECK(run(dir, "tempo none.wav").status == 1);

  REQUIRE(run(dir, "new --out s.ivrin kick.wav snare.wav").status == 0);
  const Value song = json(Ran{0, fileBytes(dir / "s.ivrin"), {}});
  CHECK(*at((*at(song, "tempo").list())[0], "bpm").number() == 100);
  CHECK(*at(song, "start_seconds").number() == Approx(*at(found, "bar_one_seconds").number()).margin(1e-4));
  const Ran guessed = run(dir, "new --out h.ivrin hiss.wav"); // said, and 120
  CHECK(guessed.err.find("tempo detection failed") != std::string::npos);
  CHECK(*at((*at(json(Ran{0, fileBytes(dir / "h.ivrin"), {}}), "tempo").list())[0], "bpm").number() == 120);
  REQUIRE(run(dir, "new --out t.ivrin --bpm 87.5 kick.wav snare.wav").status == 0); // what is said is not looked for
  CHECK(*at((*at(json(Ran{0, fileBytes(dir / "t.ivrin"), {}}), "tempo").list())[0], "bpm").number() == 87.5);
}

TEST_CASE("a song is changed by words, and its paths stay right in another folder", "[cli]") {
  const Made made;
  const TempFolder& dir = made.dir;
  std::filesystem::create_directories(dir / "deeper");
  const auto song = [&](const char* file) {
    Problems p;
    const auto s = readSongFile(dir / file, allKinds().registry(), p);
    INFO(file);
    REQUIRE(s);
    return *s;
  };
  const std::string id = song("t.ivrin").ornaments[0]->id;
  REQUIRE(run(dir, "set t.ivrin " + id +
                       " feedback_percent=61 wet_db=-3 name=echo finish.1.offset_lu=-12 --out deeper/a.ivrin")
              .status == 0);
  const Song a = song("deeper/a.ivrin");
  CHECK(*a.ornaments[0]->settings.at("feedback_percent").number() == 61);
  CHECK(*a.ornaments[0]->finish[0].settings.at("offset_lu").number() == -12);
  CHECK(a.ornaments[0]->name == "echo");
  CHECK(std::filesystem::equivalent(*a.stems[0].file, dir / "audio/voice.wav"));
  endsWith(dir, "set t.ivrin " + id + " feedback=61 --out b.ivrin", 2, "did you mean “feedback_percent”");
  endsWith(dir, "set t.ivrin " + id + " feedback_percent=900 --out b.ivrin", 1, "feedback_percent");
  endsWith(dir, "set t.ivrin nobody feedback_percent=9 --out b.ivrin", 2, "no ornament \"nobody\"");
  CHECK_FALSE(std::filesystem::exists(dir / "b.ivrin"));

  REQUIRE(run(dir, "bypass t.ivrin " + id + " --out b.ivrin").status == 0);
  CHECK_FALSE(song("b.ivrin").ornaments[0]->enabled);
  REQUIRE(run(dir, "bypass b.ivrin " + id + " --off --out b.ivrin").status == 0);
  CHECK(song("b.ivrin").ornaments[0]->enabled);
  REQUIRE(run(dir, "remove b.ivrin " + id + " --out b.ivrin").status == 0);
  CHECK(song("b.ivrin").ornaments.empty());

  REQUIRE(run(dir, "landing t.ivrin --at 2:1 --name Drop --out c.ivrin").status == 0);
  REQUIRE(song("c.ivrin").landings.size() == 1);
  const std::string landing = song("c.ivrin").landings[0].id;
  CHECK(song("c.ivrin").landings[0].at == Beats::ofQuarters(4));
  REQUIRE(run(dir, "landing c.ivrin --id " + landing + " --at 2:3 --name Later --out c.ivrin").status == 0);
  CHECK(song("c.ivrin").landings[0].at == Beats::ofQuarters(6));
  CHECK(song("c.ivrin").landings[0].name == "Later");
  REQUIRE(run(dir, "landing c.ivrin --id " + landing + " --remove --out c.ivrin").status == 0);
  CHECK(song("c.ivrin").landings.empty());
  endsWith(dir, "landing c.ivrin --id nothing --remove --out c.ivrin", 2, "no landing or section");

  REQUIRE(run(dir, "tempo-entry t.ivrin --at 2:1 --bpm 90 --out d.ivrin").status == 0);
  REQUIRE(run(dir, "meter d.ivrin --at 2:1 --meter 7/8 --out d.ivrin").status == 0);
  const Song d = song("d.ivrin");
  CHECK(d.tempo == std::vector<TempoEntry>{{Beats(0), 120}, {Beats::ofQuarters(4), 90}});
  CHECK(d.meter == std::vector<MeterEntry>{{Beats(0), 4, 4}, {Beats::ofQuarters(4), 7, 8}});
  REQUIRE(run(dir, "tempo-entry d.ivrin --at 4 --remove --out d.ivrin").status == 0);
  CHECK(song("d.ivrin").tempo.size() == 1);
  endsWith(dir, "tempo-entry d.ivrin --at 0 --remove --out d.ivrin", 2, "the first entry cannot be removed");
  endsWith(dir, "meter d.ivrin --at 1:2 --meter 3/4 --out e.ivrin", 1, "bar"); // not on a bar line
  CHECK_FALSE(std::filesystem::exists(dir / "e.ivrin"));
}

TEST_CASE("a song takes a MIDI file's grid; what such a file says is told", "[cli]") {
  const Made made;
  const TempFolder& dir = made.dir;
  std::ofstream(dir / "map.mid", std::ios::binary)
      << midiFile({MidiTrack().tempo(0, 90).meter(0, 3, 2).tempo(480 * 6, 100)});
  const Value told = json(run(dir, "tempo map.mid --json"));
  CHECK(*at(told, "bpm").number() == 90);
  CHECK(at(told, "tempo").list()->size() == 2);
  CHECK(*at((*at(told, "meter").list())[0], "count").number() == 3);
  const auto song = [&](const char* file) {
    Problems p;
    const auto read = readSongFile(dir / file, allKinds().registry(), p);
    REQUIRE(read);
    return *read;
  };
  const Song before = song("t.ivrin");
  REQUIRE(run(dir, "grid t.ivrin --midi map.mid --out g.ivrin").status == 0);
  REQUIRE(run(dir, "grid t.ivrin --midi map.mid --keep-beats --out k.ivrin").status == 0);
  CHECK(song("g.ivrin").tempo == std::vector<TempoEntry>{{Beats(0), 90}, {Beats::ofQuarters(6), 100}});
  CHECK(song("k.ivrin").ornaments[0]->start == before.ornaments[0]->start);
  CHECK(song("g.ivrin").tempoMap().secondsAt(song("g.ivrin").ornaments[0]->start).value ==
        Approx(before.tempoMap().secondsAt(before.ornaments[0]->start).value).margin(1e-6));
  std::ofstream(dir / "broken.mid", std::ios::binary) << "MThd";
  endsWith(dir, "grid t.ivrin --midi broken.mid --out n.ivrin", 1, "broken.mid");
  endsWith(dir, "tempo broken.mid", 1, "incomplete");
  CHECK_FALSE(std::filesystem::exists(dir / "n.ivrin"));
}

TEST_CASE("recipes are listed, shown as their files are, and applied; one that does not fit says why", "[cli]") {
  const Made made;
  const TempFolder& dir = made.dir;
  const Value all = json(run(dir, "recipes --json"));
  CHECK(at(all, "recipes").list()->size() >= 16);
  const Ran shown = run(dir, "recipes 'long climb'");
  CHECK(shown.status == 0);
  CHECK(shown.out.find("\"format\": \"ivrin-recipe\"") != std::string::npos);
  std::ofstream(dir / "own.json") << R"({"format": "ivrin-recipe", "version": 1, "name": "mine", "parts": [
    {"kind": "gap", "on": ["drums", "any"], "from": "-1 beat", "to": "0"},
    {"kind": "riser", "on": ["mix"], "from": "-1 bar", "to": "0", "needed": true}]})";
  REQUIRE(run(dir, "landing t.ivrin --at 2:1 --section --name Two --out a.ivrin").status == 0);
  Problems p;
  const auto with = readSongFile(dir / "a.ivrin", allKinds().registry(), p);
  REQUIRE(with);
  const std::string id = with->sections.back().id;
  REQUIRE(run(dir, "apply a.ivrin --recipe own.json --landing " + id + " --out b.ivrin").status == 0);
  const auto applied = readSongFile(dir / "b.ivrin", allKinds().registry(), p);
  REQUIRE(applied);
  REQUIRE(applied->ornaments.size() == with->ornaments.size() + 2);
  CHECK(applied->ornaments[with->ornaments.size()]->on == "drums");
  CHECK(applied->ornaments[with->ornaments.size()]->recipe == RecipeOrigin{"mine", id});
  REQUIRE(run(dir, "apply b.ivrin --recipe own.json --landing " + id + " --refit --out c.ivrin").status == 0);
  const auto again = readSongFile(dir / "c.ivrin", allKinds().registry(), p);
  REQUIRE(again);
  CHECK(again->ornaments.size() == applied->ornaments.size()); // in its place
  endsWith(dir, "apply a.ivrin --recipe 'long clime' --landing " + id + " --out n.ivrin", 2,
           "did you mean “long climb”");
  endsWith(dir, "apply a.ivrin --recipe own.json --landing nowhere --out n.ivrin", 2, "no landing or section");
  std::ofstream(dir / "bass.json") << R"({"format": "ivrin-recipe", "version": 1, "name": "low", "parts": [
    {"kind": "tape", "on": ["bass"], "from": "-1 beat", "to": "0", "needed": true}]})";
  endsWith(dir, "apply a.ivrin --recipe bass.json --landing " + id + " --out n.ivrin", 1, "does not fit there");
  CHECK_FALSE(std::filesystem::exists(dir / "n.ivrin"));
}

TEST_CASE("files of ornaments can hold the print alone, and say where it lies; nothing lies past the end", "[cli]") {
  const Made made;
  const TempFolder& dir = made.dir;
  const std::string id = "o1";
  REQUIRE(run(dir, "render t.ivrin --out whole --what ornaments --format wav32f").status == 0);
  REQUIRE(run(dir, "render t.ivrin --out part --what ornaments --format wav32f --trim").status == 0);
  const StereoBuffer whole = readWav(dir / ("whole/ornaments/" + id + ".wav")),
                     part = readWav(dir / ("part/ornaments/" + id + ".wav"));
  const Value shown = json(run(dir, "show t.ivrin --json"));
  const auto first = static_cast<std::int64_t>(*at((*at(shown, "ornaments").list())[0], "first_frame").number());
  CHECK(part.frames() < whole.frames());
  int differing = 0;
  for (std::int64_t i = 0; i < part.frames(); ++i) differing += part.left()[i] != whole.left()[first + i];
  CHECK(differing == 0);
  Problems p;
  const auto reader = AudioReader::open(dir / ("part/ornaments/" + id + ".wav"), 48000, "", p);
  REQUIRE(reader);
  CHECK(reader->info().timeReference == 3600 * 48000 + first); // an hour, where sessions commonly start
  endsWith(dir, "render t.ivrin --out past --from 900:1", 1, "nothing plays from there on");
}

TEST_CASE("a new song has the rate of most of its files, and says so; what check would refuse is not written",
          "[cli]") {
  const TempFolder dir;
  writeWav(dir / "a.wav", 44100, 1, 44100, sine(300, 44100, 0.1));
  writeWav(dir / "b.wav", 48000, 1, 48000, sine(300, 48000, 0.1));
  writeWav(dir / "c.wav", 44100, 1, 44100, sine(300, 44100, 0.1));
  const Ran r = run(dir, "new --out s.ivrin --bpm 100 b.wav a.wav c.wav");
  CHECK(r.status == 0);
  CHECK(r.err.find("44100") != std::string::npos);
  Problems p;
  const auto song = readSongFile(dir / "s.ivrin", allKinds().registry(), p);
  REQUIRE(song);
  CHECK(song->sampleRate == 44100);
  // A field without its unit gets the right one.
  std::string text = fileBytes(dir / "s.ivrin");
  text.insert(text.find("\"ceiling_dbtp\""), "\"gain\": 3, ");
  std::ofstream(dir / "wrong.ivrin") << text;
  endsWith(dir, "check wrong.ivrin", 1, "did you mean “gain_db”");
  // A stem longer than a song may be: refused when it is made, not when it is read again.
  writeWav(dir / "long.wav", 8000, 1, 8000LL * (4 * 3600 + 2), silence());
  endsWith(dir, "new --out l.ivrin --bpm 100 --sample-rate 8000 long.wav", 1, "4 hours");
  CHECK_FALSE(std::filesystem::exists(dir / "l.ivrin"));
}

TEST_CASE("no command writes over what a song is made of", "[cli]") {
  const Made m;
  const auto bytes = [&](const char* file) {
    std::string why;
    return *readWholeFile(m.dir / file, 1 << 24, why);
  };
  const std::string voice = bytes("audio/voice.wav"), song = bytes("t.ivrin");
  const auto refused = [&](const std::string& args, const char* what) {
    const Ran r = run(m.dir, args);
    INFO(args << ": " << r.out << r.err);
    CHECK(r.status == 1);
    CHECK(r.err.find(what) != std::string::npos);
  };
  const std::string place = "place t.ivrin --kind gap --row drums --start 6 --length 1 --out ";
  refused(place + "audio/voice.wav", "is a source of this song");
  refused(place + "audio", "audio is a folder, not a file");
  refused(place + "/dev/null", "is a device, not a file");
  std::ofstream(m.dir / "notes.txt") << "notes";
  refused(place + "notes.txt", "is not a song");
  CHECK(bytes("notes.txt") == "notes");
  // An export whose file would be a stem.
  std::filesystem::create_directories(m.dir / "stems");
  std::filesystem::rename(m.dir / "audio/voice.wav", m.dir / "stems/voice.wav");
  std::filesystem::create_symlink(m.dir / "stems/voice.wav", m.dir / "audio/voice.wav");
  refused("render t.ivrin --out . --what stems", "is a source of this song");
  CHECK(bytes("stems/voice.wav") == voice);
  CHECK(bytes("t.ivrin") == song);
  CHECK_FALSE(std::filesystem::exists(m.dir / "stems/drums.wav"));
  // Output that cannot be written is said.
  CHECK(run(m.dir, "kinds --json > /dev/full; test $? = 1 && echo said").out == "said\n");
}

TEST_CASE("wrong use is status 2, work that cannot be done is status 1, both say why", "[cli]") {
  const Made m;
  const auto fails = [&](const std::string& args, int status, const std::string& says) {
    endsWith(m.dir, args, status, says);
  };
  fails("", 2, "subcommand");
  fails("rendr s.ivrin", 2, "rendr");
  fails("render s.ivrin", 2, "--out");
  fails("render s.ivrin --out x --what mox", 2, "did you mean “mix”");
  fails("render s.ivrin --out x --format mp9", 2, "mp9");
  fails("render s.ivrin --out x --from 4 --to 2", 2, "--to");
  fails("render s.ivrin --out x --only nobody", 2, "nobody");
  fails("render gone.ivrin --out x", 1, "gone.ivrin");
  fails("place s.ivrin --kind delay-thro --row voice --start 0 --length 1", 2, "did you mean “delay-throw”");
  fails("place s.ivrin --kind gap --row voise --start 0 --length 1", 2, "did you mean “voice”");
  fails("place s.ivrin --kind gap --row voice --start 0 --length 0", 2, "--length");
  fails("kinds delaythrow", 1, "delay-throw");
  fails("times --bpm 5", 2, "bpm");
  fails("new --out s.ivrin --bpm 100 audio/voice.wav", 1, "already exists");
  fails("new --out n.ivrin --bpm 100 audio/none.wav", 1, "none.wav");
  fails("measure audio/none.wav", 1, "none.wav");
  CHECK(run(m.dir, "--version").status == 0);
  CHECK_FALSE(std::filesystem::exists(m.dir / "x"));
}

TEST_CASE("numbers that are none, names that are no text, sound that is broken: refused, and nothing is written",
          "[cli]") {
  const Made m;
  const auto fails = [&](const std::string& args, int status, const std::string& says) {
    endsWith(m.dir, args, status, says);
  };
  for (const char* none : {"nan", "inf", "-nan", "1e999", "ten", "12x"}) {
    fails(std::string("new --out n.ivrin --bpm ") + none + " audio/voice.wav", 2, "--bpm");
    fails(std::string("times --bpm ") + none, 2, "--bpm");
    fails(std::string("render s.ivrin --out x --to ") + none, 2, "--to");
    fails(std::string("place s.ivrin --kind gap --row voice --length 1 --start ") + none, 2, "--start");
  }
  fails("render s.ivrin --out x --to 1000000", 2, "--to is more than 4 hours");
  CHECK_FALSE(std::filesystem::exists(m.dir / "n.ivrin"));
  // A file whose name is no UTF-8 cannot be named by a song.
  std::filesystem::copy(m.dir / "audio/voice.wav", m.dir / "voi\xff.wav");
  fails("new --out n.ivrin --bpm 100 voi*.wav", 1, "its name is not UTF-8");
  fails("measure --json voi*.wav", 0, "\uFFFD");
  // Broken sound is refused, or it could not be read again.
  writeWav(m.dir / "nan.wav", 48000, 1, 4800,
           [](std::int64_t f, int) { return f == 7 ? std::numeric_limits<float>::quiet_NaN() : 0.1f; });
  fails("new --out n.ivrin --bpm 100 nan.wav", 1, "samples that are not numbers");
  REQUIRE(std::system(("mkfifo '" + (m.dir / "pipe.wav").string() + "'").c_str()) == 0);
  fails("new --out n.ivrin --bpm 100 pipe.wav", 1, "is a pipe, not a file");
  fails("measure pipe.wav", 1, "is a pipe, not a file");
  fails("check pipe.wav", 1, "is a pipe, not a file");
  CHECK_FALSE(std::filesystem::exists(m.dir / "n.ivrin"));
  // Whatever the level, what comes out is JSON.
  writeWav(m.dir / "silent.wav", 48000, 1, 4800, silence());
  json(run(m.dir, "measure --json silent.wav"));
  // Where nothing may be written, or a name is too long for a file, that is said.
  const std::string longName(300, 'n');
  fails("new --out " + longName + ".ivrin --bpm 100 audio/voice.wav", 1, "name too long");
  fails("render s.ivrin --out " + longName, 1, "name too long");
  std::filesystem::create_symlink(m.dir / "loop", m.dir / "loop");
  fails("render s.ivrin --out loop/x", 1, "loop");
  fails("check loop/s.ivrin", 1, "loop/s.ivrin");
  fails("render s.ivrin --out audio/voice.wav/x", 1, "audio/voice.wav/x");
}

TEST_CASE("a cache that cannot be used, or is damaged, is told; results are never mixed with it", "[cli]") {
  const Made m;
  CHECK(run(m.dir, "render t.ivrin --out one").status == 0);
  for (const auto& e : std::filesystem::directory_iterator(m.dir / "cache/ivrin/stems")) {
    std::fstream f(e.path(), std::ios::in | std::ios::out | std::ios::binary);
    f.seekp(4096 + 999);
    f.put(0x55);
  }
  const Ran damaged = run(m.dir, "render t.ivrin --out two");
  CHECK(damaged.status == 1);
  CHECK(damaged.err.find("its cached copy was damaged") != std::string::npos);
  CHECK(run(m.dir, "render t.ivrin --out two").status == 0); // it was thrown away
  CHECK(fileBytes(m.dir / "one/mix.wav") == fileBytes(m.dir / "two/mix.wav"));
  // A file where the cache folder should be.
  std::filesystem::remove_all(m.dir / "cache");
  std::ofstream(m.dir / "cache") << "x";
  const Ran none = run(m.dir, "check --json t.ivrin");
  CHECK(none.status == 1);
  CHECK(none.out.find("cannot write the cache folder") != std::string::npos);
  json(none);
  // A stream that can't be written to is told however it ends.
  CHECK(run(m.dir, "times --bpm 120 >&-; echo $?").out == "1\n");
}

TEST_CASE("empty, reversed and single-frame ranges: each command works or says why", "[cli]") {
  const TempFolder dir;
  writeWav(dir / "v.wav", 48000, 1, 96000, sine(440, 48000, 0.3));
  REQUIRE(run(dir, "new --out s.ivrin --bpm 120 v.wav").status == 0);
  REQUIRE(run(dir, "place s.ivrin --kind gap --row v --start 1 --length 1 --out s.ivrin").status == 0);
  // The song starts at 0 and is four beats long.
  for (const char* range : {"--to 0", "--to -0.001", "--to -3", "--to -1000", "--from 2 --to 2", "--from 2 --to 1",
                            "--from 3 --to -1", "--to 0.00000001"})
    for (const char* what : {"mix", "mix,stems,dry,wet,ornaments", "ornaments --trim"}) {
      const Ran r = run(dir, std::string("render s.ivrin --out out --what ") + what + " " + range);
      INFO(range << " " << what << "\n" << r.err);
      const bool both = std::string(range).starts_with("--from");
      CHECK(r.status == (both ? 2 : 1));
      CHECK(r.err.find(both ? "--to must be after --from" : "the range is empty") != std::string::npos);
      CHECK_FALSE(std::filesystem::exists(dir / "out"));
    }
  endsWith(dir, "render s.ivrin --out out --from 5", 1, "nothing plays from there on");
  endsWith(dir, "render s.ivrin --out one --from 1 --to 1.00005", 0, ""); // a frame is 0.0000417 beats
  Problems p;
  CHECK(AudioReader::open(dir / "one/mix.wav", 48000, "", p)->frames() == 1);
  endsWith(dir, "render s.ivrin --out trimmed --what ornaments --trim --from 3 --to 3.5", 0, "");
  for (const char* length : {"0", "-1", "0.0001", "1e9", "nan"}) {
    const std::string range = std::string(" --start 1 --length ") + length;
    endsWith(dir, "place s.ivrin --kind gap --row v" + range, 2, "--length");
  }
  endsWith(dir, "place s.ivrin --kind delay-throw --row v --start 1 --length 0.0009765625", 0, "");
  endsWith(dir, "set s.ivrin o1 seed=-1 --out t.ivrin", 2, "seed");
  CHECK_FALSE(std::filesystem::exists(dir / "t.ivrin"));
}

TEST_CASE("a limit on the size of files is a full disk, which is told", "[cli]") {
  const TempFolder dir;
  writeWav(dir / "v.wav", 48000, 1, 96000, sine(440, 48000, 0.3));
  REQUIRE(run(dir, "new --out s.ivrin --bpm 120 v.wav").status == 0);
  REQUIRE(run(dir, "check s.ivrin").status == 0); // its stem is in the cache
  const std::string line = "cd '" + dir.path().string() + "' && ulimit -f 8 && XDG_CACHE_HOME='" +
                           (dir / "cache").string() + "' '" + cliProgram() + "' render s.ivrin --out out 2> err.txt";
  const int status = std::system(line.c_str());
  CHECK((WIFEXITED(status) && WEXITSTATUS(status) == 1)); // it was ended by SIGXFSZ
  std::ifstream err(dir / "err.txt");
  const std::string said{std::istreambuf_iterator<char>(err), {}};
  CHECK(said.find("no space left") != std::string::npos);
  CHECK_FALSE(std::filesystem::exists(dir / "out/mix.wav"));
}

TEST_CASE("what files say never steers a terminal", "[cli]") {
  const TempFolder dir;
  const std::string name = "v\x1b]0;x\x07\xc2\x9b.wav";
  writeWav(dir / name, 48000, 1, 9600, sine(440, 48000, 0.3));
  std::ofstream(dir / "s.ivrin")
      << R"({"format": "ivrin-song", "version": 1, "title": "a\u001b[2J\u009b", "sample_rate": 48000,
    "tempo": [{"at": 0, "bpm": 120}], "meter": [{"at": 0, "count": 4, "unit": 4}],
    "stems": [{"id": "v", "name": "\u001b[31mred\u0007", "file": "not \u001b there.wav"}]})";
  for (const std::string& args :
       {std::string("check s.ivrin"), std::string("check s.ivrin --json"), std::string("rows s.ivrin"),
        "new --out n.ivrin --bpm 120 '" + name + "'", "measure '" + name + "'", "show '" + name + "' --json",
        std::string("render 'x\x1b[2J.ivrin' --out o")}) {
    INFO(args);
    const Ran r = run(dir, args);
    for (const std::string& said : {r.out, r.err}) {
      CHECK(said.find('\x1b') == std::string::npos);
      CHECK(said.find('\x07') == std::string::npos);
      CHECK(said.find("\xc2\x9b") == std::string::npos);
    }
    if (args.ends_with("--json") && r.status == 0) json(r);
  }
  CHECK(run(dir, "rows s.ivrin --json").status < 2);
}

TEST_CASE("check lists every problem with file and place", "[cli]") {
  const Made m;
  std::filesystem::remove(m.dir / "audio/drums.wav");
  const Ran missing = run(m.dir, "check t.ivrin");
  CHECK(missing.status == 1);
  CHECK(missing.out.find("t.ivrin: stems[1].file: “audio/drums.wav” does not exist") != std::string::npos);
  writeWav(m.dir / "audio/drums.wav", 48000, 2, 100, [](std::int64_t f, int) { return f == 5 ? NAN : 0.1f; });
  const Value bad = json(run(m.dir, "check t.ivrin --json"));
  CHECK(*at((*at(bad, "problems").list())[0], "id").text() == "bad-samples");
  CHECK(run(m.dir, "render t.ivrin --out r").status == 1); // an error of render too
  std::ofstream(m.dir / "broken.ivrin") << "{\"format\": \"ivrin-song\",\n \"version\": 1,,}";
  const Ran broken = run(m.dir, "check broken.ivrin");
  CHECK(broken.status == 1);
  CHECK(broken.out.find("line 2") != std::string::npos);
}

TEST_CASE("audio outside the song's folder counts as missing until it is allowed", "[cli]") {
  const Made m;
  const TempFolder far;
  std::filesystem::copy_file(m.dir / "audio/drums.wav", far / "drums.wav");
  REQUIRE(run(m.dir, "new --out far.ivrin --bpm 100 '" + (far / "drums.wav").string() + "'").status == 0);
  CHECK(run(m.dir, "check far.ivrin").status == 1);
  CHECK(run(m.dir, "check far.ivrin").out.find("--reach") != std::string::npos);
  CHECK(run(m.dir, "check far.ivrin --reach '" + far.path().string() + "'").status == 0);
}

TEST_CASE("times and kinds have everything", "[cli]") {
  const TempFolder dir;
  const Value t = json(run(dir, "times --bpm 104 --json"));
  bool found = false;
  for (const Value& v : *at(t, "times").list())
    if (*at(v, "value").text() == "1/8.") {
      found = true;
      CHECK(*at(v, "ms").number() == Approx(432.6923).margin(1e-4));
    }
  CHECK(found);
  const Value k = json(run(dir, "kinds --json"));
  CHECK(at(k, "kinds").list()->size() == 12);
  for (const Value& kind : *at(k, "kinds").list())
    for (const Value& s : *at(kind, "settings").list()) CHECK_FALSE(at(s, "meaning").text()->empty());
  const Ran text = run(dir, "kinds delay-throw");
  CHECK(text.out.find("feedback_percent (number 0..200 %, curve; default 45)") != std::string::npos);
}

TEST_CASE("measure tells a known signal's figures", "[cli]") {
  const TempFolder dir;
  writeWav(dir / "x.wav", 48000, 2, 48000 * 5, sine(997, 48000, Decibels(-23).gain()));
  const Value m = json(run(dir, "measure x.wav --json"));
  const Value& f = (*at(m, "files").list())[0];
  CHECK(*at(f, "integrated_lufs").number() == Approx(-23).margin(0.1));
  CHECK(*at(f, "true_peak_dbtp").number() == Approx(-23).margin(0.1));
  CHECK(*at(f, "seconds").number() == 5);
}

TEST_CASE("the format page of the docs is what the tables say", "[cli]") {
  const TempFolder dir;
  std::ifstream page(sourceFolder() / "docs/song-format.md");
  std::stringstream text;
  text << page.rdbuf();
  CHECK(run(dir, "kinds --markdown").out == text.str());
}

TEST_CASE("a stem of the demo song is the same bytes composed alone as among all others",
          "[cli][slow]") { // plays it: 3 s
  if (kSanitized) return;  // ten times as long
  const std::filesystem::path there = sourceFolder() / "demo/song/audio/bass.flac";
  if (!std::filesystem::exists(there)) {
    WARN("the demo song's stems are not computed here");
    return;
  }
  const std::filesystem::path composer = std::filesystem::path(cliProgram()).parent_path() / "ivrin-demo-composer";
  const TempFolder dir;
  REQUIRE(std::system(("'" + composer.string() + "' '" + dir.path().string() + "' bass").c_str()) == 0);
  CHECK(fileBytes(dir / "bass.flac") == fileBytes(there));
  CHECK_FALSE(std::filesystem::exists(dir / "voice.flac"));
}

TEST_CASE("the demo song is sound: no problems, every ornament audible, none louder than the ceiling",
          "[cli][slow][heavy]") {
  const std::string song = (sourceFolder() / "demo/song/lantern-ferry.ivrin").string();
  if (!std::filesystem::exists(sourceFolder() / "demo/song/audio/voice.flac")) {
    WARN("the demo song's stems are not computed here");
    return;
  }
  const TempFolder dir;
  CHECK(run(dir, "check '" + song + "'").status == 0);
  const Value shown = json(run(dir, "show '" + song + "' --json"));
  CHECK(at(shown, "ornaments").list()->size() >= 12);
  for (const Value& o : *at(shown, "ornaments").list()) {
    INFO(*at(o, "id").text());
    if (at(o, "peak_dbfs").isNull()) { // a gap: it lands
      CHECK(std::abs(*at(o, "landing_frame").number() - 128.0 * 60 / 104 * 48000) <= 0.5);
      continue;
    }
    CHECK(*at(o, "peak_dbfs").number() > -30);
    CHECK(*at(o, "peak_dbfs").number() < -3);
    // What goes on beneath it may be met; the next phrase is not, but for "drifting", whose strings have all but died
    // away when it sounds over them.
    for (const Value& c : *at(o, "collisions").list())
      CHECK((at(c, "goes_on") == Value(true) || *at(o, "id").text() == "o10"));
  }
  REQUIRE(run(dir, "render '" + song + "' --out r").status == 0);
  const Value m = json(run(dir, "measure r/mix.wav --json"));
  const Value& f = (*at(m, "files").list())[0];
  CHECK(*at(f, "true_peak_dbtp").number() <= -0.9);
  CHECK(*at(f, "integrated_lufs").number() == Approx(-14).margin(1));
  CHECK(*at(f, "seconds").number() == Approx(142).margin(4));
}

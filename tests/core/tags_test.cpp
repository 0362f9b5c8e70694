// What tags of files say, and stems that come to a song with them.
#include "audio/tags.h"
#include "render/open_song.h"
#include "test_support/midi_bytes.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>
#include <sndfile.h>
#include <taglib/fileref.h>
#include <taglib/tpropertymap.h>

#include <cmath>
#include <fstream>

using namespace ivrin;
using namespace ivrin::test;
namespace fs = std::filesystem;

namespace {

fs::path tagged(const fs::path& file, const std::string& title, const std::string& bpm, const std::string& key) {
  SF_INFO info{0, 48000, 1, 0, 0, 0};
  info.format = file.extension() == ".flac" ? SF_FORMAT_FLAC | SF_FORMAT_PCM_16 : SF_FORMAT_WAV | SF_FORMAT_PCM_16;
  SNDFILE* out = sf_open(file.c_str(), SFM_WRITE, &info);
  REQUIRE(out);
  std::vector<float> x(9600);
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = 0.1f * std::sin(0.05f * static_cast<float>(i));
  sf_writef_float(out, x.data(), 9600);
  sf_close(out);
  TagLib::FileRef ref(file.c_str());
  TagLib::PropertyMap all;
  for (const auto& [name, value] : {std::pair{"TITLE", title}, {"BPM", bpm}, {"INITIALKEY", key}})
    if (!value.empty()) all.insert(name, TagLib::StringList(TagLib::String(value, TagLib::String::UTF8)));
  ref.file()->setProperties(all);
  REQUIRE(ref.save());
  return file;
}

/// A WAV file that says it starts so many frames after midnight.
fs::path stated(const fs::path& file, std::uint32_t frames) {
  SF_INFO info{0, 48000, 1, SF_FORMAT_WAV | SF_FORMAT_PCM_16, 0, 0};
  SNDFILE* out = sf_open(file.c_str(), SFM_WRITE, &info);
  REQUIRE(out);
  SF_BROADCAST_INFO bext{};
  bext.time_reference_low = frames;
  REQUIRE(sf_command(out, SFC_SET_BROADCAST_INFO, &bext, sizeof bext) == SF_TRUE);
  const std::vector<float> x(9600, 0.1f);
  sf_writef_float(out, x.data(), 9600);
  sf_close(out);
  return file;
}

} // namespace

TEST_CASE("keys as people write them", "[tags]") {
  const auto is = [](const char* text, int note, bool minor) {
    INFO(text);
    CHECK(readKey(text) == Key{note, minor});
  };
  is("Dm", 2, true);
  is("D minor", 2, true);
  is("d min", 2, true);
  is("C", 0, false);
  is("CM", 0, false);
  is("F#m", 6, true);
  is("F♯ minor", 6, true);
  is("Bb", 10, false);
  is("B♭maj", 10, false);
  is("Ebm", 3, true);
  is("Cb major", 11, false);
  is("B-Major", 11, false);
  for (const char* none : {"", "H", "8A", "o", "Dx", "D minorr", "minor", "♯", "m"}) {
    INFO(none);
    CHECK_FALSE(readKey(none));
  }
}

TEST_CASE("title, tempo and key of tags, in FLAC and WAV; what is not said, or makes no sense, is nothing", "[tags]") {
  const TempFolder dir;
  for (const char* name : {"a.flac", "a.wav"}) {
    INFO(name);
    const Tags t = tagsOf(tagged(dir / name, "Lantern ♯1", "93.5", "F#m"));
    CHECK(t.title == "Lantern ♯1");
    CHECK(t.bpm == 93.5);
    CHECK(t.key == Key{6, true});
    const Tags none = tagsOf(tagged(dir / (std::string("b-") + name), "", "fast", "8A"));
    CHECK(none.title.empty());
    CHECK_FALSE(none.bpm);
    CHECK_FALSE(none.key);
    CHECK_FALSE(tagsOf(tagged(dir / (std::string("c-") + name), "", "900", "")).bpm);
  }
  CHECK_FALSE(tagsOf(dir / "not there.wav").key);
  std::ofstream(dir / "text.wav") << "no sound at all";
  CHECK(tagsOf(dir / "text.wav").title.empty());
}

TEST_CASE("a new song has what all of its files say", "[tags]") {
  const TempFolder dir;
  const StemStore store(dir / "cache");
  Problems problems;
  const auto a = tagged(dir / "a.flac", "Ferry", "90", "Dm"), b = tagged(dir / "b.wav", "Ferry", "90", "D minor"),
             c = tagged(dir / "c.flac", "Other", "90", "Am");
  NewSong same = songFromFiles({a, b}, 120, 0, store, problems);
  CHECK(same.song.title == "Ferry");
  CHECK(same.song.key == Key{2, true});
  CHECK(same.bpm == 90.0);
  NewSong apart = songFromFiles({a, b, c}, 120, 0, store, problems);
  CHECK(apart.song.title.empty());
  CHECK_FALSE(apart.song.key);
  CHECK(apart.bpm == 90.0);
  CHECK_FALSE(problems.hasErrors());
}

TEST_CASE("a MIDI file among the stems gives a new song its grid", "[tags][midi]") {
  const TempFolder dir;
  const StemStore store(dir / "cache");
  Problems problems;
  std::ofstream(dir / "map.mid", std::ios::binary) << midiFile({MidiTrack().tempo(0, 87).meter(0, 3, 2)});
  const NewSong made = songFromFiles({tagged(dir / "a.wav", "", "90", ""), dir / "map.mid"}, 120, 0, store, problems);
  CHECK(made.gridFrom == "map.mid");
  CHECK(made.song.stems.size() == 1);
  CHECK(made.song.tempo == std::vector<TempoEntry>{{Beats(0), 87}});
  CHECK(made.song.meter == std::vector<MeterEntry>{{Beats(0), 3, 4}});
  CHECK_FALSE(problems.hasErrors());
  std::ofstream(dir / "broken.mid", std::ios::binary) << "MThd";
  songFromFiles({dir / "a.wav", dir / "broken.mid"}, 120, 0, store, problems);
  REQUIRE(problems.hasErrors());
  CHECK(problems.list.back().text() == "broken.mid: its header is cut off");
}

TEST_CASE("stems that come to a song lie where their files say, beside those that say it too", "[tags]") {
  const TempFolder dir;
  const StemStore store(dir / "cache");
  Problems problems;
  // A song whose stems start at ten seconds past midnight, and one of them a second later.
  Song song =
      songFromFiles({stated(dir / "a.wav", 480000), stated(dir / "b.wav", 528000)}, 120, 0, store, problems).song;
  REQUIRE(song.stems.size() == 2);
  CHECK(statedStart(song) == 10.0);
  const NewStems more =
      stemsFromFiles({stated(dir / "c.wav", 504000), stated(dir / "d.wav", 456000), tagged(dir / "e.wav", "", "", "")},
                     song, store, problems);
  REQUIRE(more.stems.size() == 3);
  CHECK(more.apart);
  CHECK(more.stems[0].offsetSeconds == 0.5);
  CHECK(more.stems[1].offsetSeconds == -0.5);
  CHECK(more.stems[2].offsetSeconds == 0);
  // Out of reach, or in a song that says nothing: from the start.
  const NewStems far = stemsFromFiles({stated(dir / "f.wav", 4000000000)}, song, store, problems);
  CHECK(far.stems[0].offsetSeconds == 0);
  CHECK_FALSE(far.apart);
  song.stems.resize(1);
  song.stems[0].file = (dir / "e.wav").string();
  CHECK(stemsFromFiles({dir / "c.wav"}, song, store, problems).stems[0].offsetSeconds == 0);
  CHECK_FALSE(problems.hasErrors());
}

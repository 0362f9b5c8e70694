// What tags of files say, and stems that come to a song with them.
#include "import/tags.h"
#include "render/open_song.h"
#include "test_support/midi_bytes.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>
#include <sndfile.h>
#include <taglib/fileref.h>
#include <taglib/tpropertymap.h>

#include <cmath>
#include <fstream>
#include <sys/resource.h>

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

double peakMemoryMiB() {
  rusage used{};
  ::getrusage(RUSAGE_SELF, &used);
  return static_cast<double>(used.ru_maxrss) / 1024;
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

namespace {

/// A frame of ID3v2: text in UTF-8, or what is given.
std::string frame(int version, const std::string& id, const std::string& body, unsigned flags = 0) {
  const auto size = static_cast<unsigned>(body.size());
  const std::string length =
      version == 4 ? std::string({static_cast<char>(size >> 21 & 127), static_cast<char>(size >> 14 & 127),
                                  static_cast<char>(size >> 7 & 127), static_cast<char>(size & 127)})
                   : bigEndian(size, 4);
  return id + length + bigEndian(flags, 2) + body;
}
std::string tag(int version, const std::string& frames, unsigned flags = 0) {
  const auto size = static_cast<unsigned>(frames.size());
  std::string s = "ID3" + std::string({static_cast<char>(version), '\0', static_cast<char>(flags)});
  for (const int shift : {21, 14, 7, 0}) s += static_cast<char>(size >> shift & 127);
  return s + frames;
}
fs::path written(const fs::path& file, const std::string& bytes) {
  std::ofstream(file, std::ios::binary) << bytes;
  return file;
}

/// A zlib stream (RFC 1950, 1951) of 258·count zeros and one: length 258 at distance 1 is 13 bits of the fixed code.
std::string zeros(int count) {
  std::string out("\x78\x9c", 2);
  unsigned held = 0;
  int bits = 0;
  const auto put = [&](unsigned code, int n, bool reversed) {
    for (int i = 0; i < n; ++i) {
      held |= (code >> (reversed ? n - 1 - i : i) & 1u) << bits;
      if (++bits == 8) {
        out += static_cast<char>(held);
        held = 0;
        bits = 0;
      }
    }
  };
  put(1, 1, false); // the last block
  put(1, 2, false); // fixed codes
  put(0x30, 8, true);
  for (int i = 0; i < count; ++i) {
    put(0xC5, 8, true);
    put(0, 5, true);
  }
  put(0, 7, true);
  if (bits > 0) out += static_cast<char>(held);
  return out + std::string(4, '\0');
}

} // namespace

TEST_CASE("tags that a library writes are read from every kind of file", "[tags]") {
  const TempFolder dir;
  for (const auto& [name, format] : {std::pair{"a.aiff", SF_FORMAT_AIFF | SF_FORMAT_PCM_16},
                                     {"a.ogg", SF_FORMAT_OGG | SF_FORMAT_VORBIS},
                                     {"a.opus", SF_FORMAT_OGG | SF_FORMAT_OPUS},
                                     {"a.mp3", SF_FORMAT_MPEG | SF_FORMAT_MPEG_LAYER_III}}) {
    INFO(name);
    const fs::path file = dir / name;
    SF_INFO info{0, 48000, 1, format, 0, 0};
    SNDFILE* out = sf_open(file.c_str(), SFM_WRITE, &info);
    REQUIRE(out);
    const std::vector<float> x(48000, 0.1f);
    sf_writef_float(out, x.data(), 48000);
    sf_close(out);
    TagLib::FileRef ref(file.c_str());
    TagLib::PropertyMap all;
    all.insert("TITLE", TagLib::StringList(TagLib::String("Fähre ♯2 𝄞", TagLib::String::UTF8)));
    all.insert("BPM", TagLib::StringList("101"));
    all.insert("INITIALKEY", TagLib::StringList("Ebm"));
    ref.file()->setProperties(all);
    REQUIRE(ref.save());
    const Tags t = tagsOf(file);
    CHECK(t.title == "Fähre ♯2 𝄞");
    CHECK(t.bpm == 101.0);
    CHECK(t.key == Key{3, true});
  }
}

TEST_CASE("ID3v2 as it may be written: versions, encodings, frames to be passed over", "[tags]") {
  const TempFolder dir;
  const auto titleOf = [&](const std::string& bytes) {
    return tagsOf(written(dir / "t.mp3", bytes + std::string(200, '\0'))).title;
  };
  const std::string utf16 = std::string("\1\xff\xfe"
                                        "A\0\x6f\x26\0\0",
                                        9),
                    big = std::string("\2\0B\x26\x6f", 5);
  CHECK(titleOf(tag(3, frame(3, "TIT2", utf16))) == "A♯");
  CHECK(titleOf(tag(4, frame(4, "TIT2", big))) == "B♯");
  CHECK(titleOf(tag(3, frame(3, "TIT2", std::string("\0caf\xe9", 5)))) == "café");
  CHECK(titleOf(tag(2, std::string("TT2\0\0\4\3two", 10))) == "two");
  CHECK(titleOf(tag(4, frame(4, "APIC", std::string(200000, 'p')) + frame(4, "TIT2", "\3late"))) == "late");
  // Unsynchronised as a whole: FF 00 stands for FF.
  CHECK(titleOf(tag(3, std::string("TIT2\0\0\0\3\0\0\0\xff\0x", 14), 0x80)) == "ÿx");
  // Behind a data length, of a group; packed and encrypted ones are passed over.
  CHECK(titleOf(tag(4, frame(4, "TIT2", std::string("\0\0\0\5\3deep", 9), 0x01))) == "deep");
  CHECK(titleOf(tag(3, frame(3, "TIT2", "\3shut", 0x40) + frame(3, "TIT2", std::string("\0open", 5)))) == "open");
  CHECK(tagsOf(written(dir / "v1.mp3", std::string(300, 'x') + "TAG" + "Old title" + std::string(116, '\0'))).title ==
        "Old title");
  // Cut off anywhere, nothing is read that is not there.
  const std::string whole = tag(4, frame(4, "TIT2", "\3late") + frame(4, "TBPM", "\00390"));
  for (std::size_t n = 0; n < whole.size(); ++n) tagsOf(written(dir / "cut.mp3", whole.substr(0, n)));
}

TEST_CASE("tags cannot take memory: nothing is inflated, a megabyte is read, a thousand frames are walked", "[tags]") {
  const TempFolder dir;
  std::string packed = bigEndian(0x7fffffff, 4) + zeros(860000); // 1.4 MB that would be 220
  REQUIRE(packed.size() > 1390000);
  std::string many;
  for (int i = 0; i < 200000; ++i) many += frame(3, "TXXX", "");
  const std::string comment = std::string("\4\0\0\0name\xff\xff\xff\xff", 12) + std::string(1 << 22, '\xff');
  const std::vector<fs::path> files = {
      written(dir / "packed.mp3", tag(3, frame(3, "TIT2", packed, 0x80))),
      written(dir / "packed4.mp3", tag(4, frame(4, "TIT2", packed, 0x09))),
      written(dir / "packed.wav", "RIFF" + std::string("\xff\xff\x20\0", 4) + "WAVEid3 " +
                                      std::string("\xff\xff\x1f\0", 4) + tag(3, frame(3, "TIT2", packed, 0x80))),
      written(dir / "many.mp3", tag(3, many)),
      written(dir / "long.mp3", tag(4, frame(4, "TIT2", "\3" + std::string(3 << 20, 'x')))),
      written(dir / "huge.flac", "fLaC" + std::string("\x84\x40\0\0", 4) + comment),
      written(dir / "pages.ogg", [] {
        std::string page =
            "OggS" + std::string(22, '\0') + '\xff' + std::string(255, '\xff') + std::string(255 * 255, 'x');
        std::string all;
        for (int i = 0; i < 100; ++i) all += page;
        return all;
      }())};
  packed.clear();
  const double before = peakMemoryMiB();
  for (const fs::path& f : files) {
    INFO(f.filename().string());
    CHECK(tagsOf(f).title.size() <= 1000);
  }
  CHECK(peakMemoryMiB() - before < 8);
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
  CHECK(problems.list.back().text() == "broken.mid: its header is incomplete");
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

#include "files/json.h"
#include "files/song_file.h"
#include "ornaments/kind.h"

#include "test_support/places.h"
#include <catch2/catch.hpp>

#include <fstream>
#include <map>
#include <sstream>

using namespace ivrin;

namespace {

const char* const kWhole = R"({
  "format": "ivrin-song", "version": 1, "title": "T", "sample_rate": 44100, "start_seconds": -0.5,
  "key": {"note": 2, "mode": "minor"},
  "tempo": [{"at": 0, "bpm": 104}, {"at": 8, "bpm": 120.5}],
  "meter": [{"at": 0, "count": 4, "unit": 4}, {"at": 8, "count": 7, "unit": 8}],
  "sections": [{"id": "s1", "at": 0, "name": "Intro"}],
  "landings": [{"id": "l1", "at": 12, "name": "Drop"}],
  "buses": [{"id": "music", "name": "Music", "gain_db": -3, "pan": 0.5, "mute": true, "solo": true}],
  "stems": [{"id": "voice", "name": "Voice", "file": "audio/voice.flac", "offset_seconds": 1.25, "gain_db": 2, "pan": -1,
             "mute": false, "solo": false, "bus": "music", "digest": "abc", "frames": 1000},
            {"id": "empty", "name": "Empty", "file": null, "bus": null}],
  "mix": {"gain_db": 1, "ceiling_dbtp": -2, "limiter": false},
  "ornaments": [
    {"id": "o1", "kind": "delay-throw", "on": "voice", "start": 30.5, "length": 0.333333, "name": "w", "enabled": false,
     "gain_db": -1.5, "seed": 9007199254740991, "landing": "l1", "hears": "dry",
     "source": [{"row": null, "start": 1, "length": 2, "send_db": -3}, {"row": "empty", "start": -4, "length": 0.25, "send_db": 0}],
     "variant": "B", "settings": {"time_left": "1/8.", "time_right": 430, "feedback_percent": [[0, 20], [2, 120, 0.5]], "low_cut_hz": [200, null]},
     "finish": [], "variants": [{"slot": "A", "settings": {"wet_db": -3}, "finish": [], "gain_db": 0}]},
    {"id": "o2", "kind": "gap", "on": "mix", "start": -2, "length": 4}]
})";

std::string replaced(std::string text, const std::string& from, const std::string& to) {
  const auto at = text.find(from);
  INFO("looking for " << from);
  REQUIRE(at != std::string::npos);
  return text.replace(at, from.size(), to);
}

Problems problemsOf(const std::string& text) {
  Problems p;
  const auto song = readSong(text, allKinds().registry(), p);
  CHECK(song.has_value() != p.hasErrors());
  return p;
}

} // namespace

TEST_CASE("a song with everything reads, writes and reads back equal", "[song]") {
  Problems p;
  const auto song = readSong(kWhole, allKinds().registry(), p);
  for (const auto& x : p.list) INFO(x.text());
  REQUIRE(song);
  CHECK(song->ornaments[0]->seed == 9007199254740991);
  CHECK(song->ornaments[0]->length == Beats(kTicksPerQuarter / 3));
  CHECK(song->ornaments[0]->source.size() == 2);
  CHECK(song->ornaments[1]->start == Beats::ofQuarters(-2));
  const std::string text = writeSong(*song, allKinds().registry());
  Problems again;
  const auto back = readSong(text, allKinds().registry(), again);
  REQUIRE(back);
  CHECK(*back == *song);
  CHECK(writeSong(*back, allKinds().registry()) == text); // the same bytes every time
}

TEST_CASE("every kind of error names its place, the value and the nearest right name", "[song]") {
  struct Case {
    std::string from, to;
    ErrorId id;
    std::string place, says;
  };
  const std::vector<Case> cases = {
      {"\"T\"", "T", ErrorId::syntax, "line 2", "syntax"},
      {"\"ivrin-song\"", "\"other\"", ErrorId::not_a_song, "format", "ivrin-song"},
      {"\"version\": 1", "\"version\": 4", ErrorId::newer_version, "version", "newer version of Ivrin"},
      {"\"version\": 1", "\"version\": 0", ErrorId::out_of_range, "version", "must be 1 to 3"},
      {"\"version\": 1", "\"version\": 1.5", ErrorId::out_of_range, "version", "must be 1 to 3"},
      {"\"sample_rate\": 44100, ", "", ErrorId::missing_field, "sample_rate", "missing"},
      {"\"title\"", "\"titel\"", ErrorId::unknown_field, "titel", "“title”"},
      {"\"feedback_percent\"", "\"feedbak_percent\"", ErrorId::unknown_field, "ornaments[0].settings.feedbak_percent",
       "“feedback_percent”"},
      {"\"sample_rate\": 44100", "\"sample_rate\": \"fast\"", ErrorId::wrong_type, "sample_rate", "a number"},
      {"\"sample_rate\": 44100", "\"sample_rate\": 44100.5", ErrorId::wrong_type, "sample_rate", "whole"},
      {"\"bpm\": 104", "\"bpm\": 12", ErrorId::out_of_range, "tempo[0].bpm", "20..400"},
      {"\"pan\": -1", "\"pan\": -1.5", ErrorId::out_of_range, "stems[0].pan", "-1..1"},
      {"[2, 120, 0.5]", "[2, 220, 0.5]", ErrorId::out_of_range, "ornaments[0].settings.feedback_percent[1]",
       "0..200 %"},
      {"[2, 120, 0.5]", "[2, 120, 1.5]", ErrorId::out_of_range, "feedback_percent[1]", "bend"},
      {"[[0, 20], [2, 120, 0.5]]", "[[2, 20], [0, 120]]", ErrorId::bad_order, "feedback_percent[1]", "x"},
      {"\"time_left\": \"1/8.\"", "\"time_left\": \"1/9\"", ErrorId::out_of_range, "time_left", "note value"},
      {"\"time_left\": \"1/8.\"", "\"time_left\": \"17 bars\"", ErrorId::out_of_range, "time_left", "16 bars"},
      {"\"minor\"", "\"minr\"", ErrorId::unknown_choice, "key.mode", "“minor”"},
      {"\"dry\"", "\"wet\"", ErrorId::unknown_choice, "ornaments[0].hears", "“row”"},
      {"\"variant\": \"B\"", "\"variant\": \"E\"", ErrorId::unknown_choice, "ornaments[0].variant", "“A”"},
      {"\"slot\": \"A\"", "\"slot\": \"B\"", ErrorId::duplicate_id, "variants[0].slot", "twice"},
      {"\"id\": \"empty\"", "\"id\": \"music\"", ErrorId::duplicate_id, "stems[1].id", "music"},
      {"\"id\": \"l1\"", "\"id\": \"s1\"", ErrorId::duplicate_id, "landings[0].id", "s1"},
      {"\"id\": \"empty\"", "\"id\": \"mix\"", ErrorId::duplicate_id, "stems[1].id", "mix"},
      {"\"bus\": \"music\"", "\"bus\": \"musik\"", ErrorId::dangling_id, "stems[0].bus", "“music”"},
      {"\"on\": \"voice\"", "\"on\": \"voise\"", ErrorId::dangling_id, "ornaments[0].on", "“voice”"},
      {"\"landing\": \"l1\"", "\"landing\": \"l2\"", ErrorId::dangling_id, "ornaments[0].landing", "“l1”"},
      {"{\"at\": 8, \"bpm\": 120.5}", "{\"at\": 0, \"bpm\": 120.5}", ErrorId::bad_order, "tempo[1].at", "ascend"},
      {"{\"at\": 8, \"count\": 7", "{\"at\": 7, \"count\": 7", ErrorId::bad_order, "meter[1].at", "bar line"},
      {"[{\"at\": 0, \"bpm\": 104}, {\"at\": 8, \"bpm\": 120.5}]", "[]", ErrorId::bad_order, "tempo", "entry at 0"},
      {"\"unit\": 8", "\"unit\": 6", ErrorId::out_of_range, "meter[1].unit", "power of two"},
      {"\"kind\": \"gap\"", "\"kind\": \"gab\"", ErrorId::unknown_kind, "ornaments[1].kind", "“gap”"},
      {"\"finish\": [], \"variants\"", "\"finish\": [{\"type\": \"nothing\"}], \"variants\"", ErrorId::unknown_kind,
       "finish[0].type", "nothing"},
      {"\"length\": 4}", "\"length\": 0}", ErrorId::out_of_range, "ornaments[1].length", ".."},
      {"\"length\": 4}", "\"length\": 4, \"length\": 5}", ErrorId::syntax, "line", "twice"},
      {"\"length\": 4}", "\"length\": 1e999}", ErrorId::syntax, "line", "1e999"},
      {"\"file\": null", "\"file\": \"\"", ErrorId::out_of_range, "stems[1].file", "empty"},
  };
  for (const Case& c : cases) {
    const Problems p = problemsOf(replaced(kWhole, c.from, c.to));
    INFO(c.from << " → " << c.to);
    bool found = false;
    std::string all;
    for (const auto& x : p.list) {
      all += x.text() + "\n";
      found = found || (x.id == c.id && x.isError && x.place.find(c.place) != std::string::npos &&
                        x.message.find(c.says) != std::string::npos);
    }
    INFO(all);
    CHECK(found);
  }
  for (int i = 0; i < kErrorIdCount; ++i) CHECK_FALSE(errorName(static_cast<ErrorId>(i)).empty());
}

TEST_CASE("a newer version is refused with that reason alone, never half read", "[song]") {
  const Problems p = problemsOf(
      replaced(replaced(kWhole, "\"version\": 1", "\"version\": 7"), "\"kind\": \"gap\"", "\"kind\": \"future\""));
  REQUIRE(p.list.size() == 1);
  CHECK(p.list[0].id == ErrorId::newer_version);
}

TEST_CASE("hostile text is refused in bounded time", "[song]") {
  CHECK(problemsOf(std::string(100000, '[')).list[0].message.find("64 levels") != std::string::npos);
  CHECK(problemsOf("").hasErrors());
  CHECK(problemsOf("\xff\xfe\x00").hasErrors());
  CHECK(problemsOf("[]").list[0].id == ErrorId::not_a_song);
  CHECK(problemsOf("{\"format\": \"ivrin-song\"}").hasErrors());
  std::string many = "{\"format\": \"ivrin-song\", \"version\": 1, \"sections\": [";
  for (int i = 0; i < 3000; ++i) many += std::string(i ? "," : "") + "{\"id\": \"x\", \"at\": 0}";
  CHECK(problemsOf(many + "]}").hasErrors());
}

TEST_CASE("ten thousand mutations of a song never crash the reader and never pass silently wrong", "[song][slow]") {
  std::uint64_t state = 12345;
  const auto next = [&](std::uint64_t n) {
    state = state * 6364136223846793005ull + 1442695040888963407ull;
    return (state >> 33) % n;
  };
  const std::string original = kWhole;
  const Registry registry = allKinds().registry();
  int refused = 0;
  for (int i = 0; i < 10000; ++i) {
    std::string text = original;
    for (std::uint64_t k = 0; k <= next(4) && !text.empty(); ++k) {
      const auto at = next(text.size());
      switch (next(4)) {
      case 0:
        text[at] = static_cast<char>(next(256));
        break;
      case 1:
        text.erase(at, next(20) + 1);
        break;
      case 2:
        text.insert(at, text.substr(next(text.size()), next(30)));
        break;
      default:
        text.resize(at + 1);
        break;
      }
    }
    Problems p;
    const auto song = readSong(text, registry, p);
    refused += song ? 0 : 1;
    REQUIRE(song.has_value() != p.hasErrors());
    if (song) { // what passes is a song that survives a round trip
      Problems q;
      const auto back = readSong(writeSong(*song, allKinds().registry()), registry, q);
      REQUIRE(back);
      REQUIRE(*back == *song);
    }
  }
  CHECK(refused > 5000);
}

TEST_CASE("the demo song is a valid song and stands as the writer writes it", "[song]") {
  std::ifstream in(ivrin::test::sourceFolder() / "demo/song/lantern-ferry.ivrin");
  std::stringstream text;
  text << in.rdbuf();
  Problems p;
  const auto song = readSong(text.str(), allKinds().registry(), p);
  for (const auto& x : p.list) INFO(x.text());
  REQUIRE(song);
  CHECK(writeSong(*song, allKinds().registry()) == text.str());
  CHECK(song->stems.size() == 7);
  CHECK(song->ornaments.size() >= 10);
}

namespace {

/// The registry with one kind, one setting of another and one processor that version 2 brought.
Registry withAdditions() {
  Registry r = allKinds().registry();
  TableSpec kind{.id = "shimmer", .name = "Shimmer"};
  kind.since = 2;
  kind.settings.push_back({.key = "amount", .label = "amount", .min = 0, .max = 1, .initial = 0.5});
  r.kinds.push_back(kind);
  for (TableSpec& t : r.kinds)
    if (t.id == "gap")
      t.settings.push_back({.key = "soft", .label = "soft", .type = type::yesNo, .initial = false, .since = 2});
  TableSpec processor{.id = "dust", .name = "Dust"};
  processor.since = 2;
  r.processors.push_back(processor);
  return r;
}

std::string songWith(int version, const std::string& kind, const std::string& settings,
                     const std::string& finish = "") {
  return R"({"format": "ivrin-song", "version": )" + std::to_string(version) +
         R"(, "sample_rate": 48000, "tempo": [{"at": 0, "bpm": 120}], "meter": [{"at": 0, "count": 4, "unit": 4}],
             "stems": [{"id": "v", "name": "V"}],
             "ornaments": [{"id": "o1", "kind": ")" +
         kind + R"(", "on": "v", "start": 0, "length": 1, "settings": {)" + settings + R"(}, "finish": [)" + finish +
         "]}]}";
}

} // namespace

TEST_CASE("a song is written as the lowest version that holds it, and what came later is refused in an earlier file",
          "[song]") {
  const Registry registry = withAdditions();
  struct Case {
    const char *kind, *settings, *finish;
    int lowest;
    const char* place; // of what is too new for version 1
  };
  const Case cases[] = {{"gap", "", "", 1, nullptr},
                        {"gap", R"("tails": "cut")", R"({"type": "gain", "db": -3})", 1, nullptr},
                        {"gap", R"("soft": true)", "", 2, "ornaments[0].settings.soft"},
                        {"gap", "", R"({"type": "dust"})", 2, "ornaments[0].finish[0].type"},
                        {"shimmer", R"("amount": 0.25)", "", 2, "ornaments[0].kind"}};
  for (const Case& c : cases) {
    INFO(c.kind << " " << c.settings << " " << c.finish);
    Problems p;
    const auto song = readSong(songWith(2, c.kind, c.settings, c.finish), registry, p);
    for (const auto& x : p.list) UNSCOPED_INFO(x.text());
    REQUIRE(song);
    CHECK(lowestVersion(*song, registry) == c.lowest);
    const std::string text = writeSong(*song, registry);
    CHECK(text.find("\"version\": " + std::to_string(c.lowest)) != std::string::npos);
    Problems again;
    CHECK(readSong(text, registry, again) == song);
    // The same in a file that says version 1.
    Problems early;
    const auto asFirst = readSong(songWith(1, c.kind, c.settings, c.finish), registry, early);
    CHECK(asFirst.has_value() == (c.place == nullptr));
    if (!c.place) continue;
    REQUIRE(early.list.size() == 1);
    CHECK(early.list[0].place == c.place);
    CHECK(early.list[0].message.find("came with song version 2; this file says version 1") != std::string::npos);
  }
  // So does how a value is written.
  Problems tooNew, fits;
  CHECK_FALSE(readSong(songWith(2, "delay-throw", R"("time_left": "5/16")"), registry, tooNew));
  CHECK(tooNew.list.at(0).text() ==
        "ornaments[0].settings.time_left: 5/16 came with song version 3; this file says version 2");
  const auto newest = readSong(songWith(3, "delay-throw", R"("time_left": "5/16")"), registry, fits);
  REQUIRE(newest);
  CHECK(lowestVersion(*newest, registry) == 3);
  // Variants count too.
  Problems p;
  auto song = readSong(songWith(1, "gap", ""), registry, p);
  REQUIRE(song);
  Ornament o = *song->ornaments.front();
  Variant other;
  other.slot = "B";
  other.settings["soft"] = true;
  o.variants.push_back(other);
  song->ornaments.set(0, o);
  CHECK(lowestVersion(*song, registry) == 2);
  // Nothing of this Ivrin's own is newer than what it reads.
  for (const auto* tables : {&registry.kinds, &registry.processors})
    for (const TableSpec& t : *tables) {
      CHECK(t.since <= kSongVersion);
      for (const SettingSpec& s : t.settings) CHECK(s.since <= kSongVersion);
    }
}

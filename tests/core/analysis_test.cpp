#include "analysis/collisions.h"
#include "dsp/filter/svf.h"
#include "dsp/measure/loudness.h"
#include "files/song_file.h"
#include "manners/first_press.h"
#include "manners/fitting.h"
#include "manners/in_the_mix.h"
#include "manners/tries.h"
#include "ornaments/delay_throw_settings.h"
#include "render/facts.h"
#include "test_support/places.h"
#include "test_support/presses.h"
#include "test_support/signals.h"
#include "time/note_value.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

/// A sung-like phrase: harmonics under an envelope with a 20 ms attack and an 80 ms release.
Signal phrases(const std::vector<std::pair<double, double>>& spans, double level = 0.3, double floor = 0) {
  return [=](std::int64_t f, int side) {
    const double t = static_cast<double>(f) / kRate;
    double v = 0;
    for (const auto& [a, b] : spans)
      if (t >= a && t < b) {
        const double envelope = std::min({1.0, (t - a) / 0.02, (b - t) / 0.08});
        v += level * envelope *
             (std::sin(2 * M_PI * 220 * t) + 0.5 * std::sin(2 * M_PI * 660 * t) + 0.25 * std::sin(2 * M_PI * 1540 * t));
      }
    return static_cast<float>(v) + noise(9, floor)(f, side);
  };
}

} // namespace

TEST_CASE("phrase edges lie within 30 ms of labelled ones", "[analysis]") {
  const std::vector<std::pair<double, double>> labels = {{0.5, 1.2}, {1.5, 2.0}, {2.6, 4.0}, {4.25, 4.6}, {6.0, 7.9}};
  for (const double level : {0.3, 0.03})
    for (const double floor : {0.0, 0.001 * level / 0.3}) {
      const auto found =
          findPhrases(readerOf(phrases(labels, level, floor)), {Frames(0), Frames(8 * 48000)}, kRate).phrases;
      INFO(level << " over " << floor);
      REQUIRE(found.size() == labels.size());
      for (std::size_t i = 0; i < labels.size(); ++i) {
        CHECK(static_cast<double>(found[i].begin.count) / kRate == Approx(labels[i].first).margin(0.03));
        CHECK(static_cast<double>(found[i].end.count) / kRate == Approx(labels[i].second).margin(0.03));
      }
    }
}

TEST_CASE("silence and rumble are no phrase", "[analysis]") {
  CHECK(findPhrases(readerOf(silence()), {Frames(0), Frames(96000)}, kRate).phrases.empty());
  CHECK(findPhrases(readerOf(sine(18, kRate, 0.01)), {Frames(0), Frames(96000)}, kRate).phrases.empty());
}

TEST_CASE("room after a stretch: in a rest, inside a phrase, at the last one", "[analysis]") {
  const std::vector<FrameRange> p = {{Frames(1000), Frames(40000)}, {Frames(90000), Frames(120000)}};
  CHECK(roomAfter(p, {Frames(5000), Frames(40000)}, kRate).next == Frames(90000));
  CHECK(roomAfter(p, {Frames(5000), Frames(40000)}, kRate).sounding == Frames(40000));
  const Room inside = roomAfter(p, {Frames(5000), Frames(20000)}, kRate);
  CHECK(inside.sounding == Frames(40000)); // the phrase goes on after the selection
  CHECK(inside.next == Frames(90000));
  CHECK_FALSE(roomAfter(p, {Frames(100000), Frames(120000)}, kRate).next);
}

TEST_CASE("the first press of a throw fits the place: level, fall, filters", "[analysis][heavy]") {
  // Words of several lengths and levels with rests of several lengths after them.
  struct Place {
    double word, rest, level;
  };
  for (const Place& place :
       {Place{0.4, 0.9, 0.3}, Place{0.5, 2.0, 0.1}, Place{1.0, 4.0, 0.5}, Place{0.25, 1.5, 0.02}}) {
    TestSong t(48000, 104);
    const double a = 2.0, b = a + place.word, next = b + place.rest;
    t.stem("voice", 48000 * 12, phrases({{a, b}, {next, next + 1.5}}, place.level));
    const auto plan = t.plan();
    const Beats begin = plan->map().beatAt(Frames(std::llround(a * kRate))),
                end = plan->map().beatAt(Frames(std::llround(b * kRate)));
    const Ornament o = place.level > 0 ? ivrin::place(allKinds(), "delay-throw", t.song, "voice", {begin, end},
                                                      listenTo(plan, "voice"))
                                       : Ornament{};
    INFO(place.word << " s word, " << place.rest << " s rest, time " << *o.settings.at("time_left").text());
    // 8 LU below its source as the low cut leaves it, K-weighted, loudest window as long as the source; to half a
    // decibel down.
    const PrintLevel level =
        measurePrint(*allKinds().find("delay-throw"), o, contextOf(t.song), listenTo(plan, "voice"));
    StereoBuffer cut = fill(std::llround(place.word * kRate), [&](std::int64_t f, int side) {
      return phrases({{0, place.word}}, place.level)(f, side);
    });
    const double hz = *o.settings.at("low_cut_hz").number();
    StereoSvf(StereoSvf::Pass::high, hz, hz, kRate).process(cut.left(), cut.right(), cut.frames());
    const double asCut = loudestWindowLufs(kWeightedPower(cut.left(), cut.right(), cut.frames(), kRate), cut.frames());
    CHECK(asCut - level.print == Approx(8.3).margin(0.5));
    CHECK(level.sourceLowsDb - level.printLowsDb > 10); // this voice lies low: the cut was moved up for that
    CHECK(hz == 260);
    CHECK(*o.settings.at("high_cut_hz").number() == 7000);
    CHECK(*o.settings.at("duck_db").number() == 6);
    CHECK(*o.settings.at("width_percent").number() == 130);
    // Fallen 30 dB at the next phrase, from the settings' own ladder (clamped between 15 and 72 %).
    const auto s = DelayThrowSettings::of({o, plan->context()});
    const double rounds = (next - a) * kRate / s.timeLeft - 1,
                 fallen = rounds * Decibels::ofGain(s.feedbackLeft.at(0)).value;
    if (s.feedbackLeft.at(0) > 0.151 && s.feedbackLeft.at(0) < 0.719)
      CHECK(fallen == Approx(-30).margin(1.5));
    else
      CHECK(fallen <= (s.feedbackLeft.at(0) > 0.7 ? -30 : -15));
    CHECK(s.timeLeft == Approx((place.rest >= 3 * 60.0 / 104 ? 1.0 : 0.75) * 60 / 104 * kRate).epsilon(1e-9));
    // It is a legal ornament that survives the file.
    Song with = t.song;
    with.ornaments.push_back(o);
    Problems p;
    const auto back = readSong(writeSong(with, allKinds().registry()), allKinds().registry(), p);
    REQUIRE(back);
    CHECK(*back->ornaments[0] == o);
  }
}

TEST_CASE("a press where nothing sounds is refused with the reason, whatever the kind, and so is one out of reach",
          "[analysis]") {
  TestSong t;
  t.stem("v", 96000, only(24000, 96000, sine(300, 48000, 0.2)));
  const auto plan = t.plan();
  for (const Kind* kind : allKinds().all())
    for (const double start : {-8.0, 0.0, 100.0}) { // before the song, in silence, after it
      INFO(kind->table().id << " at " << start);
      const Pressed p = press(allKinds(), kind->table().id, t.song, "v",
                              {Beats::ofQuarters(start), Beats::ofQuarters(start + 0.5)}, listenTo(plan, "v"));
      CHECK(p.heard.refusal.empty() == (kind->table().id == "riser")); // which needs no sound
    }
  const Pressed heard =
      press(allKinds(), "delay-throw", t.song, "v", {Beats::ofQuarters(2), Beats::ofQuarters(3)}, listenTo(plan, "v"));
  CHECK(heard.heard.refusal.empty());
  // A swell takes half an hour at most.
  TestSong longer(8000, 20);
  longer.stem("v", 8000 * 2, sine(300, 8000, 0.2));
  const Pressed swell = press(allKinds(), "reverse-reverb", longer.song, "v", {Beats(0), Beats::ofQuarters(620)},
                              listenTo(longer.plan(), "v"));
  CHECK(swell.heard.refusal.find("30 minutes") != std::string::npos);
}

TEST_CASE("a gap pressed up to a landing is tied to it", "[analysis]") {
  TestSong t;
  t.stem("v", 960000, noise(1, 0.1));
  t.song.sections = {{"s1", Beats::ofQuarters(16), "B"}};
  const auto plan = t.plan();
  const auto press = [&](double a, double b) {
    return place(allKinds(), "gap", t.song, "v", {Beats::ofQuarters(a), Beats::ofQuarters(b)}, listenTo(plan, "v"));
  };
  CHECK(press(14, 16).landing == "s1");
  CHECK_FALSE(press(13, 15).landing);
  CHECK(press(14, 16).settings.empty()); // neutral: silence, tails kept, 5 ms fades
}

TEST_CASE("a throw that is pressed follows the song's key as soon as it has a step, and says so only then", "[press]") {
  TestSong t(48000, 120);
  t.song.key = Key{2, true};
  t.stem("v", 480000, only(0, 24000, sine(440, 48000, 0.5)));
  const auto plan = t.plan();
  const Ornament o =
      place(allKinds(), "delay-throw", t.song, "v", {Beats(0), Beats::ofQuarters(1)}, listenTo(plan, "v"));
  CHECK(o.settings.at("key_follow") == Value(true));
  const Manners& manners = *mannersOf("delay-throw");
  Settings stepped = o.settings;
  stepped["step_semitones"] = 3.0;
  CHECK_FALSE(manners.isHeard(o.settings, "key_follow"));
  CHECK(manners.isHeard(stepped, "key_follow"));
  // Four rounds of tries: whatever step they have, the pass is a note of D minor.
  int tried = 0;
  for (int round = 0; round < 4; ++round)
    for (const Ornament& one : fourTries(*allKinds().find("delay-throw"), o, t.song.tempoMap(), round)) {
      CHECK(one.settings.at("key_follow") == Value(true));
      tried += static_cast<int>(one.settings.contains("step_semitones"));
    }
  CHECK(tried > 0);
}

TEST_CASE("collisions are where the print meets the next phrase audibly", "[analysis]") {
  const std::vector<FrameRange> rows = {{Frames(0), Frames(24000)}, {Frames(96000), Frames(144000)}};
  const Signal dry = [](std::int64_t f, int) {
    return (f < 24000 || (f >= 96000 && f < 144000))
               ? 0.3f * static_cast<float>(std::sin(0.06 * static_cast<double>(f)))
               : 0.0f;
  };
  const auto printAt = [](double db) { return only(24000, 110000, sine(500, kRate, 0.3 * Decibels(db).gain())); };
  const FrameRange source{Frames(0), Frames(24000)}, extent{Frames(0), Frames(110000)};
  const auto loud = findCollisions(readerOf(printAt(-10)), extent, source, readerOf(dry), rows, kRate);
  REQUIRE(loud.size() == 1);
  CHECK(loud[0].frames.begin == Frames(96000));
  CHECK(loud[0].frames.end.count == Approx(110000).margin(1000));
  CHECK(loud[0].db == Approx(-10).margin(0.5));
  CHECK(findCollisions(readerOf(printAt(-30)), extent, source, readerOf(dry), rows, kRate).empty());
}

TEST_CASE("facts of an ornament: with, without, peak, landing", "[analysis]") {
  TestSong t;
  t.stem("v", 480000, only(0, 24000, sine(997, kRate, 0.25)));
  t.stem("bed", 480000, sine(300, kRate, 0.05));
  t.ornament("delay-throw", "v", 0, 1, {{"feedback_percent", 70.0}});
  t.ornament("gap", "mix", 8, 2);
  const auto plan = t.plan();
  const auto facts = [&](const std::string& id) {
    const auto without = RenderPlan::make(withoutOrnaments(t.song, id), t.audio, allKinds(), t.cache);
    return factsOf(*plan, *plan->node(id), *without);
  };
  const OrnamentFacts o = facts("o1");
  CHECK(o.lufsWith > o.lufsWithout + 1);
  CHECK(o.peakDbfs == Approx(Decibels::ofGain(0.25).value).margin(0.3));
  CHECK_FALSE(o.landing);
  REQUIRE(o.loop);
  CHECK(o.loop->gainPerPassDb == Approx(Decibels::ofGain(0.7).value).margin(0.01));
  const OrnamentFacts g = facts("o2");
  CHECK(g.landing == Frames(240000));
  CHECK(g.extent == FrameRange{Frames(192000), Frames(240000)});
  CHECK(g.lufsWith < g.lufsWithout - 5); // the throw's tail goes on through it
}

TEST_CASE("first presses over the whole demo song: audible, not jumping out, no mud, no clipping",
          "[analysis][heavy]") {
  const std::filesystem::path file = sourceFolder() / "demo/song/lantern-ferry.ivrin";
  const TempFolder cache;
  const StemStore store(cache / "store");
  Problems problems;
  const auto opened = openSong(file, {}, allKinds(), store, problems);
  REQUIRE(opened);
  REQUIRE_FALSE(problems.hasErrors());
  PrintCache prints;
  Song bare = opened->song;
  bare.ornaments = {};
  const auto plan = RenderPlan::make(bare, opened->audio, allKinds(), prints);
  const TempoMap& map = plan->map();
  int tried = 0;
  for (const char* row : {"voice", "drums"}) {
    const auto listening = listenTo(plan, row);
    const bool hits = std::string(row) == "drums";
    int nth = 0;
    for (const FrameRange& phrase : listening.phrases) {
      if (hits && nth++ % 4 != 0) continue; // every fourth: there are many, and they are few kinds
      // As a person selects: the phrase, from the grid line before it.
      const Beats step(kTicksPerQuarter / 4);
      const Beats begin = snapToGrid(map.beatAt(phrase.begin), step, map);
      const Beats end = std::max(snapToGrid(map.beatAt(phrase.end), step, map), begin + step);
      for (const char* kind : {"reverse-reverb", "reverb-throw", "treat", "reverse"}) {
        const Pressed p = press(allKinds(), kind, bare, row, {begin, end}, listening);
        if (!p.heard.refusal.empty()) continue;
        const Ornament& o = p.ornament;
        INFO(row << ", " << kind << " on " << begin.quarters() << " to " << end.quarters());
        const PrintLevel level = measurePrint(*allKinds().find(kind), o, {map}, listening);
        if (level.source < -60) continue; // between phrases
        ++tried;
        CHECK(level.printPeakDb < 2); // in a row that is turned down further; the sources themselves come to 0 dBFS
        if (std::string(kind) == "reverse-reverb" || std::string(kind) == "reverb-throw") {
          CHECK(level.print <= level.source + 2.3);
          CHECK(level.print >= level.source - 18);
          // Where it was raised it was for the mix, and far enough; where it is softer than that, something held it.
          if (p.heard.level == Heard::Level::raised || p.heard.level == Heard::Level::asMeant)
            CHECK(p.heard.underMixLu.value_or(0) <= 18.3);
          // What it adds under 200 Hz is 10 dB under what is there while it sounds, or under its source's.
          const PressSound s = soundOf(*allKinds().find(kind), o, {map}, listening);
          std::int64_t last = s.print.frames();
          const float top = largest(s.print) / 10;
          while (last > 0 && std::max(std::abs(s.print.left()[last - 1]), std::abs(s.print.right()[last - 1])) < top)
            --last;
          StereoBuffer there(last);
          const RowReader mix = listening.before(kMixRow);
          for (std::int64_t i = 0; i < last; i += 4096)
            mix(s.first + Frames(i), there.span().part(i, std::min<std::int64_t>(4096, last - i)));
          CHECK(level.printLowsDb < std::max({level.sourceLowsDb, lowEnergyDb(there, kRate), -60.0}) - 9);
        }
      }
    }
  }
  CHECK(tried > 100);
}

TEST_CASE("first presses of tape and halftime over the demo song: before landings, whole bars, single hits",
          "[analysis][heavy]") {
  const std::filesystem::path file = sourceFolder() / "demo/song/lantern-ferry.ivrin";
  const TempFolder cache;
  const StemStore store(cache / "store");
  Problems problems;
  const auto opened = openSong(file, {}, allKinds(), store, problems);
  REQUIRE(opened);
  PrintCache prints;
  Song bare = opened->song;
  bare.ornaments = {};
  const auto plan = RenderPlan::make(bare, opened->audio, allKinds(), prints);
  const TempoMap& map = plan->map();
  const Beats quarter(kTicksPerQuarter);
  int tried = 0, toLanding = 0, lost = 0;
  for (const char* row : {"voice", "drums", "keys", "bass", "music", "mix"}) {
    const auto listening = listenTo(plan, row);
    std::vector<BeatRange> stretches;
    // The last half bar before each landing, selected a little short too, as a hand does.
    for (const Landing& l : bare.allLandings())
      if (l.at > quarter * 4) {
        stretches.push_back({l.at - quarter * 2, l.at});
        stretches.push_back({l.at - quarter * 2, l.at - Beats(kTicksPerQuarter / 4)});
      }
    for (int bar = 9; bar < 56; bar += 7) stretches.push_back({quarter * (4 * bar), quarter * (4 * bar + 4)});
    int nth = 0;
    if (std::string(row) == "drums")
      for (const FrameRange& hit : listening.phrases)
        if (nth++ % 9 == 0) {
          const Beats at = snapToGrid(map.beatAt(hit.begin), Beats(kTicksPerQuarter / 4), map);
          stretches.push_back({at, at + Beats(kTicksPerQuarter / 2)});
        }
    for (const BeatRange& stretch : stretches) {
      INFO(row << " at " << stretch.begin.quarters() << " to " << stretch.end.quarters());
      const Ornament stop = place(allKinds(), "tape", bare, row, stretch, listening);
      const PrintLevel level = measurePrint(*allKinds().find("tape"), stop, {map}, listening);
      // Between phrases: what is there is the end of one, or the next one's breath where the tape stands already.
      const FrameRange all{map.frameAt(stretch.begin), map.frameAt(stretch.end)};
      const bool sounds = std::any_of(listening.phrases.begin(), listening.phrases.end(), [&](const FrameRange& p) {
        return 2 * intersect(p, all).length() > all.length();
      });
      if (level.source < -60 || (stretch.length() > quarter && !sounds)) continue;
      ++tried;
      if (stop.landing) {
        // On it, or where an attack begins that is played a moment early.
        const double early =
            map.secondsAt(bare.landingById(*stop.landing)->at).value - map.secondsAt(stop.span().end).value;
        CHECK(early >= 0);
        CHECK(early <= 0.0121);
        ++toLanding;
      }
      CHECK(stop.start == stretch.begin);
      // Nothing is louder than it was: the source is measured with its first 2 ms faded, and between its samples a peak
      // may lie higher.
      CHECK(level.printPeakDb < level.sourcePeakDb + 1.2);
      // And it is heard: it slows before it fades. Of less than a beat it may not reach what is struck late in it: a
      // machine that is switched off plays two fifths of its way.
      if (stretch.length() > quarter)
        CHECK(level.print > level.source - 9);
      else
        lost += level.print > level.source - 9 ? 0 : 1;
      CHECK(level.print < level.source + 1);

      const Ornament half = place(allKinds(), "halftime", bare, row, stretch, listening);
      const PrintLevel slowed = measurePrint(*allKinds().find("halftime"), half, {map}, listening);
      CHECK(slowed.printPeakDb < slowed.sourcePeakDb + 2);
      if (stretch.length() >= quarter * 4) {
        CHECK(half.settings.count("cycle") == 0);               // a bar
        CHECK(slowed.print == Approx(slowed.source).margin(6)); // it keeps the place's level
      } else {
        const Value cycle = half.settings.at("cycle");
        const double seconds =
            cycle.text() ? NoteValue::parse(*cycle.text())->seconds(map, half.start).value : *cycle.number() / 1000;
        // Of the place as it was pressed, though it may end a moment earlier for an attack.
        const double early = seconds - (map.secondsAt(half.span().end).value - map.secondsAt(half.start).value);
        CHECK(early > -1e-9);
        CHECK(early <= 0.0121);
      }
    }
  }
  CHECK(tried > 80);
  CHECK(lost <= 1);
  CHECK(toLanding > 30);
}

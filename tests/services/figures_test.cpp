// Figures of all ornaments at once are those of each by itself; what was found of stems is kept and found again.
#include "dsp/measure/loudness.h"
#include "render/evaluator.h"
#include "render/provenance.h"
#include "services/found_files.h"
#include "services/song_figures.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <fstream>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

/// A word and what is played under it: low, and in the word's own octave.
std::unique_ptr<TestSong> wordOverBand() {
  auto t = std::make_unique<TestSong>();
  t->stem("voice", 480000, only(48000, 96000, sine(1000, kRate, 0.3)));
  t->stem("keys", 480000, sine(1100, kRate, 0.03));
  t->stem("bass", 480000, sine(150, kRate, 0.3));
  return t;
}

/// The mix over a range by libebur128.
double lufsOf(const std::shared_ptr<const RenderPlan>& plan, FrameRange r) {
  StereoBuffer b(r.length());
  Evaluator(*plan, Evaluator::Missing::compute).mix(r.begin, b.span());
  return measureLoudness(b.left(), b.right(), b.frames(), static_cast<int>(kRate), false).integratedLufs;
}

const OrnamentFigures& of(const std::vector<OrnamentFigures>& all, const std::string& id) {
  return *std::find_if(all.begin(), all.end(), [&](const OrnamentFigures& f) { return f.node->ornament->id == id; });
}

} // namespace

TEST_CASE("loudness with and without is what libebur128 says of both mixes, whatever hears the ornament",
          "[services]") {
  const auto t = wordOverBand();
  const std::string plain = t->ornament("delay-throw", "voice", 2, 2, {{"feedback_percent", 50.0}}).id;
  const std::string heard = t->ornament("delay-throw", "keys", 4, 1, {{"feedback_percent", 40.0}}).id;
  t->ornament("reverb-throw", "keys", 6, 1, {{"wet_db", -3.0}}); // hears the echoes before it
  const std::string gap = t->ornament("gap", "bass", 8, 2).id;
  t->song.stems[0].mix.pan = 0.4;
  for (const bool mute : {false, true}) {
    t->song.stems[0].mix.mute = mute;
    const auto plan = t->plan();
    Findings findings;
    const auto all = figuresOfAll(plan, t->audio, t->cache, findings, 2);
    REQUIRE(all.size() == 4);
    for (const std::string& id : {plain, heard, gap}) {
      INFO(id << " muted " << mute);
      const auto without = RenderPlan::make(withoutOrnaments(t->song, id), t->audio, allKinds(), t->cache);
      const OrnamentFacts& f = of(all, id).facts;
      // Blocks of 100 ms from the same frame on; the library rounds its gates' histogram a little.
      CHECK(f.lufsWith == Approx(lufsOf(plan, f.extent)).margin(0.03));
      CHECK(f.lufsWithout == Approx(lufsOf(without, f.extent)).margin(0.03));
    }
    if (mute) CHECK(of(all, plain).facts.lufsWith == of(all, plain).facts.lufsWithout);
  }
}

TEST_CASE("two sounds are measured side by side as each by itself", "[services][dsp]") {
  const Signal soft = noise(3, 0.02), loud = noise(4, 0.3);
  const auto one = fill(240000, [&](std::int64_t f, int s) { return f % 96000 < 60000 ? loud(f, s) : soft(f, s); });
  const auto two = fill(240000, only(100000, 110000, sine(90, kRate, 0.4)));
  PairLoudness pair(kRate);
  for (std::int64_t at = 0; at < 240000; at += 7777) { // whatever the blocks
    const std::int64_t n = std::min<std::int64_t>(7777, 240000 - at);
    StereoBuffer a = one, b = two;
    pair.add(a.span().part(at, n), b.span().part(at, n));
  }
  for (const auto& [sound, which] : {std::pair{&one, 0}, std::pair{&two, 1}}) {
    const Loudness m = measureLoudness(sound->left(), sound->right(), sound->frames(), 48000);
    CHECK(pair.figures(which).integratedLufs == Approx(m.integratedLufs).margin(0.03));
    CHECK(pair.figures(which).lowEnergyDb == Approx(m.lowEnergyDb).margin(0.02));
  }
  PairLoudness brief(kRate); // no gating block: what is active counts
  const auto word = fill(12000, only(3000, 9000, sine(997, kRate, 0.1)));
  StereoBuffer a = word, none(12000);
  none.span().clear();
  brief.add(a.span(), none.span());
  CHECK(brief.figures(0).integratedLufs == Approx(-20).margin(0.3));
  CHECK(brief.figures(1).integratedLufs == -200);
  CHECK(brief.figures(1).lowEnergyDb == -200);
}

TEST_CASE("a print lies over the rows that sound in its octaves, and over no others", "[services][analysis]") {
  const auto t = wordOverBand();
  t->stem("rest", 480000, only(0, 40000, sine(1000, kRate, 0.3))); // silent by then
  const std::string id = t->ornament("delay-throw", "voice", 2, 2,
                                     {{"feedback_percent", 0.0}, {"time_left", 2000.0}, {"time_right", 2000.0}})
                             .id;
  const auto met = [&] {
    const auto plan = t->plan();
    Findings findings;
    return of(figuresOfAll(plan, t->audio, t->cache, findings, 2), id).over;
  };
  // An echo as loud as the word, 20 dB over the keys in the octave they share; the bass has none of it.
  auto over = met();
  REQUIRE(over.size() == 1);
  CHECK(over[0].row == "keys");
  const double db = over[0].db;
  CHECK(db > 14);
  CHECK(db < 21);
  CHECK(over[0].frames.begin.count == Approx(48000 + 96000).margin(2500));
  // As both reach the mix.
  t->song.stems[1].mix.gainDb = 6;
  CHECK(met()[0].db == Approx(db - 6).margin(0.2));
  t->song.stems[0].mix.gainDb = -24;
  CHECK(met()[0].db == Approx(db - 30).margin(0.5)); // −12 or so: it is told
  t->song.stems[0].mix.gainDb = -40;
  CHECK(met().empty());
  t->song.stems[0].mix = {};
  t->song.stems[1].mix.mute = true;
  CHECK(met().empty());
}

TEST_CASE("what was found of a stem is kept, and looked for again where its file is damaged", "[services]") {
  const TempFolder dir;
  const auto t = wordOverBand();
  const auto plan = t->plan();
  const auto phrasesOf = [&](bool attacks) {
    Findings findings({dir.path(), attacks});
    return findings.of(plan, "voice");
  };
  const auto first = phrasesOf(true);
  REQUIRE(first->phrases.size() == 1);
  const auto files = [&] {
    std::vector<std::filesystem::path> all;
    for (const auto& e : std::filesystem::directory_iterator(dir.path() / "found")) all.push_back(e.path());
    return all;
  };
  REQUIRE(files().size() == 1);
  const auto same = [&](const RowFindings& f) {
    return f.phrases == first->phrases && f.onsets == first->onsets && f.octaves.steps == first->octaves.steps &&
           f.octaves.begin == first->octaves.begin && f.decaySeconds == first->decaySeconds;
  };
  // It is read, not found: a mark left in the file's place comes back.
  FoundFiles store(dir.path());
  RowFindings marked = *first;
  marked.decaySeconds = 7;
  const std::string whole = fileBytes(files()[0]);
  const FrameRange range = stemsUnder(*plan, *plan->rowIndex("voice"));
  store.write(soundBefore(*plan, *plan->rowIndex("voice"), range), marked);
  CHECK(files().size() == 1);
  CHECK(phrasesOf(true)->decaySeconds == 7);
  std::ofstream(files()[0], std::ios::binary) << whole;
  CHECK(same(*phrasesOf(true)));
  // Cut anywhere, or with any byte turned, it counts as none and is made again.
  for (std::size_t at = 0; at < whole.size(); at += 1 + whole.size() / 40) {
    INFO(at);
    std::ofstream(files()[0], std::ios::binary) << whole.substr(0, at);
    CHECK_FALSE(store.read(soundBefore(*plan, *plan->rowIndex("voice"), range)));
    std::string turned = whole;
    turned[at] = static_cast<char>(turned[at] ^ 0x10);
    std::ofstream(files()[0], std::ios::binary) << turned;
    CHECK_FALSE(store.read(soundBefore(*plan, *plan->rowIndex("voice"), range)));
  }
  CHECK(same(*phrasesOf(true)));
  // Who asks for no attacks leaves none, and who asks for them looks again.
  std::filesystem::remove(files()[0]);
  CHECK(phrasesOf(false)->onsets.empty());
  CHECK(same(*phrasesOf(true)));
  // A bus is made of several; nothing of it is kept.
  t->song.buses = {{"bus", "Bus", {}}};
  t->song.stems[0].bus = "bus";
  Findings findings({dir.path(), true});
  findings.of(t->plan(), "bus");
  CHECK(files().size() == 1);
}

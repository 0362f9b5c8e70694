// The demo song as it sounds: measured from its files, with nothing known of how they were composed. The same figures
// by another hand, and more of them: tools/measure-demo.py.
#include "audio/audio_reader.h"
#include "dsp/dynamics/mix_limiter.h"
#include "dsp/filter/svf.h"
#include "dsp/measure/fourier.h"
#include "dsp/measure/loudness.h"
#include "manners/first_press.h"
#include "manners/fitting.h"
#include "manners/recipe.h"
#include "render/facts.h"
#include "services/grid_finding.h"
#include "services/opening_finding.h"
#include "services/section_finding.h"
#include "test_support/places.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>
#include <ebur128.h>

#include <cmath>
#include <map>
#include <numbers>
#include <set>

using namespace ivrin;
using namespace ivrin::test;

namespace {

/// The song opened once for all tests here: importing its stems takes a second.
struct Demo {
  Demo()
      : store(cache / "store")
      , opened(openSong(sourceFolder() / "demo/song/lantern-ferry.ivrin", {}, allKinds(), store, problems)) {
    if (opened) plan = RenderPlan::make(opened->song, opened->audio, allKinds(), prints);
  }
  TempFolder cache;
  StemStore store;
  Problems problems;
  std::optional<OpenedSong> opened;
  PrintCache prints;
  std::shared_ptr<const RenderPlan> plan;

  Frames at(double beat) const { return plan->map().frameAt(Beats::ofQuarters(beat)); }
  /// The mix as it is exported.
  StereoBuffer mix(double from, double to) const {
    Evaluator e(*plan, Evaluator::Missing::compute);
    e.setBegin(Frames(0));
    MixLimiter limiter(48000, plan->song().mix.ceilingDbtp, [&](Frames f, StereoSpan out) { e.mix(f, out); });
    StereoBuffer out((at(to) - at(from)).count);
    for (std::int64_t done = 0; done < out.frames(); done += 4096)
      limiter.read(at(from) + Frames(done), out.span().part(done, std::min<std::int64_t>(4096, out.frames() - done)));
    return out;
  }
  StereoBuffer stem(const std::string& id, double from, double to) const {
    const auto& audio = opened->audio.of(id);
    StereoBuffer out((at(to) - at(from)).count);
    std::copy_n(audio->left() + at(from).count, out.frames(), out.left());
    std::copy_n(audio->right() + at(from).count, out.frames(), out.right());
    return out;
  }
};

const Demo& demo() {
  static const Demo d;
  return d;
}

double loudness(const StereoBuffer& x) {
  return measureLoudness(x.left(), x.right(), x.frames(), 48000, false).integratedLufs;
}

double correlation(const StereoBuffer& x) {
  double lr = 0, ll = 0, rr = 0;
  for (std::int64_t i = 0; i < x.frames(); ++i) {
    const double l = x.left()[i], r = x.right()[i];
    lr += l * r;
    ll += l * l;
    rr += r * r;
  }
  return lr / std::sqrt(ll * rr);
}

/// Power of third octaves about 62.5 Hz to 12.7 kHz (Welch's method, Hann windows of `size` frames that overlap by
/// half; a bin counts by its part that lies within).
std::vector<double> thirdPowers(const StereoBuffer& x, std::int64_t size) {
  const auto fourier = RealFourier::ofSize(size);
  const auto in = fourier->samples();
  const auto out = fourier->spectrum();
  std::vector<double> power(static_cast<std::size_t>(fourier->bins())), bands;
  for (const float* side : {x.left(), x.right()})
    for (std::int64_t at = 0; at + size <= x.frames(); at += size / 2) {
      for (std::int64_t i = 0; i < size; ++i) {
        const double w =
            0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(size));
        in[static_cast<std::size_t>(i)] = side[at + i] * static_cast<float>(w);
      }
      fourier->forward(in.get(), out.get());
      for (std::size_t k = 0; k < power.size(); ++k) power[k] += std::norm(std::complex<double>(out[k]));
    }
  const double bin = 48000.0 / static_cast<double>(size);
  for (int band = -12; band < 12; ++band) {
    const double low = 1000 * std::exp2((band - 0.5) / 3.0), high = 1000 * std::exp2((band + 0.5) / 3.0);
    double sum = 0;
    for (std::size_t k = 0; k < power.size(); ++k) {
      const double f = static_cast<double>(k) * bin;
      sum += power[k] * std::clamp((std::min(f + bin / 2, high) - std::max(f - bin / 2, low)) / bin, 0.0, 1.0);
    }
    bands.push_back(sum);
  }
  return bands;
}

/// The same of a long stretch, dB.
std::vector<double> thirds(const StereoBuffer& x) {
  std::vector<double> bands = thirdPowers(x, 16384);
  for (double& b : bands) b = 10 * std::log10(b);
  return bands;
}

/// How late, in ms, something above 4 kHz begins at each beat of a grid, against the grid.
std::vector<double> lateness(const StereoBuffer& x, double first, double step, int count) {
  StereoBuffer high = x;
  StereoSvf pass(StereoSvf::Pass::high, 4000, 4000, 48000);
  pass.process(high.left(), high.right(), high.frames());
  constexpr std::int64_t kHop = 24, kReach = 90; // half a millisecond; 45 ms
  std::vector<double> level(static_cast<std::size_t>(high.frames() / kHop));
  for (std::size_t h = 0; h < level.size(); ++h) {
    double sum = 0;
    for (std::int64_t i = 0; i < kHop; ++i) {
      const std::int64_t f = static_cast<std::int64_t>(h) * kHop + i;
      const double v = high.left()[f] + high.right()[f];
      sum += v * v;
    }
    level[h] = std::sqrt(sum);
  }
  std::vector<double> late;
  for (int n = 0; n < count; ++n) {
    const double beat = first + n * step, frame = beat * 60 / 104 * 48000;
    const auto middle = static_cast<std::int64_t>(frame / kHop);
    if (middle < kReach || middle + 2 * kReach > static_cast<std::int64_t>(level.size())) continue;
    const auto from = level.begin() + (middle - kReach), to = level.begin() + (middle + kReach);
    auto top = std::max_element(from, to);
    auto begin = top;
    while (begin > from && *(begin - 1) > 0.25 * *top) --begin;
    late.push_back((static_cast<double>(begin - level.begin()) * kHop - frame) / 48);
  }
  return late;
}

double mean(const std::vector<double>& v) {
  double sum = 0;
  for (const double x : v) sum += x;
  return sum / static_cast<double>(v.size());
}

} // namespace

TEST_CASE("The demo song is a record: loudness, balance, width", "[demo][heavy]") { // renders all of it: 4 s
  REQUIRE(demo().plan);
  const StereoBuffer chorus = demo().mix(128, 192);
  // The density of its spectrum falls by 4.5 dB an octave, the level of third octaves by 1.5.
  std::vector<double> off = thirds(chorus);
  for (std::size_t k = 0; k < off.size(); ++k) off[k] += 1.5 * static_cast<double>(k) / 3;
  const auto [least, most] = std::minmax_element(off.begin(), off.end());
  CHECK(*most - *least <= 6.0); // ±3 dB
  CHECK(correlation(chorus) >= 0.3);
  CHECK(correlation(chorus) <= 0.8);
  CHECK(loudness(chorus) - loudness(demo().mix(96, 128)) >= 3.0); // the drop over the lift

  const StereoBuffer all = demo().mix(0, 246);
  const Loudness whole = measureLoudness(all.left(), all.right(), all.frames(), 48000);
  CHECK(whole.integratedLufs == Approx(-14).margin(1));
  CHECK(whole.truePeakDbtp <= -0.9);
  ebur128_state* range = ebur128_init(2, 48000, EBUR128_MODE_LRA);
  std::vector<float> both(static_cast<std::size_t>(2 * all.frames()));
  for (std::int64_t i = 0; i < all.frames(); ++i) {
    both[static_cast<std::size_t>(2 * i)] = all.left()[i];
    both[static_cast<std::size_t>(2 * i + 1)] = all.right()[i];
  }
  ebur128_add_frames_float(range, both.data(), static_cast<std::size_t>(all.frames()));
  double lu = 0;
  CHECK(ebur128_loudness_range(range, &lu) == EBUR128_SUCCESS);
  ebur128_destroy(&range);
  CHECK(lu >= 7);
  CHECK(lu <= 11);
  // Nothing is loud by surprise: no three seconds more than 6 LU over the song.
  CHECK(whole.shortTermMaxLufs - whole.integratedLufs <= 6);
}

TEST_CASE("No stem and no ornament of the demo song clips, and each has a name", "[demo][heavy]") {
  REQUIRE(demo().plan);
  CHECK_FALSE(demo().problems.hasErrors());
  for (const Stem& s : demo().opened->song.stems) {
    INFO(s.id);
    const auto& audio = demo().opened->audio.of(s.id);
    REQUIRE(audio);
    const double peak = Decibels::ofGain(samplePeak(audio->left(), audio->right(), audio->frames())).value;
    CHECK(peak < -1);
    CHECK(peak > -16);
    // Harmonics, wires or air up there, all but in the bass.
    if (s.id == "voice" || s.id == "drums" || s.id == "shaker" || s.id == "strings") {
      const std::vector<double> t = thirds(demo().stem(s.id, 128, 192));
      CHECK(t.back() > *std::max_element(t.begin(), t.end()) - 60);
    }
  }
  for (const auto& node : demo().plan->nodes()) {
    INFO(node->ornament->id << ", " << node->ornament->name);
    CHECK_FALSE(node->ornament->name.empty());
    if (!node->print) continue;
    REQUIRE(node->print->ensure(*demo().plan, *node));
    const double peak = Decibels::ofGain(static_cast<double>(node->print->peak())).value;
    CHECK(peak < -3);
    CHECK(peak > -24);
  }
}

TEST_CASE("Every ornament of the demo song is heard over the rest, and none is like another", "[demo][heavy]") {
  REQUIRE(demo().plan);
  const RenderPlan& plan = *demo().plan;
  Evaluator e(plan, Evaluator::Missing::compute);
  std::vector<std::string> settings;
  for (const auto& node : plan.nodes()) {
    const Ornament& o = *node->ornament;
    INFO(o.id << ", " << o.name);
    // Its settings but for levels: no two throws are one template.
    std::string all = o.kind;
    for (const auto& [key, value] : o.settings)
      if (key == "pattern" || key == "time_left" || key == "time_right" || key == "character" || key == "shape" ||
          key == "step_semitones" || key == "reverse_source")
        all += " " + key + (value.text() ? *value.text() : value.number() ? std::to_string(*value.number()) : "");
    for (const Processor& p : o.finish) all += " + " + p.type;
    settings.push_back(all);
    if (!node->print) continue;
    REQUIRE(node->print->ensure(plan, *node));
    // In tenths of a second within 30 dB of its loudest: in three third octaves or more it is the louder one.
    constexpr std::int64_t kPart = 4800;
    const FrameRange sounds = intersect(node->print->extent(), {Frames(0), node->print->end()});
    StereoBuffer own(kPart), mix(kPart);
    std::vector<float> peaks;
    for (Frames at = sounds.begin; at < sounds.end; at = at + Frames(kPart)) {
      e.alone(*node, at, own.span());
      peaks.push_back(largest(own));
    }
    const float loudest = *std::max_element(peaks.begin(), peaks.end());
    int sounding = 0, heard = 0;
    for (std::size_t p = 0; p < peaks.size(); ++p) {
      if (peaks[p] < 0.0316f * loudest) continue;
      const Frames at = sounds.begin + Frames(static_cast<std::int64_t>(p) * kPart);
      e.alone(*node, at, own.span());
      e.mix(at, mix.span());
      for (std::int64_t i = 0; i < kPart; ++i) {
        mix.left()[i] -= own.left()[i];
        mix.right()[i] -= own.right()[i];
      }
      const std::vector<double> a = thirdPowers(own, kPart), b = thirdPowers(mix, kPart);
      constexpr std::size_t kFrom = 5; // 200 Hz: under it a tenth of a second tells bands apart badly
      int louder = 0;
      for (std::size_t k = kFrom; k < a.size(); ++k) louder += a[k] > b[k] ? 1 : 0;
      ++sounding;
      heard += louder >= 3 ? 1 : 0;
    }
    REQUIRE(sounding > 0);
    CHECK(heard >= 0.5 * sounding);
  }
  std::sort(settings.begin(), settings.end());
  const auto twice = std::adjacent_find(settings.begin(), settings.end());
  INFO((twice == settings.end() ? std::string() : *twice));
  CHECK(twice == settings.end());
}

TEST_CASE("The demo song's band strays from the grid as people do, together", "[demo][heavy]") {
  REQUIRE(demo().plan);
  const StereoBuffer shakes = demo().stem("shaker", 0, 216), drums = demo().stem("drums", 0, 216);
  const std::vector<double> shaker = lateness(shakes, 128, 0.5, 128);
  const double middle = mean(shaker);
  double variance = 0;
  for (const double l : shaker) variance += (l - middle) * (l - middle);
  const double deviation = std::sqrt(variance / static_cast<double>(shaker.size()));
  CHECK(deviation >= 5); // ms
  CHECK(deviation <= 8.5);
  // 1/f: the same power in every octave of periods. White noise of this length would have 16 times as much in the
  // octave of 2 to 4 eighths as in that of 32 to 64.
  const auto octave = [&](int from) {
    double power = 0;
    for (int k = from; k < 2 * from; ++k) {
      std::complex<double> sum = 0;
      for (std::size_t n = 0; n < shaker.size(); ++n)
        sum += (shaker[n] - middle) *
               std::polar(1.0, -2 * std::numbers::pi * k * static_cast<double>(n) / static_cast<double>(shaker.size()));
      power += std::norm(sum);
    }
    return power;
  };
  const double slow = octave(2) + octave(4), fast = octave(16) + octave(32);
  CHECK(fast / slow < 4);
  CHECK(fast / slow > 0.05);

  // The open hats off the beat, where nothing hides them, are as late as the shaker; odd sixteenths lie at 56 % of
  // their pair.
  const std::vector<double> a = lateness(shakes, 164.5, 1, 27), b = lateness(drums, 164.5, 1, 27);
  double ab = 0, aa = 0, bb = 0;
  for (std::size_t i = 0; i < std::min(a.size(), b.size()); ++i) {
    const double x = a[i] - mean(a), y = b[i] - mean(b);
    ab += x * y;
    aa += x * x;
    bb += y * y;
  }
  CHECK(ab / std::sqrt(aa * bb) > 0.7);
  const double swing = 0.5 + (mean(lateness(shakes, 128.25, 0.5, 126)) - middle) / (0.5 * 60000 / 104);
  CHECK(swing == Approx(0.56).margin(0.02));
}

TEST_CASE("First presses of what cuts time are heard, and no louder than the row, at fifty places of the demo song",
          "[demo][manners][heavy]") {
  REQUIRE(demo().plan);
  const auto plan = RenderPlan::make(withoutOrnaments(demo().plan->song()), demo().opened->audio, allKinds(),
                                     const_cast<PrintCache&>(demo().prints));
  Surroundings around;
  around.before = [&](const std::string& row) { return readerBeforeOrnaments(plan, row); };
  const char* rows[] = {"voice", "keys", "drums", "shaker", "strings"};
  int tried = 0;
  for (int i = 0; i < 50; ++i) {
    const char* row = rows[i % 5];
    const BeatRange stretch{Beats::ofQuarters(32 + 4 * i + (i % 3) * 0.5),
                            Beats::ofQuarters(34 + 4 * i + (i % 3) * 0.5)};
    StereoBuffer there((plan->map().frames(stretch)).length());
    const RowReader read = around.before(row);
    for (std::int64_t at = 0; at < there.frames(); at += 1024)
      read(plan->map().frameAt(stretch.begin) + Frames(at),
           there.span().part(at, std::min<std::int64_t>(1024, there.frames() - at)));
    if (largest(there) < 0.05f) continue; // a rest
    for (const char* kind : {"stutter", "pulse", "glitch"}) {
      INFO(kind << " on " << row << " at beat " << stretch.begin.quarters());
      const Ornament o = place(allKinds(), kind, plan->song(), row, stretch, around);
      const PrintLevel level = measurePrint(*allKinds().find(kind), o, plan->context(), around);
      const bool drew = kind != std::string("glitch") || level.print > -100; // none of eight steps may have fired
      if (!drew) continue;
      CHECK(level.print > level.source - 18);
      CHECK(level.print + o.gainDb < level.source + 2.3);           // its level goes by half decibels
      CHECK(level.printPeakDb + o.gainDb < level.sourcePeakDb + 6); // what it takes may lie just beyond the stretch
      ++tried;
    }
  }
  CHECK(tried >= 100);
}

TEST_CASE("the demo song shows every kind, and six transitions by six recipes; the chorus's is edited", "[demo]") {
  REQUIRE(demo().opened);
  const Song& song = demo().opened->song;
  std::map<std::string, std::set<std::string>> of; // landing: recipes
  std::set<std::string> kinds, names;
  int intoChorus = 0, byHand = 0;
  for (const auto& o : song.ornaments) {
    kinds.insert(o->kind);
    if (o->landing == "s4") ++(o->recipe ? intoChorus : byHand);
    if (!o->recipe) continue;
    CHECK(o->landing == o->recipe->landing);
    of[o->recipe->landing].insert(o->recipe->name);
    names.insert(o->recipe->name);
  }
  CHECK(kinds.size() == allKinds().all().size());
  CHECK(of.size() == 6);
  for (const auto& [landing, recipes] : of) CHECK(recipes.size() == 1);
  CHECK(names.size() == 6);
  CHECK(intoChorus >= 4);
  CHECK(byHand == 2);
  Problems problems;
  const auto shipped = allRecipes(allKinds().registry(), problems);
  for (const std::string& name : names)
    CHECK(std::any_of(shipped.begin(), shipped.end(), [&](const Recipe& r) { return r.name == name; }));
  CHECK(song.ornaments.size() <= 36); // a song, not a list
}

// Two seconds: all stems are listened to.
TEST_CASE("of its bare stems the grid and the form are found, and openings hold every place its ornaments use",
          "[demo][heavy]") {
  const Demo& d = demo();
  const Song& song = d.opened->song;
  Song bare = song;
  bare.key.reset();
  const FoundGrid grid = findGrid(bare, d.opened->audio, 2);
  REQUIRE(grid.tempo);
  CHECK(grid.tempo->bpm == 104);
  CHECK(grid.tempo->barOneSeconds == Approx(0).margin(0.01));
  CHECK(grid.tempo->beatsInBar == 4);
  REQUIRE(grid.key);
  CHECK(grid.key->key == *song.key);

  Findings findings;
  const std::vector<FoundSection> sections = sectionsOf(d.plan, findings, 2);
  for (const Landing& own : song.sections) {
    INFO(own.name);
    CHECK(std::any_of(sections.begin(), sections.end(), [&](const FoundSection& s) { return s.at == own.at; }));
  }
  CHECK(sections.size() <= song.sections.size() + 2); // two more bars in which a row comes or goes

  std::vector<std::string> rows;
  for (const Stem& s : song.stems) rows.push_back(s.id);
  rows.emplace_back(kMixRow);
  const std::vector<Opening> openings = openingsOf(d.plan, rows, findings, 2);
  for (const auto& o : song.ornaments) {
    INFO(o->id << " " << o->kind << " on " << o->on << " at " << o->start.quarters());
    // On its row, one under it, or of all of them; it starts in it, or just before or behind it.
    const Beats near = Beats::ofQuarters(0.6);
    CHECK(std::any_of(openings.begin(), openings.end(), [&](const Opening& p) {
      const Stem* stem = song.stem(p.row);
      return (p.row == o->on || p.row == kMixRow || (stem && stem->bus == o->on)) &&
             p.place.begin < o->span().end + near && p.place.end > o->start - near;
    }));
  }
}

#include "test_support/presses.h"

#include "analysis/collisions.h"
#include "dsp/measure/loudness.h"
#include "manners/placing.h"
#include "ornaments/source.h"
#include "render/facts.h"
#include "services/chosen_facts.h"
#include "services/hearing.h"
#include "test_support/band.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace ivrin::test {
namespace {

constexpr double kLongestSeconds = 14;

double loudest(const StereoBuffer& b, double rate, double seconds) {
  if (b.frames() < 64) return -200;
  const auto window = std::clamp<std::int64_t>(std::llround(seconds * rate), 1, b.frames());
  return loudestWindowLufs(kWeightedPower(b.left(), b.right(), b.frames(), rate), window);
}
double lowsOf(StereoBuffer b, double rate) {
  // Twice two poles, as steep as measures of lows are.
  Biquad f[4];
  for (int k = 0; k < 4; ++k) f[k] = lowPass(200, k % 2 == 0 ? 0.5412 : 1.3066, rate);
  double e = 1e-20;
  for (std::int64_t i = 0; i < b.frames(); ++i) {
    const double l = f[1].step(f[0].step(static_cast<double>(b.left()[i]))),
                 r = f[3].step(f[2].step(static_cast<double>(b.right()[i])));
    e += l * l + r * r;
  }
  return 10 * std::log10(e);
}
StereoBuffer part(const StereoBuffer& b, std::int64_t from, std::int64_t to) {
  from = std::clamp<std::int64_t>(from, 0, b.frames());
  to = std::clamp<std::int64_t>(to, from, b.frames());
  StereoBuffer out(to - from);
  std::copy_n(b.left() + from, to - from, out.left());
  std::copy_n(b.right() + from, to - from, out.right());
  return out;
}
double meanDb(const StereoBuffer& b, std::int64_t from, std::int64_t to) {
  double p = 0;
  from = std::max<std::int64_t>(from, 0);
  to = std::min(to, b.frames());
  for (std::int64_t i = from; i < to; ++i)
    p += 0.5 * (static_cast<double>(b.left()[i]) * b.left()[i] + static_cast<double>(b.right()[i]) * b.right()[i]);
  return 10 * std::log10(p / std::max<double>(1, static_cast<double>(to - from)) + 1e-12);
}
bool adds(const std::string& kind) {
  return kind == "delay-throw" || kind == "reverb-throw" || kind == "reverse-reverb" || kind == "treat";
}
double largestStep(const StereoBuffer& b, std::int64_t from, std::int64_t to) {
  double step = 0;
  for (std::int64_t i = std::max<std::int64_t>(from, 1); i < std::min(to, b.frames()); ++i)
    step = std::max({step, std::abs(static_cast<double>(b.left()[i]) - b.left()[i - 1]),
                     std::abs(static_cast<double>(b.right()[i]) - b.right()[i - 1])});
  return step;
}

} // namespace

Surroundings listenTo(const std::shared_ptr<const RenderPlan>& plan, const std::string& row) {
  Surroundings l;
  l.before = [plan](const std::string& r) { return readerBeforeOrnaments(plan, r); };
  RowPhrases heard = findPhrases(l.before(row), {Frames(0), plan->end(true)}, plan->map().sampleRate());
  l.phrases = std::move(heard.phrases);
  l.decaySeconds = heard.decaySeconds;
  return l;
}

std::vector<PressFigures> pressAll(const MadeSong& made) {
  TestSong& t = *made.song;
  const auto bare = t.plan();
  const double rate = bare->map().sampleRate();
  std::vector<PressFigures> all;
  Findings findings;
  const auto cache = std::make_shared<PrintCache>();
  for (const auto& stem : t.song.stems) findings.of(bare, stem.id); // as a window knows them when a key is pressed
  findings.of(bare, kMixRow);
  for (const MadePlace& place : made.places) {
    PressFigures f;
    f.song = made.name;
    f.place = place;
    const BeatRange stretch{Beats::ofQuarters(place.start), Beats::ofQuarters(place.start + place.length)};
    const auto clock = std::chrono::steady_clock::now();
    PlacedSeveral placed =
        placeSeveral(allKinds(), place.kind, t.song, {{place.row, stretch}}, hearing(bare, t.audio, cache, findings));
    f.pressMs = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - clock).count();
    if (placed.placed.empty()) {
      f.refused = true;
      all.push_back(f);
      continue;
    }
    const Ornament o = placed.placed.front();
    const auto with = RenderPlan::make(placed.song, t.audio, allKinds(), *cache, bare.get());
    const auto node = with->node(o.id);
    if (!node) {
      f.refused = true;
      all.push_back(f);
      continue;
    }
    if (node->print) node->print->ensure(*with, *node, std::stop_token());
    const FrameRange extent = node->extent();
    const TempoMap& map = with->map();
    const FrameRange span = map.frames(stretch);
    const Frames bar(map.frames({stretch.begin, stretch.begin + map.meterAt(stretch.begin).barLength()}).length());
    FrameRange heard{std::min(extent.begin, span.begin) - bar, std::max(extent.end, span.end)};
    heard.end = std::min(heard.end, std::max(span.end, extent.begin) + Frames(std::llround(kLongestSeconds * rate)));
    const StereoBuffer on = mixOut(*with, heard.begin.count, heard.length()),
                       off = mixOut(*bare, heard.begin.count, heard.length());
    const auto peak = [](const StereoBuffer& b) { return samplePeak(b.left(), b.right(), b.frames()); };
    f.peakRaisedDb =
        Decibels::ofGain(std::max(peak(on), 1e-9)).value - Decibels::ofGain(std::max(peak(off), 1e-9)).value;
    f.loudnessRaisedLu = loudest(on, rate, 0.4) - loudest(off, rate, 0.4);
    for (const Frames edge : {extent.begin, extent.end}) {
      const std::int64_t e = (edge - heard.begin).count, around = std::llround(0.05 * rate);
      if (e < around || e + around > on.frames()) continue;
      // The step that was not there before, at the very edge, against what the mix does anyway.
      const double step = largestStep(on, e - 2, e + 3),
                   usual = std::max(largestStep(on, e - around, e - 8), largestStep(on, e + 8, e + around));
      f.clickDb = std::max(f.clickDb, 20 * std::log10(std::max(step, 1e-6) / std::max(usual, 1e-6)));
    }
    const RowReader dryRow = readerBeforeOrnaments(bare, place.row);
    if (node->print && adds(place.kind)) {
      StereoBuffer print = heardOver(readerOfPrint(node), {extent.begin, std::min(extent.end, heard.end)});
      const StereoBuffer source = heardOver(dryRow, span);
      const double window = std::max(0.05, static_cast<double>(span.length()) / rate);
      f.overSourceLu = loudest(print, rate, window) - loudest(source, rate, window);
      f.lowsDb = lowsOf(print, rate) - lowsOf(source, rate);
      // The bar before: of what follows, before its source ends; of a lead-in, a second and a half before its landing.
      const auto landing = node->kind->landingFrame({o, with->context()});
      const Frames until = place.kind == "reverse-reverb" && landing ? *landing : span.end;
      const Frames since = place.kind == "reverse-reverb" ? until - Frames(std::llround(1.5 * rate)) : until - bar;
      StereoBuffer added = on; // the print as it reaches the mix
      for (std::int64_t i = 0; i < added.frames(); ++i) {
        added.left()[i] -= off.left()[i];
        added.right()[i] -= off.right()[i];
      }
      f.underMixLu = loudest(part(off, (since - heard.begin).count, (until - heard.begin).count), rate, 0.4) -
                     loudest(added, rate, 0.4);
      // Down to 20 dB under its loudest 50 ms, and to 60.
      const std::int64_t step = std::llround(0.05 * rate);
      std::vector<double> steps;
      for (std::int64_t i = 0; i + step <= print.frames(); i += step) steps.push_back(meanDb(print, i, i + step));
      if (!steps.empty()) {
        const double top = *std::max_element(steps.begin(), steps.end());
        std::size_t first = 0, last = 0, last60 = 0;
        while (first < steps.size() && steps[first] < top - 20) ++first;
        for (std::size_t i = 0; i < steps.size(); ++i) {
          if (steps[i] >= top - 20) last = i;
          if (steps[i] >= top - 60) last60 = i;
        }
        const std::int64_t a = (extent.begin - heard.begin).count + static_cast<std::int64_t>(first) * step,
                           b = (extent.begin - heard.begin).count + static_cast<std::int64_t>(last + 1) * step;
        const auto lufs = [&](const StereoBuffer& m) {
          const StereoBuffer p = part(m, a, b);
          return loudest(p, rate, static_cast<double>(p.frames()) / rate);
        };
        f.changeLu = lufs(on) - lufs(off);
        f.lowsThereDb = lowsOf(print, rate) - std::max(lowsOf(source, rate), lowsOf(part(off, a, b), rate));
        f.ringSeconds = std::max(0.0, static_cast<double>((extent.begin - span.end).count) / rate +
                                          static_cast<double>(last60 + 1) * 0.05);
      }
      if (place.nextEntry && place.kind != "reverse-reverb") {
        const Frames next(std::llround(*place.nextEntry * rate));
        const StereoBuffer phrase = heardOver(dryRow, {next, next + Frames(std::llround(1.0 * rate))});
        const double is = meanDb(phrase, 0, phrase.frames());
        double most = -200;
        for (int k = 0; k < 5; ++k) {
          const std::int64_t a = (next - extent.begin).count + std::llround(0.1 * k * rate);
          if (a + step * 2 <= print.frames()) most = std::max(most, meanDb(print, a, a + 2 * step));
        }
        f.overNextDb = std::max(most - is, -80.0);
        f.collides = *f.overNextDb > -24 && most > -60;
        if (f.collides) {
          const auto told = collisionsOf(with, node, findings);
          f.told = std::any_of(told.begin(), told.end(), [&](const Collision& c) {
            return c.frames.begin < next + Frames(std::llround(0.6 * rate)) &&
                   c.frames.end > next - Frames(std::llround(0.3 * rate));
          });
        }
      }
    }
    all.push_back(std::move(f));
  }
  return all;
}

} // namespace ivrin::test

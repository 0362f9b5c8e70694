#include "manners/level_fit.h"

#include "dsp/loudness.h"
#include "dsp/svf.h"
#include "manners/in_the_mix.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kMostOverSourceLu = 2, kLowsUnderDb = 10.5;
constexpr double kMostLost = 12;                  // LU that a low cut may take from the source
constexpr double kLowerCuts[] = {150, 110, 80};   // Hz, where it takes more
constexpr double kHigherCuts[] = {1.3, 1.7, 2.3}; // times the wished one, where too much of the lows is left
constexpr double kUnderNextDb = -27, kBeforeNextBeats = 0.03;
constexpr double kLeadSeconds = 1.5, kEndSeconds = 0.05, kWordSeconds = 0.6;
constexpr double kLeastOffset = -24;

double loudest(const StereoBuffer& b, double rate, std::int64_t window) {
  return b.frames() > 0 ? loudestWindowLufs(kWeightedPower(b.left(), b.right(), b.frames(), rate), window) : -200;
}
StereoBuffer part(const StereoBuffer& b, std::int64_t from, std::int64_t frames) {
  from = std::clamp<std::int64_t>(from, 0, b.frames());
  StereoBuffer out(std::clamp<std::int64_t>(frames, 0, b.frames() - from));
  std::copy_n(b.left() + from, out.frames(), out.left());
  std::copy_n(b.right() + from, out.frames(), out.right());
  return out;
}
double meanDb(const StereoBuffer& b) {
  double p = 0;
  for (std::int64_t i = 0; i < b.frames(); ++i)
    p += 0.5 * (static_cast<double>(b.left()[i]) * b.left()[i] + static_cast<double>(b.right()[i]) * b.right()[i]);
  return 10 * std::log10(p / std::max<double>(1, static_cast<double>(b.frames())) + 1e-20);
}
StereoBuffer heardFrom(const RowReader& row, Frames from, std::int64_t frames) {
  StereoBuffer b(frames);
  for (std::int64_t i = 0; i < frames; i += 4096)
    row(from + Frames(i), b.span().part(i, std::min<std::int64_t>(4096, frames - i)));
  return b;
}

double cutLoudness(StereoBuffer source, double hz, double rate, std::int64_t window) {
  StereoSvf(StereoSvf::Pass::high, hz, hz, rate).process(source.left(), source.right(), source.frames());
  return loudest(source, rate, window);
}

/// By what is there: lower where the wished cut would leave next to nothing of it.
double cutFor(const StereoBuffer& source, double wished, double rate, std::int64_t window) {
  const double all = loudest(source, rate, window);
  if (cutLoudness(source, wished, rate, window) > all - kMostLost) return wished;
  for (const double hz : kLowerCuts)
    if (hz < wished && cutLoudness(source, hz, rate, window) > all - kMostLost) return hz;
  return kLowerCuts[std::size(kLowerCuts) - 1];
}

/// How far its last moment is under the loudest moment of what it leads to.
double endUnderWord(const PressSound& s, const Ornament& o, const PressedAt& at) {
  const double rate = at.context.map.sampleRate();
  const auto landing = at.kind.landingFrame({o, at.context});
  if (!landing) return 200;
  const std::int64_t end = (*landing - s.first).count, n = std::llround(kEndSeconds * rate);
  if (end < n) return 200;
  // The word may begin softly, or a moment after the grid.
  const StereoBuffer word = heardFrom(at.around.before(o.on), *landing, std::llround(kWordSeconds * rate));
  const double is = loudest(word, rate, n);
  return is > -70 ? is - loudest(part(s.print, end - n, n), rate, n) : 200;
}

} // namespace

void fitLevel(Ornament& o, const PressedAt& at, const LevelWish& wish, Heard& heard) {
  const TempoMap& map = at.context.map;
  const double rate = map.sampleRate();
  const RowReader mix = at.around.before(kMixRow);
  const SideGains path = o.on == kMixRow ? SideGains{1, 1} : pathToMix(at.song, o.on);
  const bool cuts = at.kind.table().find("low_cut_hz") != nullptr;

  PressSound s;
  double first = 0, gain = 0, over = 0, source = -200;
  double cut = wish.lowCutHz;
  bool chosen = false;
  for (std::size_t attempt = 0; attempt <= std::size(kHigherCuts); ++attempt) {
    if (chosen) o.settings["low_cut_hz"] = cut;
    s = soundOf(at.kind, o, at.context, at.around);
    source = loudest(s.source, rate, s.window);
    const double print = loudest(s.print, rate, s.window);
    if (print < -100 || source < -70) { // nothing to compare
      o.finish.push_back({"level", {{"offset_lu", -wish.underLu}}});
      return;
    }
    if (cuts && attempt == 0) {
      const double fitting = cutFor(s.source, wish.lowCutHz, rate, s.window);
      if (fitting != wish.lowCutHz) {
        cut = fitting;
        chosen = true;
        o.settings["low_cut_hz"] = cut;
        s = soundOf(at.kind, o, at.context, at.around);
      }
    }
    const double printNow = loudest(s.print, rate, s.window);
    // What is compared: the bar before the end of the source, or the moments before a landing.
    const auto landing = at.kind.landingFrame({o, at.context});
    FrameRange compared{map.frameAt(o.span().end - map.meterAt(o.start).barLength()), map.frameAt(o.span().end)};
    if (wish.leadsIn && landing) compared = {*landing - Frames(std::llround(kLeadSeconds * rate)), *landing};
    const MixFit fit = fitInMix(s.print, s.first, mix, path, compared, rate);

    const double asCut = cuts ? cutLoudness(s.source, cut, rate, s.window) : source;
    first = asCut - wish.underLu - printNow;
    if (wish.mostMoreLu > 0) {
      const double peak = Decibels::ofGain(samplePeak(s.print.left(), s.print.right(), s.print.frames())).value + first,
                   most = Decibels::ofGain(samplePeak(s.source.left(), s.source.right(), s.source.frames())).value - 1;
      first -= std::clamp(peak - most, 0.0, wish.mostMoreLu);
    }
    const double underSource = source + kMostOverSourceLu - printNow;
    const double lows =
        std::max(lowEnergyDb(s.source, rate), fit.lowsThereDb) - kLowsUnderDb - lowEnergyDb(s.print, rate);
    double most = std::min(underSource, fit.quietDb);
    if (wish.leadsIn) most = std::min(most, endUnderWord(s, o, at));
    const double wanted = std::max(first, fit.heardDb);
    gain = std::min({wanted, most, lows});
    over = printNow + gain - source;
    heard.level = gain < wanted - 0.25         ? (lows <= most          ? Heard::Level::heldForLows
                                                  : most == underSource ? Heard::Level::heldUnderSource
                                                                        : Heard::Level::heldInMix)
                  : fit.heardDb > first + 0.25 ? Heard::Level::raised
                                               : Heard::Level::asMeant;
    if (fit.mixLufs > -65) heard.underMixLu = fit.mixLufs - fit.printLufs - gain;
    // More of the lows out, where they are what holds it down.
    if (heard.level != Heard::Level::heldForLows || !cuts || cut < wish.lowCutHz || attempt == std::size(kHigherCuts))
      break;
    cut = std::round(wish.lowCutHz * kHigherCuts[attempt] / 10) * 10;
    chosen = true;
  }
  const double step = gain < first - 0.01 || heard.level != Heard::Level::raised ? std::floor(over * 2 + 0.02) / 2
                                                                                 : std::ceil(over * 2 - 0.02) / 2;
  const double offset = std::clamp(step, kLeastOffset, kMostOverSourceLu);
  gain += offset - over;
  o.finish.push_back({"level", {{"offset_lu", offset}}});
  heard.sourceLufs = source;
  heard.overSourceLu = offset;
  if (heard.underMixLu) *heard.underMixLu -= offset - over;
  if (chosen) heard.lowCutHz = cut;

  // Where the next phrase starts it must be far under it.
  if (heard.next && !wish.leadsIn && at.kind.table().withRole(Role::tailCut)) {
    const Frames next = map.frameAt(*heard.next);
    const double phrase = meanDb(heardFrom(at.around.before(o.on), next, std::llround(1.0 * rate)));
    const std::int64_t n = std::llround(0.1 * rate);
    double most = -200;
    for (int k = 0; k < 5; ++k) most = std::max(most, meanDb(part(s.print, (next - s.first).count + k * n, n)));
    if (most + gain > phrase + kUnderNextDb) {
      const double until = (*heard.next - o.start).quarters() - kBeforeNextBeats;
      o.settings[at.kind.table().withRole(Role::tailCut)->key] =
          std::round(std::max(until, o.length.quarters()) * 1000) / 1000;
      heard.cutAtNext = true;
    }
  }
}

} // namespace ivrin

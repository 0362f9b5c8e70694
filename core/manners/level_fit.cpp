#include "manners/level_fit.h"

#include "dsp/filter/svf.h"
#include "dsp/measure/loudness.h"
#include "manners/in_the_mix.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kMostOverSourceLu = 2, kLowsUnderDb = 10.5;
constexpr double kMostLost = 7;                   // LU that a low cut may take from the source
constexpr double kLowerCuts[] = {150, 110, 80};   // Hz, where it takes more
constexpr double kHigherCuts[] = {1.3, 1.7, 2.3}; // times the wished one, where too much of the lows is left
constexpr double kUnderNextDb = -27, kBeforeNextBeats = 0.03;
constexpr double kLeadSeconds = 1.5, kEndSeconds = 0.05, kWordSeconds = 0.6;
constexpr double kLeastOffset = -24, kNear = 0.25;
constexpr double kDuckStep = 6, kMostDuck = 18; // deeper where it piles up on the row
constexpr int kMostTries = 4;

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
double cutLoudness(StereoBuffer source, double hz, double rate, std::int64_t window) {
  StereoSvf(StereoSvf::Pass::high, hz, hz, rate).process(source.left(), source.right(), source.frames());
  return loudestWindowLufs(source, rate, window);
}

/// By what is there: lower where the wished cut would leave next to nothing of it.
double cutFor(const StereoBuffer& source, double wished, double rate, std::int64_t window) {
  const double all = loudestWindowLufs(source, rate, window);
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
  const StereoBuffer word =
      heardOver(at.around.before(o.on), {*landing, *landing + Frames(std::llround(kWordSeconds * rate))});
  const double is = loudestWindowLufs(word, rate, n);
  return is > -70 ? is - loudestWindowLufs(part(s.print, end - n, n), rate, n) : 200;
}

/// One try: the ornament as it stands, heard, and the gain that fits it.
struct Try {
  PressSound sound;
  bool measured = false;
  double source = -200, print = -200; // LUFS
  double first = 0, gain = 0;         // dB: by the source alone; fitted
  Heard::Level level = Heard::Level::none;
  std::optional<double> underMix;
};

Try tried(const Ornament& o, const PressedAt& at, const LevelWish& wish, std::optional<double> cut) {
  const TempoMap& map = at.context.map;
  const double rate = map.sampleRate();
  Try t;
  t.sound = soundOf(at.kind, o, at.context, at.around);
  const PressSound& s = t.sound;
  t.source = loudestWindowLufs(s.source, rate, s.window);
  t.print = loudestWindowLufs(s.print, rate, s.window);
  if (t.print < -100 || t.source < -70) return t; // nothing to compare
  t.measured = true;
  // What is compared: the bar before the end of the source, or the moments before a landing.
  const auto landing = at.kind.landingFrame({o, at.context});
  FrameRange compared{map.frameAt(o.span().end - map.meterAt(o.start).barLength()), map.frameAt(o.span().end)};
  if (wish.leadsIn && landing) compared = {*landing - Frames(std::llround(kLeadSeconds * rate)), *landing};
  const MixFit fit = fitInMix(s.print, s.first, at.around.before(kMixRow), pathToMix(at.song, o.on), compared, rate);

  t.first = (cut ? cutLoudness(s.source, *cut, rate, s.window) : t.source) - wish.underLu - t.print;
  if (wish.mostMoreLu > 0) {
    const auto peak = [](const StereoBuffer& b) {
      return Decibels::ofGain(samplePeak(b.left(), b.right(), b.frames())).value;
    };
    t.first -= std::clamp(peak(s.print) + t.first - (peak(s.source) - 1), 0.0, wish.mostMoreLu);
  }
  const double underSource = t.source + kMostOverSourceLu - t.print,
               lows =
                   std::max(lowEnergyDb(s.source, rate), fit.lowsThereDb) - kLowsUnderDb - lowEnergyDb(s.print, rate);
  double most = std::min(underSource, fit.quietDb);
  if (wish.leadsIn) most = std::min(most, endUnderWord(s, o, at));
  const double wanted = std::max(t.first, fit.heardDb);
  t.gain = std::min({wanted, most, lows});
  if (t.gain < wanted - kNear)
    t.level = lows <= most          ? Heard::Level::heldForLows
              : most == underSource ? Heard::Level::heldUnderSource
                                    : Heard::Level::heldInMix;
  else
    t.level = wanted > t.first + kNear ? Heard::Level::raised : Heard::Level::asMeant;
  t.underMix = fit.underMix(t.gain);
  return t;
}

/// Ends it where the next phrase starts, if it would still be near that.
void keepFromNext(Ornament& o, const PressedAt& at, const PressSound& s, double gain, Heard& heard) {
  const SettingSpec* cutAt = at.kind.table().withRole(Role::tailCut);
  if (!heard.next || !cutAt) return;
  const double rate = at.context.map.sampleRate();
  const Frames next = at.context.map.frameAt(*heard.next);
  const double phrase = meanDb(heardOver(at.around.before(o.on), {next, next + Frames(std::llround(rate))}));
  const std::int64_t n = std::llround(0.1 * rate);
  double most = -200;
  for (int k = 0; k < 5; ++k) most = std::max(most, meanDb(part(s.print, (next - s.first).count + k * n, n)));
  if (most + gain <= phrase + kUnderNextDb) return;
  const double until = std::max((*heard.next - o.start).quarters() - kBeforeNextBeats, o.length.quarters());
  o.settings[cutAt->key] = std::round(until * 1000) / 1000;
  heard.cutAtNext = true;
}

} // namespace

void fitLevel(Ornament& o, const PressedAt& at, const LevelWish& wish, Heard& heard) {
  if (at.wish) at.wish->layOver(o);
  const double rate = at.context.map.sampleRate();
  const FrameRange span = at.context.map.frames(o.span());
  const SettingSpec* duck = at.kind.table().withRole(Role::duck);
  std::optional<double> cut;
  if (at.kind.table().find("low_cut_hz")) {
    cut = cutFor(heardOver(at.around.before(o.on), span), wish.lowCutHz, rate,
                 std::max<std::int64_t>(span.length(), std::llround(0.05 * rate)));
    o.settings["low_cut_hz"] = *cut;
  }
  Try t = tried(o, at, wish, cut);
  std::size_t higher = 0;
  for (int more = 0; t.measured && more < kMostTries; ++more) {
    const double ducked = duck ? *settingOr(at.kind.table(), o.settings, duck->key).number() : 0;
    if (t.level == Heard::Level::heldForLows && cut && *cut >= wish.lowCutHz && higher < std::size(kHigherCuts)) {
      cut = std::round(wish.lowCutHz * kHigherCuts[higher++] / 10) * 10; // more of the lows out
      o.settings["low_cut_hz"] = *cut;
    } else if (t.level == Heard::Level::heldInMix && duck && ducked < kMostDuck && t.gain < t.first) {
      o.settings[duck->key] = std::min(ducked + kDuckStep, kMostDuck); // it is the row itself that it piles up on
    } else {
      break;
    }
    t = tried(o, at, wish, cut);
  }
  if (!t.measured) {
    o.finish.push_back({"level", {{"offset_lu", -wish.underLu}}});
    return;
  }
  // In half decibels: up where it was raised to be heard, down elsewhere.
  const double over = t.print + t.gain - t.source,
               offset = std::clamp(t.level == Heard::Level::raised ? std::ceil(over * 2 - 0.02) / 2
                                                                   : std::floor(over * 2 + 0.02) / 2,
                                   kLeastOffset, kMostOverSourceLu);
  o.finish.push_back({"level", {{"offset_lu", offset}}});
  heard.level = t.level;
  heard.sourceLufs = t.source;
  heard.overSourceLu = offset;
  if (t.underMix) heard.underMixLu = *t.underMix - (offset - over);
  if (cut && *cut != wish.lowCutHz) heard.lowCutHz = *cut;
  if (!wish.leadsIn) keepFromNext(o, at, t.sound, t.gain + offset - over, heard);
}

} // namespace ivrin

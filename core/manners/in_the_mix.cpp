#include "manners/in_the_mix.h"

#include "dsp/filter/svf.h"
#include "dsp/measure/loudness.h"
#include "dsp/measure/spectrum.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kMomentary = 0.4, kEvery = 0.1; // EBU Tech 3341; how often
// 18 LU is what a mix may hide; a press keeps half of one from it.
constexpr double kMostUnderMix = 17.5, kMostRaisedLu = 2, kMostPeakDb = 1;
constexpr double kFallen = 30;   // the print is looked at until it has fallen so far,
constexpr double kSounding = 20; // and sounds where it is no further under its loudest
constexpr int kHeardBands = 3;
constexpr double kMostOfIt = 0.55;  // of its length
constexpr int kBands = 20;          // third octaves from 125 Hz to 10 kHz
constexpr double kSilentLufs = -65; // there is no mix to be heard against

/// Sums up to each frame.
std::vector<double> summed(const std::vector<float>& power) {
  std::vector<double> sum(power.size() + 1, 0);
  for (std::size_t i = 0; i < power.size(); ++i) sum[i + 1] = sum[i] + static_cast<double>(power[i]);
  return sum;
}
double lufsOf(double meanPower) {
  return -0.691 + 10 * std::log10(meanPower + 1e-20);
}

/// Loudness of 400 ms, from sums of K-weighted power.
struct Momentary {
  std::vector<double> sums;
  std::int64_t frames, window, every;
  Momentary(const StereoBuffer& b, double sampleRate)
      : sums(summed(kWeightedPower(b.left(), b.right(), b.frames(), sampleRate)))
      , frames(b.frames())
      , window(std::min<std::int64_t>(std::llround(kMomentary * sampleRate), frames))
      , every(std::max<std::int64_t>(1, std::llround(kEvery * sampleRate))) {}
  /// Mean power.
  double over(std::int64_t from, std::int64_t to) const {
    from = std::clamp<std::int64_t>(from, 0, frames);
    to = std::clamp<std::int64_t>(to, from, frames);
    return to > from ? (sums[static_cast<std::size_t>(to)] - sums[static_cast<std::size_t>(from)]) /
                           static_cast<double>(to - from)
                     : 0;
  }
  /// The greatest of windows that begin from `from` on and end by `to`.
  double loudest(std::int64_t from, std::int64_t to) const {
    double most = 0;
    for (std::int64_t at = from; at < std::max(from + 1, to - window + 1); at += every)
      most = std::max(most, over(at, std::min(at + window, to)));
    return most;
  }
};

/// Edges of the third octaves, Hz.
std::vector<double> thirdOctaves() {
  std::vector<double> edges;
  for (int b = 0; b <= kBands; ++b) edges.push_back(125 * std::exp2((b - 0.5) / 3));
  return edges;
}

/// Least gain that puts the print over the mix in enough bands for most of where it sounds.
double gainOverBands(const StereoBuffer& print, const StereoBuffer& mix, std::int64_t from, std::int64_t to,
                     const std::vector<double>& printPower, double loudest, double sampleRate) {
  BandPower bands(thirdOctaves(), sampleRate, sampleRate > 100000 ? 8192 : 4096);
  std::array<double, kBands> p{}, m{}, under{};
  std::vector<double> needed;
  for (std::int64_t at = from; at + bands.size() <= to; at += bands.size()) {
    const double power =
        (printPower[static_cast<std::size_t>(at + bands.size())] - printPower[static_cast<std::size_t>(at)]) /
        static_cast<double>(bands.size());
    if (lufsOf(power) < loudest - kSounding) continue;
    bands.of(print.left() + at, print.right() + at, p);
    bands.of(mix.left() + at, mix.right() + at, m);
    for (std::size_t k = 0; k < under.size(); ++k) under[k] = 10 * std::log10((m[k] + 1e-9) / (p[k] + 1e-12));
    std::nth_element(under.begin(), under.begin() + kHeardBands - 1, under.end());
    needed.push_back(under[kHeardBands - 1]);
  }
  if (needed.empty()) return -200;
  const auto nth = needed.begin() + static_cast<std::ptrdiff_t>(kMostOfIt * static_cast<double>(needed.size() - 1));
  std::nth_element(needed.begin(), nth, needed.end());
  return *nth;
}

} // namespace

SideGains pathToMix(const Song& song, const std::string& row) {
  SideGains path{1, 1};
  const auto through = [&](const RowMix& r) {
    const SideGains b = balance(r.pan);
    const double gain = r.mute ? 0 : Decibels(r.gainDb).gain();
    path.left *= gain * b.left;
    path.right *= gain * b.right;
  };
  const Bus* bus = song.bus(row);
  if (const Stem* stem = song.stem(row)) {
    through(stem->mix);
    if (stem->bus) bus = song.bus(*stem->bus);
  }
  if (bus) through(bus->mix);
  return path;
}

std::optional<double> MixFit::underMix(double gainDb) const {
  return mixLufs > kSilentLufs && printLufs > -100 ? std::optional(mixLufs - printLufs - gainDb) : std::nullopt;
}

std::optional<double> underMix(double printLufs, const RowReader& mix, FrameRange compared, double sampleRate) {
  const StereoBuffer m = heardOver(mix, compared);
  MixFit fit;
  fit.mixLufs = lufsOf(Momentary(m, sampleRate).loudest(0, m.frames()));
  fit.printLufs = printLufs;
  return fit.underMix(0);
}

double lowEnergyDb(const StereoBuffer& b, double sampleRate) {
  StereoBuffer low = b;
  for (int pass = 0; pass < 2; ++pass)
    StereoSvf(StereoSvf::Pass::low, 200, 200, sampleRate, pass == 0 ? 0.54119610 : 1.3065630)
        .process(low.left(), low.right(), low.frames());
  double e = 1e-20;
  for (std::int64_t i = 0; i < low.frames(); ++i)
    e += static_cast<double>(low.left()[i]) * low.left()[i] + static_cast<double>(low.right()[i]) * low.right()[i];
  return 10 * std::log10(e);
}

MixFit fitInMix(const StereoBuffer& print, Frames first, const RowReader& mix, SideGains path, FrameRange compared,
                double sampleRate) {
  MixFit fit;
  if (print.frames() == 0 || (path.left <= 0 && path.right <= 0)) return fit;
  // How long the print is looked at: to its last 50 ms that are no further than 30 dB under its loudest.
  const std::int64_t step = std::llround(0.05 * sampleRate);
  std::vector<double> steps;
  for (std::int64_t i = 0; i < print.frames(); i += step) {
    double p = 1e-20;
    for (std::int64_t k = i; k < std::min(i + step, print.frames()); ++k)
      p += static_cast<double>(print.left()[k]) * print.left()[k] +
           static_cast<double>(print.right()[k]) * print.right()[k];
    steps.push_back(10 * std::log10(p));
  }
  const double top = *std::max_element(steps.begin(), steps.end());
  std::size_t last = steps.size() - 1;
  while (last > 0 && steps[last] < top - kFallen) --last;
  const std::int64_t length = std::min(print.frames(), static_cast<std::int64_t>(last + 1) * step);

  const FrameRange range{std::min(compared.begin, first), std::max(compared.end, first + Frames(length))};
  const std::int64_t offset = (first - range.begin).count;
  const StereoBuffer m = heardOver(mix, range);
  StereoBuffer p(range.length());
  for (std::int64_t i = 0; i < length; ++i) {
    p.left()[offset + i] = print.left()[i] * static_cast<float>(path.left);
    p.right()[offset + i] = print.right()[i] * static_cast<float>(path.right);
  }
  StereoBuffer both = m;
  double peak = 0;
  for (std::int64_t i = 0; i < both.frames(); ++i) {
    peak = std::max({peak, static_cast<double>(std::abs(m.left()[i])), static_cast<double>(std::abs(m.right()[i]))});
    both.left()[i] += p.left()[i];
    both.right()[i] += p.right()[i];
  }
  const Momentary pm(m, sampleRate), pp(p, sampleRate), ps(both, sampleRate);
  const std::int64_t window = pm.window, every = pm.every;
  double loudestMix = 0, loudestPrint = 0;
  for (std::int64_t at = 0; at + window <= m.frames(); at += every) {
    loudestMix = std::max(loudestMix, pm.over(at, at + window));
    loudestPrint = std::max(loudestPrint, pp.over(at, at + window));
  }
  fit.mixLufs = lufsOf(pm.loudest((compared.begin - range.begin).count, (compared.end - range.begin).count));
  fit.printLufs = lufsOf(loudestPrint);
  if (!fit.underMix(0)) return fit;

  fit.heardDb = std::max(fit.mixLufs - kMostUnderMix - fit.printLufs,
                         gainOverBands(p, m, offset, offset + length, pp.sums, fit.printLufs, sampleRate));
  // |m + g p|² = |m|² + 2 g m·p + g² |p|², in every window.
  const double most = loudestMix * std::pow(10.0, kMostRaisedLu / 10);
  double gain = 1e10;
  for (std::int64_t at = 0; at + window <= m.frames(); at += every) {
    const double b = pp.over(at, at + window), a = pm.over(at, at + window);
    if (b <= 1e-14) continue;
    const double c = (ps.over(at, at + window) - a - b) / 2;
    gain = std::min(gain, (std::sqrt(c * c + b * std::max(0.0, most - a)) - c) / b);
  }
  const double ceiling = peak * Decibels(kMostPeakDb).gain();
  for (std::int64_t i = offset; i < offset + length; ++i)
    for (const auto& [x, y] : {std::pair{m.left()[i], p.left()[i]}, std::pair{m.right()[i], p.right()[i]}}) {
      if (std::abs(y) < 1e-7f) continue;
      gain = std::min(gain, (ceiling - static_cast<double>(y > 0 ? x : -x)) / static_cast<double>(std::abs(y)));
    }
  fit.quietDb = 20 * std::log10(std::max(gain, 1e-10));
  std::size_t begins = 0, ends = last;
  while (begins < ends && steps[begins] < top - kSounding) ++begins;
  while (ends > begins && steps[ends] < top - kSounding) --ends;
  const std::int64_t sounds = offset + static_cast<std::int64_t>(begins) * step;
  StereoBuffer there(std::min(static_cast<std::int64_t>(ends + 1 - begins) * step, offset + length - sounds));
  std::copy_n(m.left() + sounds, there.frames(), there.left());
  std::copy_n(m.right() + sounds, there.frames(), there.right());
  fit.lowsThereDb = lowEnergyDb(there, sampleRate);
  return fit;
}

} // namespace ivrin

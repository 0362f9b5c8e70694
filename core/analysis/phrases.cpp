#include "analysis/phrases.h"

#include "analysis/level_curve.h"

#include <algorithm>
#include <cmath>
#include <span>

namespace ivrin {
namespace {

// Levels in dB, times in seconds; see findPhrases().
constexpr double kUnderLoud = 34, kLeastUnderLoud = 14; // where a threshold may lie under a passage's loud moments
constexpr double kLowestOn = -74, kLeastLoud = -60, kHysteresis = 8, kLeastHysteresis = 2, kOverFloor = 5;
constexpr double kLowerIsBetter = 0.0001;              // share of the steps for each dB
constexpr double kPassage = 10, kPassageStep = 1;      // looked at on both sides, how often
constexpr double kLeakPerSecond = 3, kMostSofter = 30; // how fast a passage's loudness is forgotten, and how far
constexpr double kNoiseShare = 0.05,
                 kNoiseOver = 5; // noise: so much of a passage is no louder in a band, and a little over it
constexpr double kSteadyShare = 0.3, kSteady = 2.5;    // of its quiet moments
constexpr double kNoiseUnder = 12, kMostNoiseOut = 30; // a band that never falls so far is played all the time
constexpr double kSoft = 12, kLouderThanRest = 7;    // the neighbours: so much under the passage, over what rests hold
constexpr double kFade = 0.25, kEnoughRest = 1;      // a rest is listened to from so long after the last sound on
constexpr double kHold = 0.09, kShortest = 0.04;     // a pause shorter than this is none, nor is such a sound
constexpr double kSmooth = 0.04;                     // of the level that falls are seen in
constexpr double kAhead = 0.15, kFallPerSecond = 14; // a fall: over so long, at this rate at least
constexpr double kDeepFall = 8, kWhole = 16;         // it counts from here on; it is one to the end though it flattens
constexpr double kRise = 3.5, kBandsRise = 4.5;      // what enters over a fall
constexpr double kStruck = 0.1, kStruckGone = 12, kGone = 3; // what was struck sounds until it has fallen by so much

struct Steps {
  double seconds;
  std::size_t of(double s) const { return static_cast<std::size_t>(std::max(1L, std::lround(s / seconds))); }
};

/// Mean power over `width` steps around each.
std::vector<float> smoothed(std::span<const float> db, std::size_t width) {
  std::vector<double> sum(db.size() + 1, 0);
  for (std::size_t i = 0; i < db.size(); ++i) sum[i + 1] = sum[i] + std::pow(10.0, static_cast<double>(db[i]) / 10);
  std::vector<float> out(db.size());
  for (std::size_t i = 0; i < db.size(); ++i) {
    const std::size_t a = i >= width / 2 ? i - width / 2 : 0, b = std::min(db.size(), a + width);
    out[i] = static_cast<float>(10 * std::log10((sum[b] - sum[a]) / static_cast<double>(b - a) + 1e-12));
  }
  return out;
}

/// The level under which a share of them lies.
float level(std::vector<float> all, double share) {
  if (all.empty()) return -120;
  const auto nth = all.begin() + static_cast<std::ptrdiff_t>(static_cast<double>(all.size() - 1) * share);
  std::nth_element(all.begin(), nth, all.end());
  return *nth;
}

/// How loud the passage around each step is: the loud moments near by, forgotten with time on both sides.
std::vector<float> passages(const std::vector<float>& smooth, Steps steps, float loudest) {
  std::vector<float> loud = smooth;
  const float leak = static_cast<float>(kLeakPerSecond * steps.seconds);
  const float least = loudest - static_cast<float>(kMostSofter);
  for (float& l : loud) l = std::max(l, least);
  for (std::size_t i = 1; i < loud.size(); ++i) loud[i] = std::max(loud[i], loud[i - 1] - leak);
  for (std::size_t i = loud.size(); i-- > 1;) loud[i - 1] = std::max(loud[i - 1], loud[i] - leak);
  return loud;
}

/// Where playing and what is always there part best: the emptiest level between them in the passage's histogram, the
/// lower the better.
struct Parting {
  double on, off;
};
Parting parting(const std::vector<float>& smooth, std::size_t from, std::size_t to, double loud) {
  constexpr int kBins = 130;
  std::array<double, kBins> count{}, soft{};
  for (std::size_t i = from; i < to; ++i)
    count[static_cast<std::size_t>(std::clamp(static_cast<int>(std::lround(static_cast<double>(smooth[i]))) + 120, 0,
                                              kBins - 1))] += 1.0 / static_cast<double>(to - from);
  for (int b = 0; b < kBins; ++b)
    for (int k = -4; k <= 4; ++k)
      if (b + k >= 0 && b + k < kBins)
        soft[static_cast<std::size_t>(b)] += count[static_cast<std::size_t>(b + k)] * std::exp(-k * k / 4.5) / 3.76;
  double below = 0;
  int floor = 0;
  while (floor < kBins - 1 && (below += count[static_cast<std::size_t>(floor)]) < 0.05) ++floor;
  const double lowest = std::max({loud - kUnderLoud, kLowestOn, floor - 120 + kOverFloor + kLeastHysteresis}),
               highest = std::max(loud - kLeastUnderLoud, kLowestOn);
  // What is always there never keeps a phrase open.
  const auto both = [&](double t) {
    return Parting{t, std::max(t - kHysteresis, std::min(t - kLeastHysteresis, floor - 120 + kOverFloor))};
  };
  if (lowest >= highest) return both(highest);
  double best = lowest, least = 1e9;
  for (double t = lowest; t <= highest; t += 1) {
    const double cost =
        soft[static_cast<std::size_t>(std::clamp(static_cast<int>(std::lround(t)) + 120, 0, kBins - 1))] +
        kLowerIsBetter * (t - lowest);
    if (cost < least - 1e-9) {
      least = cost;
      best = t;
    }
  }
  return both(best);
}

/// How much the bands stand over what they were: the mean over those that matter, of what rises.
double bandsRise(const LevelCurve& curve, std::size_t step) {
  const std::size_t at = step / 2;
  if (at < 5 || at + 5 >= curve.bandsDb.size()) return 0;
  std::array<double, LevelCurve::kBands> before{}, after{};
  double loudest = -120;
  for (std::size_t b = 0; b < before.size(); ++b) {
    before[b] = after[b] = -120;
    for (std::size_t k = 2; k <= 5; ++k) {
      before[b] = std::max(before[b], static_cast<double>(curve.bandsDb[at - k][b]));
      after[b] += (static_cast<double>(curve.bandsDb[at + k][b]) + 120) / 4;
    }
    loudest = std::max(loudest, after[b]);
  }
  double rise = 0, weight = 0;
  for (std::size_t b = 0; b < before.size(); ++b) {
    const double w = std::clamp(1 - (loudest - after[b]) / 24, 0.0, 1.0);
    rise += w * std::clamp(after[b] - before[b], 0.0, 20.0);
    weight += w;
  }
  return weight > 0 ? rise / weight : 0;
}

/// Takes what is always there out of the levels, band by band (spectral subtraction, S. Boll, IEEE ASSP 27 (1979), on
/// octaves): a voice stands far higher over noise in its own bands than in all of them together. A band that is loud
/// all the time is no noise.
void takeNoiseOut(LevelCurve& curve, Steps steps) {
  const std::vector<float> smooth = smoothed(curve.db, steps.of(kSmooth));
  const std::size_t each = steps.of(kPassageStep) / 2, reach = steps.of(kPassage) / 2;
  std::vector<float> band;
  for (std::size_t from = 0; from < curve.bandsDb.size(); from += each) {
    const std::size_t to = std::min(from + each, curve.bandsDb.size()), middle = from + (to - from) / 2,
                      a = middle > reach ? middle - reach : 0, b = std::min(middle + reach, curve.bandsDb.size());
    // Noise stays where it is; the neighbours' playing does not.
    band.assign(smooth.begin() + static_cast<std::ptrdiff_t>(2 * a),
                smooth.begin() + static_cast<std::ptrdiff_t>(std::min(2 * b, smooth.size())));
    if (level(band, kSteadyShare) > level(band, kNoiseShare) + static_cast<float>(kSteady)) continue;
    std::array<double, LevelCurve::kBands> noise{};
    bool any = false;
    for (std::size_t k = 0; k < noise.size(); ++k) {
      band.clear();
      for (std::size_t i = a; i < b; i += 2) band.push_back(curve.bandsDb[i][k]); // they are looked at every 20 ms
      const double floor = static_cast<double>(level(band, kNoiseShare)), loud = static_cast<double>(level(band, 0.95));
      if (floor < -100 || floor > loud - kNoiseUnder) continue;
      noise[k] = std::pow(10.0, (floor + kNoiseOver) / 10);
      any = true;
    }
    if (!any) continue;
    for (std::size_t i = from; i < to; ++i) {
      double all = 1e-12, left = 1e-13;
      for (std::size_t k = 0; k < noise.size(); ++k) {
        const double p = std::pow(10.0, static_cast<double>(curve.bandsDb[i][k]) / 10);
        all += p;
        left += std::max(0.0, p - noise[k]);
      }
      const auto down = static_cast<float>(std::max(10 * std::log10(left / all), -kMostNoiseOut));
      for (std::size_t h = 2 * i; h < std::min(2 * i + 2, curve.db.size()); ++h) curve.db[h] += down;
    }
  }
}

struct Stretch {
  std::size_t begin, end;
};

/// What is over its thresholds, pauses shorter than the hold left out.
std::vector<Stretch> overThresholds(const std::vector<float>& db, const std::vector<float>& smooth,
                                    const std::vector<float>& on, const std::vector<float>& off, Steps steps) {
  std::vector<Stretch> found;
  const std::size_t hold = steps.of(kHold), shortest = steps.of(kShortest);
  bool inside = false;
  std::size_t begin = 0, last = 0;
  for (std::size_t h = 0; h <= db.size(); ++h) {
    const bool ended = h == db.size();
    if (!inside && !ended && db[h] >= on[h]) {
      inside = true;
      begin = last = h;
      // The attack began where the level left the rest.
      for (int back = 0; back < 4 && begin > 0 && db[begin - 1] >= off[begin - 1]; ++back) --begin;
    }
    if (!inside) continue;
    if (!ended && std::min(db[h], smooth[h]) >= off[h]) last = h;
    if (ended || h - last > hold) {
      inside = false;
      if (last + 1 - begin >= shortest) found.push_back({begin, last + 1});
    }
  }
  return found;
}

/// The neighbours: what is soft, no louder than what the microphone hears while nothing is played, and lies in the same
/// bands as that, is theirs.
class Neighbours {
 public:
  Neighbours(const LevelCurve& curve, const std::vector<float>& smooth, const std::vector<float>& loud, Steps steps)
      : curve_(curve)
      , smooth_(smooth)
      , loud_(loud)
      , steps_(steps) {}

  std::vector<Stretch> without(const std::vector<Stretch>& pieces) const {
    std::vector<Stretch> kept;
    for (std::size_t i = 0; i < pieces.size(); ++i)
      if (!theirs(pieces, i)) kept.push_back(pieces[i]);
    return kept;
  }

 private:
  using Shape = std::array<double, LevelCurve::kBands>;
  /// Mean power in bands against all of it, dB.
  struct Mean {
    Shape power{};
    void add(const std::array<float, LevelCurve::kBands>& db) {
      for (std::size_t b = 0; b < power.size(); ++b) power[b] += std::pow(10.0, static_cast<double>(db[b]) / 10);
    }
    Shape shape() const {
      double all = 1e-15;
      for (const double p : power) all += p;
      Shape s{};
      for (std::size_t b = 0; b < s.size(); ++b) s[b] = std::max(10 * std::log10(power[b] / all + 1e-9), -30.0);
      return s;
    }
  };
  static double distance(const Shape& a, const Shape& b) {
    double d = 0;
    for (std::size_t k = 0; k < a.size(); ++k) d += (a[k] - b[k]) * (a[k] - b[k]);
    return d;
  }

  bool theirs(const std::vector<Stretch>& pieces, std::size_t which) const {
    const Stretch& piece = pieces[which];
    std::size_t loudest = piece.begin;
    for (std::size_t h = piece.begin; h < piece.end; ++h)
      if (smooth_[h] > smooth_[loudest]) loudest = h;
    const double db = static_cast<double>(smooth_[loudest]);
    if (db > static_cast<double>(loud_[loudest]) - kSoft) return false;
    Mean mine, played, resting;
    std::vector<float> rests;
    for (std::size_t h = piece.begin; h < piece.end; ++h)
      if (static_cast<double>(smooth_[h]) > db - 6 && h / 2 < curve_.bandsDb.size()) mine.add(curve_.bandsDb[h / 2]);
    const std::size_t reach = steps_.of(kPassage), after = steps_.of(kFade);
    std::size_t at = piece.begin > reach ? piece.begin - reach : 0;
    const std::size_t to = std::min(piece.end + reach, smooth_.size());
    const auto rest = [&](std::size_t from, std::size_t until) {
      for (std::size_t h = from + after; h + 4 < until; h += 2)
        if (h / 2 < curve_.bandsDb.size()) {
          resting.add(curve_.bandsDb[h / 2]);
          rests.push_back(smooth_[h]);
        }
    };
    for (const Stretch& p : pieces) {
      if (p.end <= at) continue;
      if (p.begin >= to) break;
      rest(at, p.begin);
      for (std::size_t h = p.begin; h < p.end; h += 2)
        if (static_cast<double>(smooth_[h]) > static_cast<double>(loud_[h]) - kSoft + 2 &&
            h / 2 < curve_.bandsDb.size())
          played.add(curve_.bandsDb[h / 2]);
      at = std::max(at, p.end);
    }
    rest(at, to);
    if (rests.size() < steps_.of(kEnoughRest) / 2) return false;
    if (db > static_cast<double>(level(rests, 0.95)) + kLouderThanRest) return false;
    const Shape own = mine.shape();
    return distance(own, resting.shape()) < distance(own, played.shape());
  }

  const LevelCurve& curve_;
  const std::vector<float>&smooth_, &loud_;
  Steps steps_;
};

/// Cuts what only dies away out of a stretch: pieces in which something is played.
class Falls {
 public:
  Falls(const LevelCurve& curve, const std::vector<float>& smooth, const std::vector<float>& on, Steps steps)
      : curve_(curve)
      , smooth_(smooth)
      , on_(on)
      , steps_(steps)
      , ahead_(steps.of(kAhead)) {}

  void cut(Stretch s, std::vector<Stretch>& out) {
    std::size_t begin = s.begin, entered = s.begin; // of the piece, of the last thing that entered
    std::size_t h = s.begin;
    while (h < s.end) {
      if (risen(h)) entered = h;
      if (!falls(h, s.end)) {
        ++h;
        continue;
      }
      const Fall fall = follow(h, entered, s.end);
      if (fall.deep) {
        if (fall.rate > 0) rates_.push_back(static_cast<float>(fall.rate));
        if (fall.gone > begin + steps_.of(kShortest) / 2 && fall.until - fall.gone > steps_.of(kHold)) {
          out.push_back({begin, fall.gone});
          begin = fall.until;
        }
      }
      entered = fall.until;
      h = std::max(fall.until, h + 1);
    }
    if (s.end > begin + steps_.of(kShortest)) out.push_back({begin, s.end});
  }

  /// Seconds to fall by 60 dB, of most of what fell; 0 where nothing did.
  double decaySeconds() const {
    if (rates_.size() < 3) return 0;
    return 60 / static_cast<double>(level(rates_, 0.5));
  }

 private:
  struct Fall {
    bool deep = false;
    double rate = 0;       // dB per second
    std::size_t gone = 0;  // from here on it counts as a rest
    std::size_t until = 0; // where something enters, or the end
  };

  float at(std::size_t h) const { return smooth_[std::min(h, smooth_.size() - 1)]; }
  bool risen(std::size_t h) const { return h >= ahead_ / 3 && at(h) - at(h - ahead_ / 3) > kRise; }

  /// Whether it goes down from here, with nothing that comes up.
  bool falls(std::size_t h, std::size_t end) const {
    if (h + 2 >= end) return false;
    if (at(h + ahead_) - at(h) > -kFallPerSecond * kAhead) return false;
    float least = at(h);
    for (std::size_t k = h; k <= h + ahead_; ++k) {
      least = std::min(least, at(k));
      if (at(k) > least + kRise) return false;
    }
    return true;
  }

  Fall follow(std::size_t from, std::size_t entered, std::size_t end) {
    Fall f;
    // To where something comes up again, or to where it no longer falls and has not fallen far.
    std::size_t lowest = from, h = from, flat = 0;
    const float top = at(from);
    for (h = from + 1; h < end; ++h) {
      if (at(h) < at(lowest)) lowest = h;
      const bool enters = at(h) > at(lowest) + kRise ||
                          (h > from + ahead_ / 2 && at(h) > at(lowest) + 0.5 && bandsRise(curve_, h) > kBandsRise);
      if (enters && at(h) >= on_[std::min(h, on_.size() - 1)] - kHysteresis) break;
      if (enters) lowest = h; // too soft to be anything: it goes on dying
      flat = falls(h, end) ? 0 : flat + 1;
      if (flat > 2 * ahead_ && top - at(h) < kWhole) break;
    }
    const bool rose = h < end && flat <= 2 * ahead_;
    f.until = h >= end ? end : rose ? entry(lowest, h) : h;
    f.deep = (rose || h >= end || top - at(h) >= kWhole) && top - at(lowest) >= kDeepFall;
    // What was struck dies from its very start and sounds nevertheless; what was held is over once it is let go.
    const bool struck = from < entered + steps_.of(kStruck);
    f.gone = from;
    while (f.gone < lowest && at(f.gone) > top - (struck ? kStruckGone : kGone)) ++f.gone;
    const double seconds = static_cast<double>(lowest - from) * steps_.seconds;
    if (seconds > kAhead) f.rate = static_cast<double>(top - at(lowest)) / seconds;
    return f;
  }

  /// The step where what has come up by `seen` began.
  std::size_t entry(std::size_t lowest, std::size_t seen) const {
    std::size_t e = seen;
    while (e > lowest && curve_.db[e - 1] > at(lowest) + 1.5f) --e;
    return std::max(e, lowest);
  }

  const LevelCurve& curve_;
  const std::vector<float>&smooth_, &on_;
  Steps steps_;
  std::size_t ahead_;
  std::vector<float> rates_;
};

} // namespace

StereoBuffer heardOver(const RowReader& row, FrameRange stretch) {
  constexpr std::int64_t kAtOnce = 4096;
  StereoBuffer sound(std::max<std::int64_t>(stretch.length(), 0));
  for (std::int64_t at = 0; at < sound.frames(); at += kAtOnce)
    row(stretch.begin + Frames(at), sound.span().part(at, std::min(kAtOnce, sound.frames() - at)));
  return sound;
}

RowPhrases findPhrases(const RowReader& row, FrameRange range, double sampleRate) {
  RowPhrases result;
  LevelCurve curve = levelCurve(row, range, sampleRate);
  result.octaves = octavesOf(curve, range.begin);
  const Steps steps{curve.hopSeconds};
  std::vector<float> active;
  for (const float l : curve.db)
    if (l > kLeastLoud) active.push_back(l);
  if (active.empty()) return result;
  result.loudDb = static_cast<double>(level(active, 0.95));
  const std::vector<float> heard = curve.db;
  takeNoiseOut(curve, steps);
  const std::vector<float> smooth = smoothed(curve.db, steps.of(kSmooth));
  const std::vector<float> loud = passages(smoothed(curve.db, steps.of(2.5 * kSmooth)), steps, level(active, 0.95));

  // Thresholds, passage by passage.
  std::vector<float> on(curve.db.size()), off(curve.db.size());
  const std::size_t each = steps.of(kPassageStep), reach = steps.of(kPassage);
  for (std::size_t from = 0; from < on.size(); from += each) {
    const std::size_t to = std::min(from + each, on.size()), middle = from + (to - from) / 2;
    const Parting t = parting(smooth, middle > reach ? middle - reach : 0, std::min(middle + reach, smooth.size()),
                              static_cast<double>(loud[middle]));
    for (std::size_t i = from; i < to; ++i) {
      on[i] = static_cast<float>(t.on);
      off[i] = static_cast<float>(t.off);
    }
  }
  const std::vector<Stretch> sounding = overThresholds(curve.db, smooth, on, off, steps);
  std::vector<Stretch> pieces;
  Falls falls(curve, smooth, on, steps);
  for (const Stretch& s : sounding) falls.cut(s, pieces);
  result.decaySeconds = falls.decaySeconds();
  pieces = Neighbours(curve, smooth, loud, steps).without(pieces);

  const auto frame = [&](std::size_t h) {
    return std::min(range.begin + Frames(static_cast<std::int64_t>(h) * curve.hopFrames), range.end);
  };
  std::vector<float> rests;
  std::size_t at = 0;
  for (const Stretch& p : pieces) {
    for (std::size_t h = at + steps.of(kHold); h + 2 < p.begin; ++h) rests.push_back(heard[h]);
    at = p.end;
    result.phrases.push_back({frame(p.begin), frame(p.end)});
  }
  if (!rests.empty()) result.floorDb = static_cast<double>(level(rests, 0.3));
  return result;
}

Room roomAfter(const std::vector<FrameRange>& phrases, FrameRange stretch, double sampleRate) {
  // A phrase that begins a breath before the selection's end is the next one, not this one.
  const auto slack = Frames(std::llround(0.03 * sampleRate));
  Room room{stretch.end, std::nullopt};
  for (const FrameRange& p : phrases) {
    if (p.begin >= stretch.end - slack) {
      if (p.begin >= room.sounding - slack) {
        room.next = p.begin;
        break;
      }
    } else if (p.end > stretch.end) {
      room.sounding = p.end;
    }
  }
  return room;
}

RoomBefore roomBefore(const std::vector<FrameRange>& phrases, FrameRange stretch, double sampleRate) {
  const auto slack = Frames(std::llround(0.03 * sampleRate));
  RoomBefore room{stretch.begin, std::nullopt};
  for (std::size_t i = phrases.size(); i-- > 0;) {
    const FrameRange& p = phrases[i];
    if (p.end <= stretch.begin + slack) {
      if (p.end <= room.sounding + slack) {
        room.former = p.end;
        break;
      }
    } else if (p.begin < stretch.begin) {
      room.sounding = p.begin;
    }
  }
  return room;
}

std::vector<FrameRange> joinedOver(const std::vector<FrameRange>& phrases, Frames rest) {
  std::vector<FrameRange> joined;
  for (const FrameRange& p : phrases) {
    if (!joined.empty() && p.begin - joined.back().end < rest)
      joined.back().end = std::max(joined.back().end, p.end);
    else
      joined.push_back(p);
  }
  return joined;
}

} // namespace ivrin

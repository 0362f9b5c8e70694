#include "dsp/speed/turned_windows.h"

#include "dsp/dynamics/edges.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ivrin {
namespace {

using Bin = std::complex<float>;
using WideBin = std::complex<double>;
constexpr double kRound = 2 * std::numbers::pi;

constexpr double kLowWindow = 0.128, kHighWindow = 0.0533, kMeetHz = 1500; // seconds
constexpr std::int64_t kLowOverlap = 6, kHighOverlap = 4;

constexpr double kHandSeconds = 0.0005; // in which one segment gives way to the next
// After an attack the first window is alone for a while, then others join in: at the soonest so far on the way to their
// own middle, so that a sound that dies away soon is not heard dying before its time.
constexpr double kAloneSeconds = 0.001, kJoinSeconds = 0.005, kSoonest = 0.5;
constexpr double kGoesOn = 0.09;         // of a peak's power that is there without the attack: then it is older than it
constexpr std::int64_t kNotTooNear = 16; // of a window: two from which it is told how fast a peak turns
constexpr std::int64_t kOutputKept = 1 << 15; // output frames that may lie about

/// Of {4, 5, 6, 7} times a power of two the nearest: transforms of such a size are fast.
std::int64_t niceSize(double frames) {
  std::int64_t best = 64;
  const auto far = [&](std::int64_t n) { return std::abs(std::log(static_cast<double>(n) / frames)); };
  for (std::int64_t p = 16; static_cast<double>(p) < frames; p *= 2)
    for (std::int64_t m = 4; m < 8; ++m)
      if (far(m * p) < far(best)) best = m * p;
  return best;
}

/// 0 half an octave under an edge, 1 as much over it: so wide that a layer hardly rings before an attack.
double passed(double hz, double edge) {
  return hz <= 0 ? 0 : raisedCosine(std::log2(hz / edge) + 0.5);
}

double powerOf(const Bin& left, const Bin& right) {
  return static_cast<double>(std::norm(left)) + static_cast<double>(std::norm(right));
}

} // namespace

void WindowSource::letGo(std::int64_t before) {
  const std::int64_t gone = before - from, left = sound.frames() - gone;
  for (float* side : {sound.left(), sound.right()}) std::copy_n(side + gone, left, side);
  sound.resize(left);
  from = before;
}

TurnedWindows::TurnedWindows(std::int64_t window, std::int64_t overlap, double fromHz, double toHz, double rate)
    : window_(window)
    , overlap_(overlap)
    , hand_(std::max<std::int64_t>(1, std::llround(kHandSeconds * rate)))
    , alone_(std::max<std::int64_t>(1, std::llround(kAloneSeconds * rate)))
    , joins_(std::max<std::int64_t>(1, std::llround(kJoinSeconds * rate)))
    , fourier_(RealFourier::ofSize(window))
    , samples_(fourier_->samples())
    , work_(fourier_->spectrum()) {
  const auto n = static_cast<std::size_t>(window), bins = static_cast<std::size_t>(fourier_->bins());
  shape_.resize(n);
  gate_.resize(n);
  for (std::size_t i = 0; i < n; ++i)
    shape_[i] = static_cast<float>(0.5 - 0.5 * std::cos(kRound * static_cast<double>(i) / static_cast<double>(n)));
  pass_.resize(bins);
  fromBin_ = fourier_->bins();
  for (std::size_t k = 0; k < bins; ++k) {
    const double hz = static_cast<double>(k) * rate / static_cast<double>(window);
    const double p = (fromHz > 0 ? passed(hz, fromHz) : 1) - (toHz < rate / 2 ? passed(hz, toHz) : 0);
    pass_[k] = static_cast<float>(p / static_cast<double>(window));
    if (p <= 0) continue;
    fromBin_ = std::min(fromBin_, static_cast<std::int64_t>(k));
    toBin_ = static_cast<std::int64_t>(k) + 1;
  }
  power_.resize(bins + 4);
}

void TurnedWindows::begin(std::int64_t origin) {
  peaks_.clear();
  forget();
  sum_.resize(0);
  weight_.clear();
  sumFrom_ = divided_ = -window_ / 2;
  last_ = segment_ = {origin, 0};
  first_ = true;
  turnedDown_ = 1;
  windows_ = 0;
}

void TurnedWindows::roseBy(double rise) {
  turnedDown_ = static_cast<float>(1 / std::sqrt(rise));
}

std::int64_t TurnedWindows::next(double faster) const {
  if (windows_ == 0) return last_.in;
  const double step = static_cast<double>(hop()) / std::max(1.0, faster);
  return last_.in + std::max<std::int64_t>(1, static_cast<std::int64_t>(step));
}

TurnedWindows::Spectrum TurnedWindows::spare() {
  if (spares_.empty()) return {0, fourier_->spectrum(), fourier_->spectrum()};
  Spectrum s = std::move(spares_.back());
  spares_.pop_back();
  return s;
}

void TurnedWindows::forget() {
  for (Spectrum& s : before_) spares_.push_back(std::move(s));
  before_.clear();
}

/// The window about `at`, without what comes from `attack` on. False: it is silent.
bool TurnedWindows::look(const WindowSource& source, std::int64_t at, std::int64_t attack, Spectrum& to) {
  to.at = at;
  const std::int64_t first = at - window_ / 2, from = first - source.from;
  // An attack is heard a little after its frame (AttackScan::margin): up to there the sound is let go.
  const std::int64_t lets = std::max<std::int64_t>(1, hand_ / 2), ends = attack + lets - first;
  const std::int64_t heard = std::clamp<std::int64_t>(ends, 0, window_);
  const auto sounds = [&](const float* in) {
    return std::any_of(in + from, in + from + heard, [](float v) { return v != 0; });
  };
  if (!sounds(source.sound.left()) && !sounds(source.sound.right())) return false;
  const auto eased = [&](std::int64_t frames, std::int64_t over) {
    return raisedCosine(static_cast<double>(frames) / static_cast<double>(over));
  };
  for (const bool isLeft : {true, false}) {
    const float* in = (isLeft ? source.sound.left() : source.sound.right()) + from;
    float* x = samples_.get();
    for (std::int64_t i = 0; i < window_; ++i) x[i] = shape_[static_cast<std::size_t>(i)] * in[i];
    for (std::int64_t i = std::max<std::int64_t>(0, ends - lets); i < window_; ++i)
      x[i] *= static_cast<float>(eased(ends - i, lets));
    if (!first_ && turnedDown_ < 1) { // down to what sounded before it: the first window lets it be heard
      const std::int64_t begins = segment_.in - first, whole = begins + 3 * alone_;
      for (std::int64_t i = std::max<std::int64_t>(0, begins - hand_); i < std::min(window_, whole); ++i)
        x[i] *=
            1 - (1 - turnedDown_) * static_cast<float>(eased(i - begins + hand_, hand_) * eased(whole - i, 2 * alone_));
    }
    fourier_->forward(x, (isLeft ? to.left : to.right).get());
  }
  return true;
}

void TurnedWindows::findPeaks(const Spectrum& s) {
  const std::int64_t from = std::max<std::int64_t>(0, fromBin_ - 3), to = std::min(fourier_->bins(), toBin_ + 3);
  // Two on each side that no peak is under.
  float* p = power_.data() + 2;
  const Bin *left = s.left.get(), *right = s.right.get();
  for (std::int64_t k = from; k < to; ++k)
    p[k] = left[k].real() * left[k].real() + left[k].imag() * left[k].imag() +
           (right[k].real() * right[k].real() + right[k].imag() * right[k].imag());
  p[from - 2] = p[from - 1] = p[to] = p[to + 1] = -1;
  peaks_.swap(peaksBefore_);
  peaks_.clear();
  for (std::int64_t k = from; k < to; ++k)
    if (p[k] > p[k - 1] && p[k] >= p[k + 1] && p[k] > p[k - 2] && p[k] >= p[k + 2] && p[k] > 0)
      peaks_.push_back({k, from, to});
  // Regions meet where it is faintest between them.
  for (std::size_t i = 0; i + 1 < peaks_.size(); ++i)
    peaks_[i].to = peaks_[i + 1].from = std::min_element(p + peaks_[i].bin, p + peaks_[i + 1].bin) - p;
}

/// Every peak has turned as far as the region of the window before that it lies in.
void TurnedWindows::keepTurning() {
  auto was = peaksBefore_.begin();
  for (Peak& k : peaks_) {
    while (was != peaksBefore_.end() && was->to <= k.bin) ++was;
    if (was == peaksBefore_.end()) return;
    k.by = was->by;
    k.speed = was->speed;
  }
}

/// Every peak turns on by what it turns in so many frames. `cut`: the window ends at an attack.
void TurnedWindows::turn(const Spectrum& now, std::int64_t frames, bool cut) {
  // How fast a peak turns shows against an earlier window, not too near.
  const Spectrum* earlier = nullptr;
  for (auto it = before_.rbegin(); it != before_.rend(); ++it) {
    earlier = &*it;
    if (now.at - it->at >= window_ / kNotTooNear) break;
  }
  const double bin = kRound / static_cast<double>(window_);
  const auto apart = static_cast<double>(earlier ? now.at - earlier->at : 1);
  keepTurning();
  for (Peak& k : peaks_) {
    const auto i = static_cast<std::size_t>(k.bin);
    const double middle = bin * static_cast<double>(k.bin);
    // A part of a window tells less than the whole one before.
    if (!cut || k.speed == 0 || std::abs(k.speed - middle) > 1.5 * bin) {
      k.speed = middle;
      if (earlier) {
        const WideBin both = WideBin(now.left[i]) * std::conj(WideBin(earlier->left[i])) +
                             WideBin(now.right[i]) * std::conj(WideBin(earlier->right[i]));
        const double by = std::arg(both) - middle * apart;
        k.speed += (by - kRound * std::round(by / kRound)) / apart;
      }
    }
    k.by += k.speed * static_cast<double>(frames);
    k.by -= kRound * std::round(k.by / kRound);
  }
}

void TurnedWindows::add(const WindowSource& source, WindowPlace at, WindowPlace attack) {
  if (windows_ == 0) { // one is looked at only to know how fast peaks turn
    Spectrum s = spare();
    if (look(source, at.in - hop(), attack.in, s)) before_.push_back(std::move(s));
  }
  Spectrum now = spare();
  const bool sounds = look(source, at.in, attack.in, now);
  if (sounds) {
    findPeaks(now);
    if (!first_) turn(now, (at.out - last_.out) - (at.in - last_.in), attack.in < at.in + window_ / 2);
  } else {
    forget();
  }
  last_ = at;
  lay(now, sounds, attack);
  first_ = false;
  ++windows_;
  (sounds ? before_ : spares_).push_back(std::move(now));
  while (before_.size() > 1 &&
         at.in + 1 - before_[1].at >= window_ / kNotTooNear) { // the next to come has one after it
    spares_.push_back(std::move(before_.front()));
    before_.erase(before_.begin());
  }
}

void TurnedWindows::pass(WindowPlace at) {
  forget();
  last_ = at;
  first_ = false;
  ++windows_;
}

void TurnedWindows::beginAnew(const WindowSource& source, double rise, WindowPlace attack) {
  segment_ = last_;
  roseBy(rise);
  first_ = true;
  Spectrum now = spare();
  const bool sounds = look(source, last_.in, attack.in, now);
  if (sounds) {
    findPeaks(now);
    keepTurning();
    for (Peak& k : peaks_) {
      const auto i = static_cast<std::size_t>(k.bin);
      const double older = before_.empty() ? 0 : powerOf(before_.back().left[i], before_.back().right[i]);
      if (older <= kGoesOn * static_cast<double>(power_[i + 2])) k.by = k.speed = 0;
    }
  }
  lay(now, sounds, attack);
  first_ = false;
  forget();
  (sounds ? before_ : spares_).push_back(std::move(now));
}

/// Adds the window about last_ to the output, where it has a say.
void TurnedWindows::lay(const Spectrum& now, bool sounds, WindowPlace attack) {
  const auto [at, out] = last_;
  const std::int64_t half = window_ / 2, base = out - half - sumFrom_;
  if (base + window_ <= 0) return; // let go
  if (sum_.frames() < base + window_) {
    sum_.resize(base + window_);
    weight_.resize(static_cast<std::size_t>(base + window_), 0.0f);
  }
  std::copy(shape_.begin(), shape_.end(), gate_.begin());
  const auto gate = [&](std::int64_t from, std::int64_t to, std::int64_t of, std::int64_t over, bool rises) {
    for (std::int64_t i = std::max<std::int64_t>(0, from); i < std::min(to, window_); ++i)
      gate_[static_cast<std::size_t>(i)] *=
          static_cast<float>(raisedCosine(static_cast<double>(rises ? i - of : of - i) / static_cast<double>(over)));
  };
  // Not beyond the next attack, in what it says nor in what is heard ...
  const std::int64_t ends = half + std::min(attack.in - at, attack.out - out);
  gate(ends - hand_, window_, ends, hand_, false);
  if (!first_) {
    // ... and not before all of it lies behind the attack that the segment begins with.
    const auto early = static_cast<std::int64_t>((1 - kSoonest) * static_cast<double>(out - segment_.out));
    const std::int64_t joins = half + 3 * alone_ - std::min(at - segment_.in, early);
    gate(0, joins + joins_, joins, joins_, true);
  } else if (windows_ > 0) {
    gate(0, half, half - hand_, hand_, true);
  }
  const std::int64_t skip = std::max<std::int64_t>(0, -base);
  if (sounds)
    for (Peak& p : peaks_) {
      p.cosine = std::cos(p.by);
      p.sine = std::sin(p.by);
    }
  for (const bool isLeft : {true, false}) {
    if (!sounds) break;
    const Bin* in = (isLeft ? now.left : now.right).get();
    Bin* w = work_.get();
    std::fill_n(w, fourier_->bins(), Bin());
    for (const Peak& p : peaks_) {
      const auto c = static_cast<float>(p.cosine), s = static_cast<float>(p.sine);
      for (std::int64_t k = std::max(p.from, fromBin_); k < std::min(p.to, toBin_); ++k) {
        const float re = in[k].real(), im = in[k].imag(), g = pass_[static_cast<std::size_t>(k)];
        w[k] = {g * (re * c - im * s), g * (re * s + im * c)};
      }
    }
    fourier_->inverse(w, samples_.get());
    float* to = (isLeft ? sum_.left() : sum_.right()) + base;
    const float* x = samples_.get();
    for (std::int64_t i = skip; i < window_; ++i) to[i] += gate_[static_cast<std::size_t>(i)] * x[i];
  }
  float* weight = weight_.data() + base;
  for (std::int64_t i = skip; i < window_; ++i)
    weight[i] += gate_[static_cast<std::size_t>(i)] * shape_[static_cast<std::size_t>(i)];
}

void TurnedWindows::read(std::int64_t from, StereoSpan out) {
  const std::int64_t end = from + out.frames, laid = sumFrom_ + sum_.frames();
  for (; divided_ < std::min(end, laid); ++divided_) {
    const std::int64_t i = divided_ - sumFrom_;
    const float w = weight_[static_cast<std::size_t>(i)], g = w > 1e-6f ? 1 / w : 0;
    sum_.left()[i] *= g;
    sum_.right()[i] *= g;
  }
  divided_ = std::max(divided_, end);
  for (std::int64_t f = std::max(from, sumFrom_); f < std::min(end, laid); ++f) {
    out.left[f - from] += sum_.left()[f - sumFrom_];
    out.right[f - from] += sum_.right()[f - sumFrom_];
  }
}

void TurnedWindows::letGo(std::int64_t before) {
  const std::int64_t gone = before - sumFrom_;
  if (gone < kOutputKept && before <= divided_) return;
  if (gone <= 0) return;
  const std::int64_t left = std::max<std::int64_t>(0, sum_.frames() - gone);
  for (float* side : {sum_.left(), sum_.right(), weight_.data()})
    if (left > 0) std::copy_n(side + gone, left, side);
  sum_.resize(left);
  weight_.resize(static_cast<std::size_t>(left));
  sumFrom_ = before;
  divided_ = std::max(divided_, before);
}

std::vector<TurnedWindows> stretchLayers(double rate, double width) {
  std::vector<TurnedWindows> all;
  all.emplace_back(niceSize(width * kLowWindow * rate), kLowOverlap, 0, kMeetHz, rate);
  all.emplace_back(niceSize(width * kHighWindow * rate), kHighOverlap, kMeetHz, rate, rate);
  return all;
}

} // namespace ivrin

#include "analysis/sections.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace ivrin {
namespace {

constexpr std::size_t kMostBars = 2000; // the matrix has so many rows and columns: four hours have fewer at 30 BPM
constexpr double kHeardDb = 30;         // a row that is so much softer than its loud bars does not play
constexpr double kSilentDb = -75;
constexpr double kFewRows = 4;
constexpr double kPlaying = 1.0, kColour = 0.35, kHarmony = 0.5; // what bars are unlike by
constexpr std::size_t kNear = 4, kWide = 8;                      // bars on either side that are compared
constexpr double kNewChords = 1.0;
constexpr std::size_t kApart = 3; // bars beside a change
constexpr double kAlmost = 0.75;
constexpr double kCost = 0.1;                   // what a section has to bring
constexpr double kSure = 0.45;                  // and what it brings when there is no doubt
constexpr double kAgain = 0.16, kVaried = 0.32; // how unlike two sections may be that are the same, and kin

struct Bar {
  std::vector<double> playing;                                // of each row, 0..1
  std::vector<std::array<double, RowOctaves::kBands>> colour; // of each row, dB against its own level
  std::vector<std::array<double, RowOctaves::kBands>> stir;   // of each row, dB by which it rises from 20 ms to 20 ms
  std::array<double, 24> notes{};                             // of all rows: of its first half and its second
};

std::vector<Bar> barsOf(const std::vector<RowOfForm>& rows, const TempoMap& map, std::size_t count) {
  std::vector<Bar> bars(count);
  const double rate = map.sampleRate();
  for (Bar& b : bars) {
    b.playing.resize(rows.size());
    b.colour.resize(rows.size());
    b.stir.resize(rows.size());
  }
  for (std::size_t r = 0; r < rows.size(); ++r) {
    std::vector<double> level(count, -120);
    for (std::size_t b = 0; b < count; ++b) {
      const Beats start = map.barStart(static_cast<std::int64_t>(b) + 1),
                  end = map.barStart(static_cast<std::int64_t>(b) + 2);
      if (const RowOctaves& o = *rows[r].octaves; o.hopFrames > 0) {
        std::array<double, RowOctaves::kBands> power{};
        const RowOctaves::Step* former = nullptr;
        int steps = 0;
        const Frames last = map.frameAt(end);
        for (Frames f = map.frameAt(start); f < last; f = f + Frames(o.hopFrames), ++steps)
          if (const RowOctaves::Step* s = o.at(f)) {
            for (std::size_t k = 0; k < power.size(); ++k) {
              power[k] += std::pow(10.0, RowOctaves::db((*s)[k]) / 10);
              if (former && (*s)[k] > (*former)[k])
                bars[b].stir[r][k] += std::min(20.0, RowOctaves::db((*s)[k]) - RowOctaves::db((*former)[k]));
            }
            former = s;
          }
        double sum = 0;
        for (double& p : power) {
          p /= std::max(steps, 1);
          sum += p;
        }
        for (double& p : bars[b].stir[r]) p /= std::max(steps, 1);
        level[b] = 10 * std::log10(sum + 1e-12);
        for (std::size_t k = 0; k < power.size(); ++k)
          bars[b].colour[r][k] = std::max(-40.0, 10 * std::log10(power[k] + 1e-12) - level[b]);
      }
      if (const RowChroma& c = *rows[r].notes; c.stepSeconds > 0) {
        const double from = map.secondsAt(start).value, to = map.secondsAt(end).value,
                     first = static_cast<double>(c.begin.count) / rate;
        for (auto i = static_cast<std::size_t>(std::max(0.0, std::ceil((from - first) / c.stepSeconds)));
             i < c.steps.size(); ++i) {
          const double at = first + static_cast<double>(i) * c.stepSeconds;
          if (at >= to) break;
          const std::size_t half = at < (from + to) / 2 ? 0 : 12;
          for (std::size_t k = 0; k < 12; ++k) bars[b].notes[half + k] += static_cast<double>(c.steps[i][k]);
        }
      }
    }
    std::vector<double> ordered = level;
    std::sort(ordered.begin(), ordered.end());
    const double loud = ordered.empty() ? -120 : ordered[(ordered.size() - 1) * 9 / 10];
    for (std::size_t b = 0; b < count; ++b)
      bars[b].playing[r] = level[b] < kSilentDb ? 0 : std::clamp((level[b] - loud + kHeardDb) / kHeardDb, 0.0, 1.0);
  }
  return bars;
}

/// How unlike two bars are, 0 and up. Rows that never play do not count.
class Unlike {
 public:
  explicit Unlike(const std::vector<Bar>& bars)
      : bars_(bars) {
    if (bars.empty()) return;
    for (std::size_t r = 0; r < bars.front().playing.size(); ++r)
      rows_ += std::any_of(bars.begin(), bars.end(), [&](const Bar& b) { return b.playing[r] > 0.1; });
    rows_ = std::max(rows_, 1.0);
    for (const Bar& b : bars) {
      double sum = 0;
      for (const double v : b.notes) sum += v * v;
      notes_.push_back(std::sqrt(sum));
    }
    for (const double n : notes_) mostNotes_ = std::max(mostNotes_, n);
  }
  double operator()(std::size_t i, std::size_t j) const {
    const Bar &a = bars_[i], &b = bars_[j];
    double playing = 0, colour = 0;
    for (std::size_t r = 0; r < a.playing.size(); ++r) {
      playing += std::abs(a.playing[r] - b.playing[r]);
      const double both = std::min(a.playing[r], b.playing[r]);
      if (both <= 0) continue;
      double apart = 0;
      for (std::size_t k = 0; k < a.colour[r].size(); ++k)
        apart += std::min(12.0, std::abs(a.colour[r][k] - b.colour[r][k])) / 12 +
                 std::min(1.0, std::abs(a.stir[r][k] - b.stir[r][k]));
      colour += both * apart / static_cast<double>(a.colour[r].size());
    }
    // Of a dozen rows three that come or go are a change, of three one.
    // One file of everything is told by its octaves alone.
    return (kPlaying * playing + kColour * (1 + kFewRows / rows_) * colour) / std::sqrt(rows_ * 3) +
           kHarmony * harmony(i, j);
  }
  double harmony(std::size_t i, std::size_t j) const {
    const double least = std::min(notes_[i], notes_[j]);
    if (least < 0.05 * mostNotes_ || mostNotes_ <= 0) return 0;
    double ab = 0;
    for (std::size_t k = 0; k < bars_[i].notes.size(); ++k) ab += bars_[i].notes[k] * bars_[j].notes[k];
    return 1 - ab / (notes_[i] * notes_[j]);
  }

 private:
  const std::vector<Bar>& bars_;
  double rows_ = 0, mostNotes_ = 0;
  std::vector<double> notes_;
};

/// Every bar against every other.
class Matrix {
 public:
  Matrix(const Unlike& unlike, std::size_t size)
      : size_(size)
      , all_(size * size) {
    for (std::size_t i = 0; i < size_; ++i)
      for (std::size_t j = i + 1; j < size_; ++j)
        all_[i * size_ + j] = all_[j * size_ + i] = static_cast<float>(unlike(i, j));
  }
  double at(std::size_t i, std::size_t j) const { return static_cast<double>(all_[i * size_ + j]); }
  std::size_t size() const { return size_; }
  /// Of all pairs, one from each stretch; a bar is not compared with itself.
  double mean(std::size_t a, std::size_t aEnd, std::size_t b, std::size_t bEnd) const {
    double sum = 0;
    int n = 0;
    for (std::size_t i = a; i < aEnd; ++i)
      for (std::size_t j = b; j < bEnd; ++j)
        if (i != j) {
          sum += at(i, j);
          ++n;
        }
    return n > 0 ? sum / n : 0;
  }

 private:
  std::size_t size_;
  std::vector<float> all_;
};

/// How much more the bars before a bar line are unlike those after than either are among themselves.
double newness(const Matrix& m, std::size_t bar, std::size_t width) {
  const std::size_t a = bar - std::min(bar, width), b = std::min(m.size(), bar + width);
  if (bar - a < 2 || b - bar < 2) return 0;
  return std::max(0.0, 2 * m.mean(a, bar, bar, b) - m.mean(a, bar, a, bar) - m.mean(bar, b, bar, b));
}

/// The same of harmony alone, which goes in circles: how far the bars after are from the likest bar before, and how
/// much nearer they are to each other.
double newChords(const Unlike& unlike, std::size_t bar, std::size_t first, std::size_t end) {
  const std::size_t a = bar - std::min(bar - first, kWide), b = std::min(end, bar + kWide);
  if (bar - a < kNear || b - bar < kNear) return 0;
  const auto nearest = [&](std::size_t i, std::size_t from, std::size_t to) {
    double least = 1;
    for (std::size_t j = from; j < to; ++j)
      if (j != i) least = std::min(least, unlike.harmony(i, j));
    return least;
  };
  double across = 0, among = 0;
  for (std::size_t i = a; i < b; ++i) {
    const bool before = i < bar;
    across += before ? nearest(i, bar, b) : nearest(i, a, bar);
    among += before ? nearest(i, a, bar) : nearest(i, bar, b);
  }
  return std::max(0.0, across - among) / static_cast<double>(b - a);
}

/// What a section of so many bars costs more than one of eight.
double unusual(std::size_t bars) {
  return kCost * (bars % 8 == 0 ? 0 : bars % 4 == 0 ? 0.1 : bars % 2 == 0 ? 0.5 : 0.9);
}

/// The bar lines on which sections start, the first one included.
std::vector<std::size_t> parted(const std::vector<double>& news, std::size_t first, std::size_t end) {
  constexpr double kNone = -std::numeric_limits<double>::infinity();
  constexpr std::size_t kLongest = 96;
  std::vector<double> best(end + 1, kNone);
  std::vector<std::size_t> from(end + 1, first);
  best[first] = 0;
  for (std::size_t b = first + 1; b <= end; ++b)
    for (std::size_t a = b - std::min(b - first, kLongest); a < b; ++a) {
      if (best[a] == kNone || (b < end && b - a <= kApart)) continue;
      // The last one ends where the sound does, which may be anywhere.
      const double value = best[a] + (b < end ? news[b] - kCost - unusual(b - a) : 0);
      if (value > best[b]) {
        best[b] = value;
        from[b] = a;
      }
    }
  std::vector<std::size_t> starts;
  for (std::size_t b = end; b > first; b = from[b]) starts.push_back(from[b]);
  std::reverse(starts.begin(), starts.end());
  return starts;
}

/// Bar by bar, the shorter one against all places of the longer where it may lie.
double unlikeSections(const Matrix& m, std::size_t a, std::size_t aEnd, std::size_t b, std::size_t bEnd) {
  if (aEnd - a > bEnd - b) return unlikeSections(m, b, bEnd, a, aEnd);
  double least = 1e9;
  const std::size_t length = aEnd - a;
  for (std::size_t shift = 0; b + shift + length <= bEnd; shift += 2) {
    double sum = 0;
    for (std::size_t i = 0; i < length; ++i) sum += m.at(a + i, b + shift + i);
    least = std::min(least, sum / static_cast<double>(length));
  }
  return least;
}

std::string letter(std::size_t n) {
  return n < 26 ? std::string(1, static_cast<char>('A' + n)) : letter(n / 26 - 1) + letter(n % 26);
}

} // namespace

std::vector<FoundSection> findSections(const std::vector<RowOfForm>& rows, const TempoMap& map, FrameRange sounding) {
  const auto last = map.barAt(map.beatAt(sounding.end)).bar;
  if (rows.empty() || sounding.empty() || last < 4) return {};
  const auto count = std::min(static_cast<std::size_t>(last), kMostBars);
  const std::vector<Bar> bars = barsOf(rows, map, count);
  const auto silent = [](const Bar& b) {
    return std::all_of(b.playing.begin(), b.playing.end(), [](double p) { return p < 0.05; });
  };
  std::size_t first = 0, end = count;
  while (first < end && silent(bars[first])) ++first;
  while (end > first && silent(bars[end - 1])) --end;
  if (end - first < 4) return {};

  const Unlike unlike(bars);
  const Matrix m(unlike, count);
  std::vector<double> news(count + 1, 0);
  for (std::size_t b = first + 1; b + 2 < end; ++b)
    news[b] = (newness(m, b, kNear) + newness(m, b, kWide)) / 2 + kNewChords * newChords(unlike, b, first, end);
  // Beside a change the bars are unlike too: it lies on one of the highest of its neighbours.
  std::vector<double> peaks(news.size(), 0);
  for (std::size_t b = first + 1; b < end; ++b)
    if (news[b] >=
        kAlmost * *std::max_element(news.begin() + static_cast<std::ptrdiff_t>(b - std::min(b, kApart)),
                                    news.begin() + static_cast<std::ptrdiff_t>(std::min(news.size(), b + kApart + 1))))
      peaks[b] = news[b];
  const std::vector<std::size_t> starts = parted(peaks, first, end);
  if (starts.size() < 2) return {};

  struct Named {
    std::size_t start, end, letter;
    int primes;
  };
  std::vector<Named> named;
  std::vector<FoundSection> found;
  std::size_t letters = 0;
  for (std::size_t i = 0; i < starts.size(); ++i) {
    Named n{starts[i], i + 1 < starts.size() ? starts[i + 1] : end, letters, 0};
    const Named* kin = nullptr;
    double least = kVaried;
    for (const Named& e : named)
      if (const double u = unlikeSections(m, e.start, e.end, n.start, n.end); u < least) {
        least = u;
        kin = &e;
      }
    if (kin) {
      n.letter = kin->letter;
      n.primes = kin->primes;
      if (least > kAgain) { // one prime more than any of that letter has
        for (const Named& e : named)
          if (e.letter == n.letter) n.primes = std::max(n.primes, e.primes);
        ++n.primes;
      }
    } else {
      ++letters;
    }
    named.push_back(n);
    std::string name = letter(n.letter);
    for (int p = 0; p < n.primes; ++p) name += "′";
    const double sure = i == 0 ? 1 : std::clamp(news[n.start] / kSure, 0.0, 1.0);
    found.push_back({map.barStart(static_cast<std::int64_t>(n.start) + 1), name, sure});
  }
  return found;
}

} // namespace ivrin

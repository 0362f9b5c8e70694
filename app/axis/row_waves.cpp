#include "app/axis/row_waves.h"

#include "audio/simd.h"

#include <algorithm>
#include <cmath>
#include <unordered_set>

namespace ivrin::app {
namespace {

constexpr float kThinnestWave = 0.5f; // half the thickness of a silent line, device pixels

/// Lowest and highest of both sides, sixteen at a time: an opened row looks at millions of samples for one picture.
IVRIN_CLONES Peak scan(const float* left, const float* right, std::int64_t n) {
  if (n < 16) {
    Peak p{left[0], left[0]};
    for (std::int64_t i = 0; i < n; ++i) {
      p.low = std::min({p.low, left[i], right[i]});
      p.high = std::max({p.high, left[i], right[i]});
    }
    return p;
  }
  float low[16], high[16];
  std::fill_n(low, 16, left[0]);
  std::fill_n(high, 16, left[0]);
  for (std::int64_t i = 0; i < n; i += 16) {
    const std::int64_t at = i + 16 <= n ? i : n - 16; // the last sixteen overlap the ones before
    for (int k = 0; k < 16; ++k) {
      const float l = left[at + k], r = right[at + k], least = l < r ? l : r, most = l < r ? r : l;
      low[k] = least < low[k] ? least : low[k];
      high[k] = most > high[k] ? most : high[k];
    }
  }
  return {*std::min_element(low, low + 16), *std::max_element(high, high + 16)};
}

void put(WaveColumns& w, std::size_t x, double low, double high, double mid, double half) {
  w.top[x] = static_cast<float>(std::max(mid - half, mid - high * half));
  w.bottom[x] = static_cast<float>(std::min(mid + half, mid - low * half));
  const auto m = static_cast<float>(mid);
  w.top[x] = std::min(w.top[x], m - kThinnestWave);
  w.bottom[x] = std::max(w.bottom[x], m + kThinnestWave);
}

/// put() for all columns at once.
IVRIN_CLONES void putAll(WaveColumns& w, const float* low, const float* high, float scale, double mid, double half) {
  const auto m = static_cast<float>(mid), h = static_cast<float>(half), up = scale * h;
  float* top = w.top.data();
  float* bottom = w.bottom.data();
  const std::size_t n = w.top.size();
  for (std::size_t x = 0; x < n; ++x) {
    float t = m - high[x] * up, b = m - low[x] * up;
    t = t > m - h ? t : m - h;
    b = b < m + h ? b : m + h;
    top[x] = t < m - kThinnestWave ? t : m - kThinnestWave;
    bottom[x] = b > m + kThinnestWave ? b : m + kThinnestWave;
  }
}

/// What is left of the dry sound in the middle of a column, by those ornaments.
double dryGain(const Chunked<std::shared_ptr<const OrnamentNode>>& nodes, const ColumnFrames& frames, std::size_t x,
               const RowWaves::Which& which) {
  double g = 1;
  for (const auto& node : nodes)
    if (which(*node)) g *= node->plan.dry.at(Frames((frames[x] + frames[x + 1]) / 2));
  return g;
}
const RowWaves::Which anyOrnament = [](const OrnamentNode&) { return true; };

/// Memory for columns, one set for each painting thread, kept.
std::span<float> scratch(int slot, std::size_t n) {
  static thread_local std::vector<float> memory[4];
  auto& own = memory[slot];
  if (own.size() < n) own.resize(n);
  return {own.data(), n};
}

} // namespace

ColumnFrames columnFrames(const TempoMap& map, const TimeAxis& axis, double x, int columns, double ratio) {
  ColumnFrames f(static_cast<std::size_t>(columns) + 1);
  for (int i = 0; i <= columns; ++i) f[static_cast<std::size_t>(i)] = map.frameAt(axis.beatAt(x + i / ratio)).count;
  return f;
}

double RowWaves::fullScale(const std::string& row) const {
  PeakView view;
  std::shared_ptr<const PeakPyramid> made;
  if (const auto& a = source_.audio.of(row)) {
    view = a->peaks();
  } else if ((made = madePeaks(row))) {
    view = PeakView::of(*made);
  }
  // Nine in ten of the loud stretches fit; a rare peak is drawn at the staff's edge. A nearly silent row must not fill
  // its staff with noise.
  std::vector<float> peaks;
  for (const Peak& p : view.levels[PeakPyramid::kLevels - 1])
    if (const float m = std::max(p.high, -p.low); m > 0.003f) peaks.push_back(m);
  if (peaks.empty()) return 0.05;
  const auto nth = peaks.begin() + static_cast<std::ptrdiff_t>(static_cast<double>(peaks.size() - 1) * 0.9);
  std::nth_element(peaks.begin(), nth, peaks.end());
  return std::max(0.05, static_cast<double>(*nth)) / 0.86;
}

Peak RowWaves::stemPeak(const StemAudio& audio, std::int64_t begin, std::int64_t end) const {
  end = std::max(end, begin + 1);
  if (end - begin >= 2 * PeakPyramid::kBaseFrames) return audio.peaks().over(begin, end);
  begin = std::clamp<std::int64_t>(begin, 0, audio.frames());
  end = std::clamp<std::int64_t>(end + 1, 0, audio.frames()); // one more, so that neighbours touch
  return begin < end ? scan(audio.left() + begin, audio.right() + begin, end - begin) : Peak{};
}

WaveColumns RowWaves::dry(const std::string& row, const ColumnFrames& frames, double mid, double half, bool keep,
                          const Which& which) const {
  const auto n = frames.size() - 1;
  WaveColumns w(static_cast<int>(n));
  const double scale = 1 / fullScale(row);
  const auto& audio = source_.audio.of(row);
  const auto& plan = source_.plan;
  std::vector<const GainSegments*> gains;
  std::int64_t offset = 0;
  if (plan)
    if (const auto index = plan->rowIndex(row)) {
      offset = plan->rows()[*index].offset;
      for (const auto& node : plan->rows()[*index].ornaments)
        if (!node->plan.dry.isOne() && which(*node)) gains.push_back(&node->plan.dry);
    }
  const auto made = audio ? nullptr : madePeaks(row);
  const auto low = scratch(0, n), high = scratch(1, n);
  const std::int64_t each = (frames.back() - frames.front()) / static_cast<std::int64_t>(n);
  if (audio && each >= 2 * PeakPyramid::kBaseFrames) {
    audio->peaks().columns(frames, offset, low.data(), high.data());
  } else if (audio) { // near: from the samples themselves
    for (std::size_t x = 0; x < n; ++x) {
      const Peak p = stemPeak(*audio, frames[x] - offset, frames[x + 1] - offset);
      low[x] = p.low;
      high[x] = p.high;
    }
  } else if (made) {
    PeakView::of(*made).columns(frames, 0, low.data(), high.data());
  } else {
    std::fill(low.begin(), low.end(), 0.0f);
    std::fill(high.begin(), high.end(), 0.0f);
  }
  if (!audio || (gains.empty() && keep)) {
    if (keep)
      putAll(w, low.data(), high.data(), static_cast<float>(scale), mid, half);
    else
      w.top.assign(n, static_cast<float>(mid)), w.bottom = w.top;
    return w;
  }
  for (std::size_t x = 0; x < n; ++x) {
    double g = 1;
    for (const GainSegments* s : gains) g *= s->at(Frames((frames[x] + frames[x + 1]) / 2));
    if (!keep) g = g < 0.999 ? 1 : 0; // what was there before it was turned down
    put(w, x, static_cast<double>(low[x]) * scale * g, static_cast<double>(high[x]) * scale * g, mid, half);
    if (!keep && g == 0) w.top[x] = w.bottom[x] = static_cast<float>(mid);
  }
  return w;
}

WaveColumns RowWaves::row(const std::string& row, const ColumnFrames& frames, double mid, double half) const {
  return dry(row, frames, mid, half, true, anyOrnament);
}

std::optional<WaveColumns> RowWaves::goesOn(const std::string& row, const ColumnFrames& frames, double mid,
                                            double half) const {
  constexpr double kSilent = 0.001; // −60 dB
  const auto& plan = source_.plan;
  const auto index = plan && !source_.audio.of(row) ? plan->rowIndex(row) : std::nullopt;
  if (!index) return std::nullopt;
  const FrameRange seen{Frames(frames.front()), Frames(frames.back())};
  const auto& nodes = plan->rows()[*index].ornaments;
  if (std::all_of(nodes.begin(), nodes.end(),
                  [&](const auto& node) { return intersect(node->plan.dry.span(), seen).empty(); }))
    return std::nullopt;
  WaveColumns w = this->row(row, frames, mid, half);
  for (std::size_t x = 0; x < w.top.size(); ++x)
    if (dryGain(nodes, frames, x, anyOrnament) > kSilent) w.top[x] = w.bottom[x] = static_cast<float>(mid);
  return w;
}

std::optional<WaveColumns> RowWaves::turnedDown(const std::string& row, const ColumnFrames& frames, double mid,
                                                double half, const Which& which) const {
  const auto& plan = source_.plan;
  const auto index = plan ? plan->rowIndex(row) : std::nullopt;
  if (!index) return std::nullopt;
  const FrameRange seen{Frames(frames.front()), Frames(frames.back())};
  bool any = false;
  for (const auto& node : plan->rows()[*index].ornaments)
    any = any || (which(*node) && !intersect(node->plan.dry.span(), seen).empty());
  if (!any) return std::nullopt;
  if (source_.audio.of(row)) return dry(row, frames, mid, half, false, which);
  // A bus or the mix is drawn as it sounds; what is missing is shown as an even band over the gap.
  const auto n = frames.size() - 1;
  WaveColumns w(static_cast<int>(n));
  for (std::size_t x = 0; x < n; ++x) {
    const double g = dryGain(plan->rows()[*index].ornaments, frames, x, which);
    const double reach = g < 0.999 ? (1 - g) * 0.72 * half : 0;
    w.top[x] = static_cast<float>(mid - reach);
    w.bottom[x] = static_cast<float>(mid + reach);
  }
  return w;
}

PrintPeaks& RowWaves::peaksOf(const OrnamentNode& node, std::int64_t& frames) {
  auto [it, fresh] = prints_.try_emplace(node.print.get());
  auto& [alive, peaks] = it->second;
  if (fresh || alive.lock() != node.print) {
    peaks = {};
    peaks.done = node.print->first();
    alive = node.print;
  }
  // finish() closes the last bin, so peaks are taken in whole bins until the print is complete.
  constexpr std::int64_t kPiece = 16 * PeakPyramid::kBaseFrames * 4;
  const Frames ready = node.print->ready();
  const bool complete = node.print->complete();
  StereoBuffer b;
  while (peaks.done < ready && frames > 0) {
    const std::int64_t n = std::min(kPiece, (ready - peaks.done).count);
    if (n < kPiece && !complete) break;
    frames -= n;
    b.resize(n);
    b.span().clear();
    node.print->addTo(peaks.done, b.span());
    peaks.left.append(b.left(), b.left(), n);
    peaks.right.append(b.right(), b.right(), n);
    peaks.done = peaks.done + Frames(n);
    if (complete && peaks.done == ready) {
      peaks.left.finish();
      peaks.right.finish();
    }
  }
  return peaks;
}

std::optional<FrameRange> RowWaves::heard(const OrnamentNode& node, std::int64_t& frames) {
  if (!node.print || !node.print->complete()) return std::nullopt;
  PrintPeaks& peaks = peaksOf(node, frames);
  if (peaks.done < node.print->ready()) return std::nullopt;
  if (peaks.heard) return peaks.heard;
  constexpr double kUnder = 0.0316; // 30 dB
  constexpr std::int64_t kStep = 1024;
  const PeakView left = PeakView::of(peaks.left), right = PeakView::of(peaks.right);
  const std::int64_t n = (peaks.done - node.print->first()).count;
  const auto at = [&](std::int64_t f) {
    const Peak l = left.over(f, f + kStep), r = right.over(f, f + kStep);
    return static_cast<double>(std::max({l.high, -l.low, r.high, -r.low}));
  };
  double most = 0;
  for (std::int64_t f = 0; f < n; f += kStep) most = std::max(most, at(f));
  std::int64_t begin = 0, end = n;
  while (begin < n && at(begin) < most * kUnder) begin += kStep;
  while (end > begin && at(std::max<std::int64_t>(0, end - kStep)) < most * kUnder) end -= kStep;
  peaks.heard = FrameRange{node.print->first() + Frames(begin), node.print->first() + Frames(std::max(begin, end))};
  return peaks.heard;
}

bool RowWaves::prepare(FrameRange seen) {
  if (!source_.plan) return true;
  std::int64_t frames = kAtOnce;
  for (const auto& node : source_.plan->nodes())
    if (node->print && !intersect(node->print->extent(), seen).empty()) static_cast<void>(peaksOf(*node, frames));
  return frames > 0;
}

void RowWaves::show(WaveSource source) {
  source_ = std::move(source);
  std::erase_if(prints_, [](const auto& e) { return e.second.first.expired(); });
  // Prints that were heard before may come again by undo; not all of them are remembered.
  if (bytes() < kMostBytes || !source_.plan) return;
  std::unordered_set<const Print*> heard;
  for (const auto& n : source_.plan->nodes()) heard.insert(n->print.get());
  std::erase_if(prints_, [&](const auto& e) { return !heard.contains(e.first); });
}

std::int64_t RowWaves::bytes() const {
  std::int64_t n = 0;
  for (const auto& [print, known] : prints_) n += known.second.left.bytes() + known.second.right.bytes();
  return n;
}

std::shared_ptr<const PeakPyramid> RowWaves::madePeaks(const std::string& row) const {
  const auto it = source_.peaks.find(row);
  return it == source_.peaks.end() ? nullptr : it->second.peaks;
}

WaveColumns RowWaves::print(const OrnamentNode& node, const ColumnFrames& frames, double mid, double half, bool opened,
                            int& first) const {
  first = 0;
  const auto known = prints_.find(node.print.get());
  if (known == prints_.end()) return WaveColumns();
  const PrintPeaks& peaks = known->second.second;
  const FrameRange has{node.print->first(), peaks.done};
  const auto begin = std::lower_bound(frames.begin(), frames.end() - 1, has.begin.count),
             end = std::lower_bound(begin, frames.end() - 1, has.end.count);
  first = static_cast<int>(begin - frames.begin());
  WaveColumns w(static_cast<int>(end - begin));
  const std::size_t n = w.top.size();
  if (n == 0) return w;
  const auto scale = static_cast<float>(1 / fullScale(node.ornament->on));
  const std::span<const std::int64_t> edges(&*begin, n + 1);
  const auto low = scratch(0, n), high = scratch(1, n), lowRight = scratch(2, n), highRight = scratch(3, n);
  PeakView::of(peaks.left).columns(edges, has.begin.count, low.data(), high.data());
  PeakView::of(peaks.right).columns(edges, has.begin.count, lowRight.data(), highRight.data());
  for (std::size_t x = 0; x < n; ++x) {
    const float up = std::max(high[x], -low[x]), down = std::max(highRight[x], -lowRight[x]);
    high[x] = opened ? up : std::max(up, down);
    low[x] = opened ? -down : -high[x];
  }
  putAll(w, low.data(), high.data(), scale, mid, half);
  return w;
}

} // namespace ivrin::app

#include "dsp/speed/speed_reader.h"

#include "audio/lanes.h"
#include "audio/simd.h"
#include "dsp/filter/windowed_sinc.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <numbers>

namespace ivrin {
namespace {

constexpr int kHalf = SpeedReader::kHalf, kTaps = 2 * kHalf;
// Linear interpolation between kernels errs by (ω/phases)²/8: −111 dB at 18 kHz and 48 kHz.
constexpr int kPhases = 512;
constexpr double kBeta = 10.4; // stop band −102 dB (Kaiser 1974: 0.1102·(A − 8.7)), 5 kHz wide at 48 kHz

/// The kernel twice: `rows` by phase for speeds up to 1, `along` as one long function of the distance for the rest.
struct Tables {
  struct Step {
    float value, rise; // at distance i/kPhases, and how much it grows to the next
  };
  std::vector<float> rows; // [phase][tap]; tap k weighs frame floor(position) − 31 + k
  std::vector<Step> along; // i from 0 to kHalf·kPhases, then nothing
};

const Tables& tables() {
  static const Tables made = [] {
    Tables t;
    const double top = std::cyl_bessel_i(0, kBeta);
    const auto kernel = [&](std::int64_t i) { // distance i/kPhases
      const double x = static_cast<double>(std::abs(i)) / kPhases, u = x / kHalf;
      if (u >= 1) return 0.0;
      if (i % kPhases == 0) return i == 0 ? 1.0 : 0.0;
      return std::sin(std::numbers::pi * x) / (std::numbers::pi * x) *
             std::cyl_bessel_i(0, kBeta * std::sqrt(1 - u * u)) / top;
    };
    t.along.resize(static_cast<std::size_t>(kHalf * kPhases + 2));
    for (std::size_t i = 0; i < t.along.size(); ++i) {
      const double here = kernel(static_cast<std::int64_t>(i)), next = kernel(static_cast<std::int64_t>(i) + 1);
      t.along[i] = {static_cast<float>(here), static_cast<float>(next - here)};
    }
    t.rows.resize(static_cast<std::size_t>((kPhases + 1) * kTaps));
    for (int phase = 0; phase <= kPhases; ++phase)
      for (int k = 0; k < kTaps; ++k) {
        const std::int64_t i = static_cast<std::int64_t>(k - (kHalf - 1)) * kPhases - phase;
        const auto at = static_cast<std::size_t>(std::abs(i));
        t.rows[static_cast<std::size_t>(phase * kTaps + k)] = at < t.along.size() ? t.along[at].value : 0.0f;
      }
    return t;
  }();
  return made;
}

inline float sumOf(const Eight& v) {
  return ((v[0] + v[4]) + (v[2] + v[6])) + ((v[1] + v[5]) + (v[3] + v[7]));
}

IVRIN_CLONES double fastest(const double* speeds, std::int64_t frames) {
  double most = 1;
  for (std::int64_t i = 0; i < frames; ++i) most = std::max(most, std::abs(speeds[i]));
  return most;
}

/// out at `frames` positions (already from the window's first frame) up to normal speed.
IVRIN_CLONES void readSlow(const float* rows, const float* left, const float* right, const double* at, double shift,
                           std::int64_t frames, float* outLeft, float* outRight) {
  for (std::int64_t i = 0; i < frames; ++i) {
    const double p = at[i] + shift; // never under 0: the window begins before it
    const auto whole = static_cast<std::ptrdiff_t>(p);
    const double phase = (p - static_cast<double>(whole)) * kPhases;
    const int row = static_cast<int>(phase); // under kPhases: the fraction is under 1
    const float mix = static_cast<float>(phase - row);
    const EightInMemory* a = reinterpret_cast<const EightInMemory*>(rows + static_cast<std::ptrdiff_t>(row) * kTaps);
    const std::ptrdiff_t first = whole - (kHalf - 1);
    const EightInMemory* l = reinterpret_cast<const EightInMemory*>(left + first);
    const EightInMemory* r = reinterpret_cast<const EightInMemory*>(right + first);
    Eight l0{}, l1{}, r0{}, r1{};
    for (int k = 0; k < kTaps / 8; k += 2) {
      const Eight c0 = a[k] + (a[k + 8] - a[k]) * mix, c1 = a[k + 1] + (a[k + 9] - a[k + 1]) * mix;
      l0 += c0 * l[k];
      r0 += c0 * r[k];
      l1 += c1 * l[k + 1];
      r1 += c1 * r[k + 1];
    }
    outLeft[i] = sumOf(l0 + l1);
    outRight[i] = sumOf(r0 + r1);
  }
}

typedef int EightInt __attribute__((vector_size(32)));
typedef double FourPairs __attribute__((vector_size(32)));
typedef double TwoInOne __attribute__((may_alias)); // only moved, never computed with

/// One frame faster than normal: the kernel stretched by the speed and lowered by as much.
IVRIN_CLONES void readFast(const Tables::Step* along, const float* left, const float* right, double p, double speed,
                           float* outLeft, float* outRight) {
  const auto whole = static_cast<std::ptrdiff_t>(p);
  const int half = static_cast<int>(std::ceil(kHalf * speed)), taps = (2 * half + 7) / 8 * 8;
  const float scale = static_cast<float>(kPhases / speed), limit = static_cast<float>(kHalf * kPhases);
  const float from = static_cast<float>(-(half - 1) - (p - static_cast<double>(whole)));
  const std::ptrdiff_t first = whole - (half - 1);
  const EightInMemory* l = reinterpret_cast<const EightInMemory*>(left + first);
  const EightInMemory* r = reinterpret_cast<const EightInMemory*>(right + first);
  const Eight count = {0, 1, 2, 3, 4, 5, 6, 7};
  Eight sumLeft{}, sumRight{};
  for (int k = 0; k < taps / 8; ++k) {
    Eight x = (from + static_cast<float>(8 * k) + count) * scale;
    x = x < 0 ? -x : x;
    x = x < limit ? x : Eight{} + limit;
    const EightInt i = __builtin_convertvector(x, EightInt);
    const Eight between = x - __builtin_convertvector(i, Eight);
    // A step's two numbers come in one load; two shuffles put all values into one vector and all rises into another.
    const auto both = [&](int j) { return *reinterpret_cast<const TwoInOne*>(along + i[j]); };
    const Eight low = reinterpret_cast<Eight>(FourPairs{both(0), both(1), both(4), both(5)}),
                high = reinterpret_cast<Eight>(FourPairs{both(2), both(3), both(6), both(7)});
    const Eight value = __builtin_shufflevector(low, high, 0, 2, 8, 10, 4, 6, 12, 14),
                rise = __builtin_shufflevector(low, high, 1, 3, 9, 11, 5, 7, 13, 15);
    const Eight c = value + rise * between;
    sumLeft += c * l[k];
    sumRight += c * r[k];
  }
  const float gain = static_cast<float>(1 / speed);
  *outLeft = sumOf(sumLeft) * gain;
  *outRight = sumOf(sumRight) * gain;
}

} // namespace

SpeedReader::SpeedReader(Feed feed)
    : feed_(std::move(feed)) {}

void SpeedReader::read(const double* positions, const double* speeds, StereoSpan out) {
  if (out.frames <= 0) return;
  // Every sixteenth place is looked at: between two of them a position gets no further than half that many steps.
  constexpr std::int64_t kLook = 16;
  double low = positions[out.frames - 1], high = low;
  for (std::int64_t i = 0; i < out.frames; i += kLook) {
    low = std::min(low, positions[i]);
    high = std::max(high, positions[i]);
  }
  const double most = std::min(fastest(speeds, out.frames), kMost);
  const auto spare = static_cast<std::int64_t>(std::ceil(kHalf * most + kLook / 2 * std::max(most, kFastest))) + 8;
  const auto first = static_cast<std::int64_t>(std::floor(low)) - spare,
             last = static_cast<std::int64_t>(std::floor(high)) + spare;
  const std::int64_t frames = last - first + 1;
  if (window_.frames() < frames) window_.resize(frames);
  const StereoSpan window{window_.left(), window_.right(), frames};
  feed_(first, window);
  if (window.isSilent()) return out.clear();
  const Tables& t = tables();
  const auto shift = static_cast<double>(-first);
  if (most == 1)
    return readSlow(t.rows.data(), window.left, window.right, positions, shift, out.frames, out.left, out.right);
  for (std::int64_t i = 0; i < out.frames;) {
    if (std::abs(speeds[i]) > 1) {
      readFast(t.along.data(), window.left, window.right, positions[i] + shift, std::min(std::abs(speeds[i]), kMost),
               out.left + i, out.right + i);
      ++i;
      continue;
    }
    std::int64_t end = i + 1;
    while (end < out.frames && std::abs(speeds[end]) <= 1) ++end;
    readSlow(t.rows.data(), window.left, window.right, positions + i, shift, end - i, out.left + i, out.right + i);
    i = end;
  }
}

} // namespace ivrin

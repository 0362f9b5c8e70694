#include "dsp/space/attenuation.h"

#include "audio/lanes.h"
#include "audio/simd.h"
#include "dsp/filter/shelf.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kCornerHz[] = {300, 4000, 15000}; // low, high, high
/// Where the fit is held to the curve: octaves, and the highest third.
constexpr double kNodesHz[] = {63, 125, 250, 500, 1000, 2000, 4000, 6300, 8000, 10000, 12500, 16000};

double warped(double hz, double rate) {
  return bilinear(std::min(hz, 0.45 * rate), rate);
}

/// Rows become columns.
inline __attribute__((always_inline)) void transpose(Eight r[8]) {
  Eight t[8], u[8];
  for (int k = 0; k < 8; k += 2) {
    t[k] = __builtin_shufflevector(r[k], r[k + 1], 0, 8, 1, 9, 4, 12, 5, 13);
    t[k + 1] = __builtin_shufflevector(r[k], r[k + 1], 2, 10, 3, 11, 6, 14, 7, 15);
  }
  for (int k = 0; k < 8; k += 4)
    for (int j = 0; j < 2; ++j) {
      u[k + 2 * j] = __builtin_shufflevector(t[k + j], t[k + j + 2], 0, 1, 8, 9, 4, 5, 12, 13);
      u[k + 2 * j + 1] = __builtin_shufflevector(t[k + j], t[k + j + 2], 2, 3, 10, 11, 6, 7, 14, 15);
    }
  for (int k = 0; k < 4; ++k) {
    r[k] = __builtin_shufflevector(u[k], u[k + 4], 0, 1, 2, 3, 8, 9, 10, 11);
    r[k + 4] = __builtin_shufflevector(u[k], u[k + 4], 4, 5, 6, 7, 12, 13, 14, 15);
  }
}

/// Three shelves in series (transposed direct form), eight lines at once.
IVRIN_CLONES void shelves(float* rows, std::int64_t stride, const float* const in[8], const float* b0, const float* b1,
                          const float* a1, float* state, std::int64_t n) {
  const EightInMemory *pb0 = reinterpret_cast<const EightInMemory*>(b0),
                      *pb1 = reinterpret_cast<const EightInMemory*>(b1),
                      *pa1 = reinterpret_cast<const EightInMemory*>(a1);
  EightInMemory* ps = reinterpret_cast<EightInMemory*>(state);
  const Eight p0 = pb0[0], p1 = pb0[1], p2 = pb0[2], q0 = pb1[0], q1 = pb1[1], q2 = pb1[2], r0 = pa1[0], r1 = pa1[1],
              r2 = pa1[2];
  Eight s0 = ps[0], s1 = ps[1], s2 = ps[2];
  std::int64_t i = 0;
  for (; i + 8 <= n; i += 8) {
    Eight x[8];
    for (int k = 0; k < 8; ++k) x[k] = *reinterpret_cast<const EightInMemory*>(in[k] + i);
    transpose(x);
    for (int k = 0; k < 8; ++k) {
      const Eight a = p0 * x[k] + s0;
      s0 = q0 * x[k] - r0 * a;
      const Eight b = p1 * a + s1;
      s1 = q1 * a - r1 * b;
      const Eight c = p2 * b + s2;
      s2 = q2 * b - r2 * c;
      x[k] = c;
    }
    transpose(x);
    for (int k = 0; k < 8; ++k) *reinterpret_cast<EightInMemory*>(rows + k * stride + i) = x[k];
  }
  ps[0] = s0;
  ps[1] = s1;
  ps[2] = s2;
  for (; i < n; ++i)
    for (int k = 0; k < 8; ++k) {
      float v = in[k][i];
      for (int j = 0; j < 3; ++j) {
        const float y = b0[8 * j + k] * v + state[8 * j + k];
        state[8 * j + k] = b1[8 * j + k] * v - a1[8 * j + k] * y;
        v = y;
      }
      rows[k * stride + i] = v;
    }
}

IVRIN_CLONES void scaled(float* y, const float* x, float g, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) y[i] = g * x[i];
}

/// Solves four equations by elimination with pivots.
void solve4(double a[4][5]) {
  for (int c = 0; c < 4; ++c) {
    int best = c;
    for (int r = c + 1; r < 4; ++r)
      if (std::abs(a[r][c]) > std::abs(a[best][c])) best = r;
    for (int k = 0; k < 5; ++k) std::swap(a[c][k], a[best][k]);
    for (int r = 0; r < 4; ++r) {
      if (r == c) continue;
      const double f = a[r][c] / a[c][c];
      for (int k = c; k < 5; ++k) a[r][k] -= f * a[c][k];
    }
  }
  for (int c = 0; c < 4; ++c) a[c][4] /= a[c][c];
}

/// Of a shelf with so much at its end, both frequencies warped and squared.
double shelfDb(std::size_t shelf, double db, double w2, double o2) {
  const double g = std::pow(10.0, db / 20);
  return 10 * std::log10(shelf == 0 ? (o2 + w2 * g) / (o2 + w2 / g) : (g * o2 + w2) / (o2 / g + w2));
}

/// The gain and the shelves of one line: least squares of the relative error of its decay at the nodes (K. Levenberg
/// 1944, D. Marquardt 1963): the shelves keep their shape while their gains grow, but not quite.
class Fit {
 public:
  Fit(const DecayCurve& curve, double rate) {
    for (std::size_t s = 0; s < 3; ++s) w2_[s] = std::pow(warped(kCornerHz[s], rate), 2);
    for (const double hz : kNodesHz) {
      if (hz >= 0.42 * rate) break;
      o2_.push_back(std::pow(warped(hz, rate), 2));
      perFrame_.push_back(-60 / (curve.at(hz) * rate));
    }
  }
  /// `db`: gain, low, high, high; from where it is to start.
  void find(double frames, double (&db)[4]) const {
    double damped = 1e-3, error = errorOf(frames, db);
    for (int round = 0; round < 24; ++round) {
      double a[4][5] = {};
      for (std::size_t k = 0; k < o2_.size(); ++k) {
        const double weight = 1 / (perFrame_[k] * frames);
        double row[5] = {1, 0, 0, 0, perFrame_[k] * frames - db[0]};
        for (std::size_t s = 0; s < 3; ++s) {
          const double now = shelfDb(s, db[1 + s], w2_[s], o2_[k]);
          row[1 + s] = (shelfDb(s, db[1 + s] + 0.01, w2_[s], o2_[k]) - now) / 0.01;
          row[4] -= now;
        }
        for (int r = 0; r < 4; ++r)
          for (int c = 0; c < 5; ++c) a[r][c] += weight * weight * row[r] * row[c];
      }
      for (int r = 0; r < 4; ++r) a[r][r] *= 1 + damped;
      solve4(a);
      double next[4];
      for (int r = 0; r < 4; ++r) next[r] = std::clamp(db[r] + a[r][4], -120.0, 60.0);
      const double now = errorOf(frames, next);
      if (now < error) {
        std::copy_n(next, 4, db);
        const bool enough = now > 0.999 * error || now < 1e-6;
        error = now;
        damped *= 0.2;
        if (enough) return;
      } else {
        damped *= 8;
      }
    }
  }

  /// Of all of them together, at a frequency warped and squared.
  double dbAt(const double (&db)[4], double o2) const {
    double sum = db[0];
    for (std::size_t s = 0; s < 3; ++s) sum += shelfDb(s, db[1 + s], w2_[s], o2);
    return sum;
  }

 private:
  double errorOf(double frames, const double (&db)[4]) const {
    double sum = 0;
    for (std::size_t k = 0; k < o2_.size(); ++k) sum += std::pow(dbAt(db, o2_[k]) / (perFrame_[k] * frames) - 1, 2);
    return sum;
  }
  double w2_[3];
  std::vector<double> o2_, perFrame_;
};

} // namespace

Attenuation::Attenuation(const DecayCurve& curve, const std::vector<double>& frames, const std::vector<double>& own,
                         double rate)
    : flat_(curve.flat()) {
  const Fit fit(curve, rate);
  const double middle = -60 / (curve.at(1000) * rate);
  double corner[kShelves];
  for (std::size_t s = 0; s < kShelves; ++s) corner[s] = warped(kCornerHz[s], rate);
  std::vector<double> everywhere; // warped and squared
  for (double hz = 10; hz < 0.49 * rate && !flat_; hz *= 1.1) everywhere.push_back(std::pow(warped(hz, rate), 2));
  groups_.resize(frames.size() / kLanes);
  double db[1 + kShelves] = {middle * frames[0], 0, 0, 0}; // gain, then of each shelf, over a whole round
  for (std::size_t i = 0; i < frames.size(); ++i) {
    if (flat_) db[0] = middle * frames[i];
    if (!flat_) {
      if (i > 0) // longer lines lose more of the same
        for (double& v : db) v = v * frames[i] / frames[i - 1];
      fit.find(frames[i], db);
      // Nothing may come back louder than it went, whatever was asked for.
      double loudest = -200;
      for (const double o2 : everywhere) loudest = std::max(loudest, fit.dbAt(db, o2));
      db[0] -= std::max(0.0, loudest - 20 * std::log10(own[i]) + 1e-4);
    }
    Group& group = groups_[i / kLanes];
    const std::size_t lane = i % kLanes;
    const double gain = std::pow(10.0, db[0] / 20) / own[i];
    for (std::size_t s = 0; s < kShelves; ++s) {
      const FirstOrder f = s == 0 ? lowShelf(db[1 + s], corner[s]) : highShelf(db[1 + s], corner[s]);
      const double g = s == 0 ? gain : 1;
      group.b0[s][lane] = static_cast<float>(g * f.b0);
      group.b1[s][lane] = static_cast<float>(g * f.b1);
      group.a1[s][lane] = static_cast<float>(f.a1);
    }
    if (flat_) group.b0[0][lane] = static_cast<float>(gain);
  }
}

Attenuation Attenuation::gains(const std::vector<double>& each) {
  Attenuation a;
  a.groups_.resize(each.size() / kLanes);
  for (std::size_t i = 0; i < each.size(); ++i) a.groups_[i / kLanes].b0[0][i % kLanes] = static_cast<float>(each[i]);
  return a;
}

void Attenuation::run(int first, float* rows, std::int64_t stride, const float* const in[kLanes], std::int64_t n) {
  Group& g = groups_[static_cast<std::size_t>(first / kLanes)];
  if (flat_)
    for (int k = 0; k < kLanes; ++k) scaled(rows + k * stride, in[k], g.b0[0][static_cast<std::size_t>(k)], n);
  else
    shelves(rows, stride, in, g.b0[0].data(), g.b1[0].data(), g.a1[0].data(), g.state[0].data(), n);
}

void Attenuation::clear() {
  for (Group& g : groups_) g.state = {};
}

} // namespace ivrin

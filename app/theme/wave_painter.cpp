#include "app/theme/wave_painter.h"

#include "audio/simd.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kStretch = 64; // columns

struct Ink {
  int r, g, b;
};

/// How much of the pixel row [y, y + 1) lies in [top, bottom): written so that it becomes a few vector instructions.
inline float coverage(float top, float bottom, float y) {
  const float upper = top > y ? top : y, lower = bottom < y + 1 ? bottom : y + 1;
  float c = lower - upper;
  c = c > 0 ? c : 0;
  return c < 1 ? c : 1;
}

/// One scanline. Coverage of the pixel row [y, y + 1) by [top, bottom), times the pencil's strength.
IVRIN_CLONES void solidLine(quint32* line, const float* top, const float* bottom, int n, float y, float strength,
                            Ink ink) {
  for (int x = 0; x < n; ++x) {
    const float c = coverage(top[x], bottom[x], y);
    const int a = static_cast<int>(c * strength * 256.0f);
    const int r = static_cast<int>((line[x] >> 16) & 255u), g = static_cast<int>((line[x] >> 8) & 255u),
              b = static_cast<int>(line[x] & 255u);
    line[x] = 0xff000000u | static_cast<quint32>(r + (((ink.r - r) * a) >> 8)) << 16 |
              static_cast<quint32>(g + (((ink.g - g) * a) >> 8)) << 8 |
              static_cast<quint32>(b + (((ink.b - b) * a) >> 8));
  }
}

IVRIN_CLONES void strokedLine(quint32* line, const float* top, const float* bottom, int n, float y, float solid,
                              float stroke, float phase, float perPixel, float halfWidth, float sharp, Ink ink) {
  for (int x = 0; x < n; ++x) {
    const float c = coverage(top[x], bottom[x], y);
    const float t = phase + static_cast<float>(x) * perPixel;
    const float u = t - static_cast<float>(static_cast<int>(t)) - 0.5f; // t is never negative
    float s = (halfWidth - (u < 0 ? -u : u)) * sharp + 0.5f;
    s = s > 0 ? s : 0;
    s = s < 1 ? s : 1;
    const int a = static_cast<int>(c * (solid + stroke * s) * 256.0f);
    const int r = static_cast<int>((line[x] >> 16) & 255u), g = static_cast<int>((line[x] >> 8) & 255u),
              b = static_cast<int>(line[x] & 255u);
    line[x] = 0xff000000u | static_cast<quint32>(r + (((ink.r - r) * a) >> 8)) << 16 |
              static_cast<quint32>(g + (((ink.g - g) * a) >> 8)) << 8 |
              static_cast<quint32>(b + (((ink.b - b) * a) >> 8));
  }
}

} // namespace

void drawWave(QImage& image, int x0, int y0, int y1, const WaveColumns& wave, const Pencil& pencil) {
  const int n = std::min(static_cast<int>(wave.top.size()), image.width() - x0);
  if (n <= 0) return;
  y0 = std::max(y0, 0);
  y1 = std::min(y1, image.height());
  float highest = 1e9f, lowest = -1e9f;
  for (int x = 0; x < n; ++x) {
    highest = std::min(highest, wave.top[static_cast<std::size_t>(x)]);
    lowest = std::max(lowest, wave.bottom[static_cast<std::size_t>(x)]);
  }
  y0 = std::max(y0, static_cast<int>(std::floor(highest)));
  y1 = std::min(y1, static_cast<int>(std::ceil(lowest)));
  // Stretches of columns: a scanline passes by those it misses and fills those it lies wholly inside of.
  struct Stretch {
    int from, count;
    float minTop, maxTop, minBottom, maxBottom;
  };
  static thread_local std::vector<Stretch> stretches;
  stretches.clear();
  for (int from = 0; from < n; from += kStretch) {
    Stretch t{from, std::min(kStretch, n - from), 1e9f, -1e9f, 1e9f, -1e9f};
    for (int x = from; x < from + t.count; ++x) {
      const float top = wave.top[static_cast<std::size_t>(x)], bottom = wave.bottom[static_cast<std::size_t>(x)];
      t.minTop = std::min(t.minTop, top);
      t.maxTop = std::max(t.maxTop, top);
      t.minBottom = std::min(t.minBottom, bottom);
      t.maxBottom = std::max(t.maxBottom, bottom);
    }
    stretches.push_back(t);
  }
  const Ink ink{qRed(pencil.colour), qGreen(pencil.colour), qBlue(pencil.colour)};
  const QRgb full = 0xff000000u | pencil.colour;
  uchar* const bits = image.bits();
  const auto stride = image.bytesPerLine();
  for (int y = y0; y < y1; ++y) {
    auto* line = reinterpret_cast<quint32*>(bits + y * stride) + x0;
    const auto fy = static_cast<float>(y);
    const double phase =
        pencil.stroke > 0
            ? (static_cast<double>(x0) - pencil.origin + static_cast<double>(y) * static_cast<double>(pencil.slope)) /
                  static_cast<double>(pencil.period)
            : 0;
    for (const Stretch& t : stretches) {
      if (fy + 1 <= t.minTop || fy >= t.maxBottom) continue;
      const auto at = static_cast<std::size_t>(t.from);
      if (pencil.stroke <= 0) {
        if (pencil.solid >= 1 && fy >= t.maxTop && fy + 1 <= t.minBottom)
          std::fill_n(line + t.from, t.count, full);
        else
          solidLine(line + t.from, wave.top.data() + at, wave.bottom.data() + at, t.count, fy, pencil.solid, ink);
      } else {
        const double here = phase + static_cast<double>(t.from) / static_cast<double>(pencil.period);
        strokedLine(line + t.from, wave.top.data() + at, wave.bottom.data() + at, t.count, fy, pencil.solid,
                    pencil.stroke, static_cast<float>(here - std::floor(here)), 1 / pencil.period, pencil.width / 2,
                    pencil.period, ink);
      }
    }
  }
}

} // namespace ivrin::app

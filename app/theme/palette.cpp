#include "app/theme/palette.h"

namespace ivrin::app {
namespace {

QColor hex(unsigned rgb) {
  return QColor::fromRgb(rgb);
}
QColor between(const QColor& a, const QColor& b, double u) {
  return QColor::fromRgbF(static_cast<float>(a.redF() + (b.redF() - a.redF()) * u),
                          static_cast<float>(a.greenF() + (b.greenF() - a.greenF()) * u),
                          static_cast<float>(a.blueF() + (b.blueF() - a.blueF()) * u));
}

const Palette*& current() {
  static const Palette* p = &dayPaper();
  return p;
}

} // namespace

const Palette& dayPaper() {
  static const Palette p{hex(0xF7F2E8), hex(0xEFE8DA), hex(0xFBF8F1), hex(0x26231F), hex(0x3A3631),
                         hex(0xC9BEAA), hex(0xE3DACA), hex(0x6E665A), hex(0xB04127), hex(0x2C5F95),
                         hex(0x8A5E0C), hex(0xAC7510), hex(0x8E1C6B), false};
  return p;
}

const Palette& nightPaper() {
  static const Palette p = [] {
    Palette n{hex(0x131925), hex(0x0F141E), hex(0x1A2230), hex(0xE4DFD3), {},
              hex(0x374357), hex(0x222B3A), hex(0x8C93A0), hex(0xE98066), hex(0x84B6EA),
              hex(0xE3B555), hex(0xE3B555), hex(0xFF7AC8), true};
    n.wave = between(n.paper, n.ink, 0.68); // large areas must not glare
    return n;
  }();
  return p;
}

const Palette& paper() {
  return *current();
}
void setPaper(bool night) {
  current() = night ? &nightPaper() : &dayPaper();
}

} // namespace ivrin::app

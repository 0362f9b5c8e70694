// The frame round what the keys act on: one look wherever the focus is.
#pragma once

#include "app/theme/palette.h"

#include <QPainter>

namespace ivrin::app {

/// Inside `r`, so that it is neither cut off nor left behind.
inline void paintFocusFrame(QPainter& p, const QRectF& r) {
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(paper().ink, 1.2));
  p.setBrush(Qt::NoBrush);
  p.drawRect(r.adjusted(0.6, 0.6, -0.6, -0.6));
  p.restore();
}

} // namespace ivrin::app

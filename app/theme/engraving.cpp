#include "app/theme/engraving.h"

#include <QPainterPath>

#include <cmath>

namespace ivrin::app {

void drawSlur(QPainter& p, QPointF a, QPointF b, double bulge, const QColor& colour, double thickness) {
  // Across the straight way between its ends, so that a slur from row to row is one too.
  const QPointF way = b - a;
  const double length = std::hypot(way.x(), way.y());
  if (length < 1) return;
  QPointF up(way.y() / length, -way.x() / length);
  if (up.y() > 0) up = -up;
  const auto arc = [&](double h, bool back) {
    const QPointF from = back ? b : a, to = back ? a : b, step = (to - from) * 0.28;
    QPainterPath path(from);
    path.cubicTo(from + step + up * h * 1.33, to - step + up * h * 1.33, to);
    return path;
  };
  QPainterPath whole = arc(bulge + thickness / 2, false);
  whole.connectPath(arc(bulge - thickness / 2, true));
  p.setPen(QPen(colour, 0.7, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  p.setBrush(colour);
  p.drawPath(whole);
  p.setBrush(Qt::NoBrush);
}

bool onSlur(QPointF p, QPointF a, QPointF b, double bulge, double reach) {
  const QPointF way = b - a;
  const double length = std::hypot(way.x(), way.y());
  if (length < 1) return false;
  QPointF up(way.y() / length, -way.x() / length);
  if (up.y() > 0) up = -up;
  const double along = QPointF::dotProduct(p - a, way) / (length * length), over = QPointF::dotProduct(p - a, up);
  return along >= 0 && along <= 1 && std::abs(over - bulge * 4 * along * (1 - along)) <= reach;
}

void drawBrace(QPainter& p, double x, double top, double bottom, double d, const QColor& colour) {
  const double m = (top + bottom) / 2;
  QPainterPath brace(QPointF(x, top));
  brace.cubicTo(x - d * 1.5, top + 2, x - d * 0.3, m - d, x - d * 1.6, m);
  brace.cubicTo(x - d * 0.3, m + d, x - d * 1.5, bottom - 2, x, bottom);
  p.setPen(QPen(colour, 1.6, Qt::SolidLine, Qt::RoundCap));
  p.setBrush(Qt::NoBrush);
  p.drawPath(brace);
}

} // namespace ivrin::app

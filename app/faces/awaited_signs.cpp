// Signs of kinds that are to come: each goes into its kind's face when that is made.
#include "app/faces/face.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

void stutterSign(SignPen& s) { // a stem with tremolo strokes
  QPainter& p = s.painter();
  s.stroked();
  p.drawLine(QPointF(11, 1.2), QPointF(11, 14.8));
  p.setPen(QPen(s.colour(), 2.1, Qt::SolidLine, Qt::FlatCap));
  for (const double y : {4.8, 8.3, 11.8}) p.drawLine(QPointF(6.4, y + 1.5), QPointF(15.6, y - 1.5));
}

void glitchSign(SignPen& s) { // a struck mordent
  QPainter& p = s.painter();
  QPainterPath path;
  s.stroked();
  path.moveTo(2.2, 10);
  for (const auto& [x, y] : {std::pair{5.5, 5.8}, {9.0, 10.4}, {12.4, 5.8}, {15.9, 10.4}, {19.6, 6.2}})
    path.lineTo(x, y);
  p.drawPath(path);
  p.drawLine(QPointF(10.7, 1.4), QPointF(10.7, 14.6));
}

void riserSign(SignPen& s) { // a wavy line climbing to an arrow
  QPainter& p = s.painter();
  QPainterPath path;
  s.stroked();
  path.moveTo(2, 13.6);
  path.cubicTo(4.6, 9.4, 5.4, 15.4, 8, 11);
  path.cubicTo(10.4, 6.8, 11.4, 12.6, 13.8, 8);
  path.lineTo(19.4, 2.4);
  path.moveTo(14.9, 2.2);
  path.lineTo(19.6, 2.2);
  path.lineTo(19.6, 6.9);
  p.drawPath(path);
}

} // namespace

const std::vector<std::pair<std::string_view, void (*)(SignPen&)>>& awaitedSigns() {
  static const std::vector<std::pair<std::string_view, void (*)(SignPen&)>> all = {
      {"stutter", stutterSign}, {"glitch", glitchSign}, {"riser", riserSign}};
  return all;
}

} // namespace ivrin::app

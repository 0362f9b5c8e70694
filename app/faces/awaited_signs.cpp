// Signs of kinds that are to come: each goes into its kind's face when that is made.
#include "app/faces/face.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

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
  static const std::vector<std::pair<std::string_view, void (*)(SignPen&)>> all = {{"riser", riserSign}};
  return all;
}

} // namespace ivrin::app

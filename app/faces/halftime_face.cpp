// halftime: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class HalftimeFace : public Face {
 public:
  std::string_view kind() const override { return "halftime"; }
  /// A breve between bars.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    s.stroked();
    for (const double x : {4.0, 18.0}) p.drawLine(QPointF(x, 2), QPointF(x, 14));
    p.setPen(QPen(s.colour(), 2.1));
    p.drawEllipse(QPointF(11, 8), 4.2, 3.1);
    p.setPen(QPen(s.colour(), 1.1));
    for (const double x : {6.4, 15.6}) p.drawLine(QPointF(x, 3.6), QPointF(x, 12.4));
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return halftimeDrawing(); }
};

} // namespace

const Face& halftimeFace() {
  static const HalftimeFace f;
  return f;
}

} // namespace ivrin::app

// stutter: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class StutterFace : public Face {
 public:
  std::string_view kind() const override { return "stutter"; }
  /// A stem with tremolo strokes.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    s.stroked();
    p.drawLine(QPointF(11, 1.2), QPointF(11, 14.8));
    p.setPen(QPen(s.colour(), 2.1, Qt::SolidLine, Qt::FlatCap));
    for (const double y : {4.8, 8.3, 11.8}) p.drawLine(QPointF(6.4, y + 1.5), QPointF(15.6, y - 1.5));
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return stutterDrawing(); }
};

} // namespace

const Face& stutterFace() {
  static const StutterFace f;
  return f;
}

} // namespace ivrin::app

// treat: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class TreatFace : public Face {
 public:
  std::string_view kind() const override { return "treat"; }
  /// An encircled point.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    s.stroked();
    p.drawEllipse(QPointF(11, 8), 6.1, 6.1);
    s.filled();
    p.drawEllipse(QPointF(11, 8), 2.1, 2.1);
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return treatDrawing(); }
};

} // namespace

const Face& treatFace() {
  static const TreatFace f;
  return f;
}

} // namespace ivrin::app

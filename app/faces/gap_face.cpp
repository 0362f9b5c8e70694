// gap: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class GapFace : public Face {
 public:
  std::string_view kind() const override { return "gap"; }
  /// A caesura.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    s.stroked();
    p.drawLine(QPointF(6.5, 14), QPointF(11, 2));
    p.drawLine(QPointF(11.5, 14), QPointF(16, 2));
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return gapDrawing(); }
};

} // namespace

const Face& gapFace() {
  static const GapFace f;
  return f;
}

} // namespace ivrin::app

// glitch: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class GlitchFace : public Face {
 public:
  std::string_view kind() const override { return "glitch"; }
  /// A struck mordent.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    QPainterPath path;
    s.stroked();
    path.moveTo(2.2, 10);
    for (const auto& [x, y] : {std::pair{5.5, 5.8}, {9.0, 10.4}, {12.4, 5.8}, {15.9, 10.4}, {19.6, 6.2}})
      path.lineTo(x, y);
    p.drawPath(path);
    p.drawLine(QPointF(10.7, 1.4), QPointF(10.7, 14.6));
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return glitchDrawing(); }
};

} // namespace

const Face& glitchFace() {
  static const GlitchFace f;
  return f;
}

} // namespace ivrin::app

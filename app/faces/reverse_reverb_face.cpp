// reverse-reverb: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class ReverseReverbFace : public Face {
 public:
  std::string_view kind() const override { return "reverse-reverb"; }
  /// A hairpin that opens onto a bar.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    QPainterPath path;
    s.stroked();
    path.moveTo(16, 2.4);
    path.lineTo(2.5, 8);
    path.lineTo(16, 13.6);
    p.drawPath(path);
    p.drawLine(QPointF(19.5, 1.8), QPointF(19.5, 14.2));
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return swellDrawing(); }
};

} // namespace

const Face& reverseReverbFace() {
  static const ReverseReverbFace f;
  return f;
}

} // namespace ivrin::app

// reverse: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class ReverseFace : public Face {
 public:
  std::string_view kind() const override { return "reverse"; }
  /// A note with its stem mirrored, and an arrow back.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    QPainterPath path;
    s.filled();
    s.noteHead({16.2, 11.6}, 3.6);
    s.stroked();
    p.drawLine(QPointF(13.2, 11.4), QPointF(13.2, 1.6));
    p.drawLine(QPointF(9.8, 6), QPointF(2, 6));
    path.moveTo(5, 3);
    path.lineTo(2, 6);
    path.lineTo(5, 9);
    p.drawPath(path);
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return reverseDrawing(); }
};

} // namespace

const Face& reverseFace() {
  static const ReverseFace f;
  return f;
}

} // namespace ivrin::app

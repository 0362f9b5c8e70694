// reverb-throw: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class ReverbThrowFace : public Face {
 public:
  std::string_view kind() const override { return "reverb-throw"; }
  /// A note head and ties that fade.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    QPainterPath path;
    s.filled();
    s.noteHead({5, 8}, 4.4);
    s.stroked();
    path.moveTo(8.5, 4.2);
    path.cubicTo(11, 1.6, 16, 1.6, 19.5, 4.6);
    path.moveTo(8.5, 11.8);
    path.cubicTo(11, 14.4, 16, 14.4, 19.5, 11.4);
    p.drawPath(path);
    QColor faint = s.colour();
    faint.setAlphaF(s.colour().alphaF() * 0.55f);
    p.setPen(QPen(faint, 1.4, Qt::SolidLine, Qt::RoundCap));
    p.drawLine(QPointF(11.5, 8), QPointF(15.5, 8));
    p.drawLine(QPointF(18.5, 8), QPointF(20, 8));
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return reverbThrowDrawing(); }
};

} // namespace

const Face& reverbThrowFace() {
  static const ReverbThrowFace f;
  return f;
}

} // namespace ivrin::app

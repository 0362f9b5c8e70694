// pulse: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

namespace ivrin::app {
namespace {

class PulseFace : public Face {
 public:
  std::string_view kind() const override { return "pulse"; }
  /// Equal strokes in a row.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    p.setPen(QPen(s.colour(), 2.2, Qt::SolidLine, Qt::FlatCap));
    for (const double x : {3.4, 8.5, 13.6, 18.7}) p.drawLine(QPointF(x, 3), QPointF(x, 13));
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return pulseDrawing(); }
};

} // namespace

const Face& pulseFace() {
  static const PulseFace f;
  return f;
}

} // namespace ivrin::app

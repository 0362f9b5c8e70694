// tape: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class TapeFace : public Face {
 public:
  std::string_view kind() const override { return "tape"; }
  /// A glissando that falls and flattens.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    QPainterPath path;
    s.stroked();
    path.moveTo(2, 2.6);
    path.lineTo(5.5, 2.6);
    path.cubicTo(11, 2.8, 10.5, 13.4, 16.5, 13.4);
    path.lineTo(20, 13.4);
    p.drawPath(path);
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return tapeDrawing(); }

  /// What is turned most of a tape has keys: the open one, else the one at the caret.
  std::vector<OwnAction> actions() const override {
    return {{"tapeFit", QObject::tr("Fit span / whole source"), Qt::SHIFT | Qt::Key_E, "fit", 1},
            {"tapeShape", QObject::tr("Next shape"), Qt::CTRL | Qt::SHIFT | Qt::Key_E, "shape", 1}};
  }
  QString actionsMenu() const override { return QObject::tr("Tape"); }
};

} // namespace

const Face& tapeFace() {
  static const TapeFace f;
  return f;
}

} // namespace ivrin::app

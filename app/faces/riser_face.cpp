// riser: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class RiserFace : public Face {
 public:
  std::string_view kind() const override { return "riser"; }
  /// A wavy line climbing to an arrow.
  void sign(SignPen& s) const override {
    QPainter& p = s.painter();
    QPainterPath path;
    s.stroked();
    path.moveTo(2, 13.6);
    path.cubicTo(4.6, 9.4, 5.4, 15.4, 8, 11);
    path.cubicTo(10.4, 6.8, 11.4, 12.6, 13.8, 8);
    path.lineTo(19.4, 2.4);
    path.moveTo(14.9, 2.2);
    path.lineTo(19.6, 2.2);
    path.lineTo(19.6, 6.9);
    p.drawPath(path);
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return riserDrawing(); }

  std::vector<OwnAction> actions() const override {
    return {{"riserOf", QObject::tr("Next riser source"), Qt::SHIFT | Qt::Key_I, "of", 1},
            {"riserHit", QObject::tr("Cycle impact level"), Qt::SHIFT | Qt::Key_J, "hit_db", 1},
            {"riserDirection", QObject::tr("Switch rise / fall"), Qt::CTRL | Qt::SHIFT | Qt::Key_I, "direction", 1}};
  }
  QString actionsMenu() const override { return QObject::tr("Riser"); }
};

} // namespace

const Face& riserFace() {
  static const RiserFace f;
  return f;
}

} // namespace ivrin::app

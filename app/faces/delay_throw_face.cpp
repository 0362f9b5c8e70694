// delay-throw: its face.
#include "app/faces/face.h"
#include "app/openrow/drawings.h"

#include <QPainterPath>

namespace ivrin::app {
namespace {

class DelayThrowFace : public Face {
 public:
  std::string_view kind() const override { return "delay-throw"; }
  /// Note heads that diminish.
  void sign(SignPen& s) const override {
    s.filled();
    s.noteHead({5.2, 8}, 4.6);
    s.noteHead({12.9, 8}, 2.9);
    s.noteHead({17.6, 8}, 1.9);
    s.noteHead({20.9, 8}, 1.2);
  }
  std::unique_ptr<OpenDrawing> drawing() const override { return throwDrawing(); }
};

} // namespace

const Face& delayThrowFace() {
  static const DelayThrowFace f;
  return f;
}

} // namespace ivrin::app

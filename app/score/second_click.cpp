#include "app/score/second_click.h"

#include <QApplication>
#include <QMouseEvent>
#include <QWidget>

#include <utility>

namespace ivrin::app {
namespace {

constexpr int kReachPixels = 8; // a hand does not stay on one pixel

} // namespace

SecondClick::SecondClick(QWidget* window)
    : QObject(window)
    , window_(window) {
  qApp->installEventFilter(this);
}

bool SecondClick::swallows(const QMouseEvent& e) {
  if (e.timestamp() == pressed_) return swallowing_; // the same one, on its way to a parent
  const QPoint at = e.globalPosition().toPoint();
  swallowing_ = moved_ && e.timestamp() - pressed_ < static_cast<quint64>(QApplication::doubleClickInterval()) &&
                (at - pressedAt_).manhattanLength() < kReachPixels;
  pressed_ = e.timestamp();
  pressedAt_ = at;
  moved_ = swallowing_; // nor a third one
  return swallowing_;
}

bool SecondClick::eventFilter(QObject* o, QEvent* e) {
  switch (e->type()) {
  case QEvent::MouseButtonPress:
  case QEvent::MouseButtonDblClick: {
    const auto* mouse = static_cast<QMouseEvent*>(e);
    return mouse->button() == Qt::LeftButton && o->isWidgetType() && static_cast<QWidget*>(o)->window() == window_ &&
           swallows(*mouse);
  }
  case QEvent::MouseMove: // held, it is a drag
    return swallowing_ && o->isWidgetType();
  case QEvent::MouseButtonRelease:
    return o->isWidgetType() && std::exchange(swallowing_, false);
  default:
    return false;
  }
}

} // namespace ivrin::app

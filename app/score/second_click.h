// A double click never goes through: where the first click has moved the page, the second one would hit what has just
// come to lie under the pointer. It is swallowed.
#pragma once

#include <QObject>
#include <QPoint>

class QMouseEvent;
class QWidget;

namespace ivrin::app {

class SecondClick : public QObject {
  Q_OBJECT
 public:
  /// Of a window and all that is in it.
  explicit SecondClick(QWidget* window);
  /// What lies under the pointer may have moved.
  void moved() { moved_ = true; }

 protected:
  bool eventFilter(QObject* o, QEvent* e) override;

 private:
  bool swallows(const QMouseEvent& e);

  QWidget* window_;
  QPoint pressedAt_; // on the screen
  quint64 pressed_ = 0;
  bool moved_ = false, swallowing_ = false;
};

} // namespace ivrin::app

// The FinishLine shows the finish of an open ornament: its processors in signal order as marks on a line, each with a
// small drawing. A click opens one, a drag moves it, a right click or Delete takes it away, and "add" offers more and
// whole chains to begin from.
#pragma once

#include "app/openrow/finish_shapes.h"
#include "app/session/session.h"

#include <QWidget>

namespace ivrin::app {

class FinishLine : public QWidget {
  Q_OBJECT
 public:
  FinishLine(Session& session, QWidget* parent);
  void setOrnament(const Ornament& o);
  /// Which one is open; −1: none.
  void setOpened(int index);
  int opened() const { return opened_; }
  QRect markRect(int index) const;
  QRect addRect() const { return add_; }
  /// Processors and starting points, as a menu at "add".
  void offer();
  static std::filesystem::path ownFolder();

 signals:
  void openRequested(int index);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override { layOut(); }
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  bool event(QEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }
  void leaveEvent(QEvent*) override;

 private:
  struct Mark {
    QRect box;
    QString words;
    int right;
  };
  void layOut();
  int markAt(QPoint p) const;
  void set(std::vector<Processor> finish, const QString& label);
  void add(const std::string& type);
  void move(int from, int to);
  void remove(int index);
  void keep();
  FinishContext context() const;

  Session& session_;
  Ornament ornament_;
  std::vector<Mark> marks_;
  QRect add_;
  int opened_ = -1, current_ = 0, pressed_ = -1, hover_ = -1, dropAt_ = -1;
  QPoint press_;
  bool dragging_ = false;
};

/// One processor's small drawing.
void paintFinishMark(QPainter& p, const QRectF& box, const Processor& processor, const FinishContext& c,
                     const QColor& ink);

} // namespace ivrin::app

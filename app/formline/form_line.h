// The song at a glance and the way to travel: rehearsal letters, a small mix waveform, landings with the signs of what
// lands there, the part in view as a bracket.
#pragma once

#include "app/score/score_view.h"

#include <QLineEdit>
#include <QPixmap>

namespace ivrin::app {

/// The sign of an ornament on the form line.
struct FormSign {
  const Ornament* ornament;
  double x; // of its left edge
  bool tied;
};

class FormLine : public QWidget {
  Q_OBJECT
 public:
  FormLine(Session& session, ScoreView& score, QWidget* parent);
  QSize sizeHint() const override;
  double xOf(Beats b) const;
  /// Where a section's or landing's letter and name stand.
  QRectF markOf(const std::string& id) const;
  std::vector<FormSign> signs() const;
  /// Types a new name at its place; Return keeps it, Esc leaves the old one.
  void rename(const std::string& id);
  QLineEdit* nameField() const { return name_; }
  /// Moves the current landing by bars, with all that is tied to it.
  void nudge(int bars);

 public slots:
  void tick();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void leaveEvent(QEvent*) override;
  bool eventFilter(QObject* o, QEvent* e) override;

 private:
  double endQuarters() const;
  Beats beatAt(double x) const;
  std::string markUnder(QPointF p) const;
  void endNaming(bool keep);
  Session& session_;
  ScoreView& score_;
  void paintSong(QPainter& p);
  QLineEdit* name_ = nullptr;
  std::string naming_, held_, hover_;
  QPointF press_;
  bool moved_ = false;
  double playheadDrawn_ = -1;
  QString shownLanding_;
  bool shownNight_ = false;
  QPixmap song_; // all but the view's bracket and the playhead; painted anew when the song changes
};

} // namespace ivrin::app

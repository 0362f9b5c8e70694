// The song at a glance and the way to travel: rehearsal letters, a small mix waveform, landings with the signs of what
// lands there, the part in view as a bracket.
#pragma once

#include "app/score/score_view.h"

#include <QPixmap>

namespace ivrin::app {

class FormLine : public QWidget {
  Q_OBJECT
 public:
  FormLine(Session& session, ScoreView& score, QWidget* parent);
  QSize sizeHint() const override;
  double xOf(Beats b) const;

 public slots:
  void tick();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;

 private:
  double endQuarters() const;
  Session& session_;
  ScoreView& score_;
  void paintSong(QPainter& p);
  double playheadDrawn_ = -1;
  QString shownLanding_;
  bool shownNight_ = false;
  QPixmap song_; // all but the view's bracket and the playhead; painted anew when the song changes
};

} // namespace ivrin::app

// The FormLine shows the song at a glance and is the way to travel in it: rehearsal letters, a small mix waveform,
// landings with the signs of what lands there, and the part in view as a bracket.
#pragma once

#include "analysis/grid_check.h"
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
  /// Where the dotted mark of a proposed section stands.
  QRectF markOf(const FoundSection& proposed) const;
  std::vector<FormSign> signs() const;
  /// How far what is played lies from the grid, in place of the small waveform.
  void setShowsGrid(bool on);
  bool showsGrid() const { return showsGrid_; }
  /// Of the rows that have been listened to.
  std::vector<BarOffset> gridOffsets() const;
  /// Types a new name at its place; Return keeps it, Esc leaves the old one.
  void rename(const std::string& id);
  QLineEdit* nameField() const { return name_; }
  /// Moves the current landing by bars, with all that is tied to it.
  void nudge(int bars);

 public slots:
  void tick();

 signals:
  /// Whole transitions into this one.
  void recipesWanted(const std::string& landing);

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
  std::optional<Beats> proposedUnder(QPointF p) const;
  double boxWidth(const QString& mark) const;
  void paintBox(QPainter& p, double x, const QString& mark, bool proposed) const;
  void endNaming(bool keep);
  Session& session_;
  ScoreView& score_;
  void paintSong(QPainter& p);
  void paintWave(QPainter& p, double mid, double half);
  void paintOffsets(QPainter& p, double mid, double half);
  bool showsGrid_ = false;
  QLineEdit* name_ = nullptr;
  std::string naming_, held_, hover_;
  std::optional<Beats> heldProposal_;
  QPointF press_;
  bool moved_ = false;
  double playheadDrawn_ = -1;
  QString shownLanding_;
  bool shownNight_ = false;
  QPixmap song_; // all but the view's bracket and the playhead; painted anew when the song changes
};

} // namespace ivrin::app

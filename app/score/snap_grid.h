// The SnapGrid is the grid that the hand snaps to. The mark at the head of the margin says it.
#pragma once

#include "time/beats.h"

#include <QCoreApplication>

namespace ivrin::app {

class InkButton;
class ScoreView;

class SnapGrid {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::SnapGrid)
 public:
  explicit SnapGrid(ScoreView& view);
  /// Zero is free. `name` is how it is written.
  void set(Beats step, const QString& name);
  Beats step() const { return step_; }
  /// What the hand snaps to: the grid, or where that would be finer than can be seen, beats or bars.
  Beats ofHand() const;
  InkButton* mark() const { return mark_; }
  void place();
  /// The mark says what snaps now.
  void show();

 private:
  ScoreView& view_;
  InkButton* mark_;
  Beats step_;
  QString name_;
};

} // namespace ivrin::app

// ShownOpenings shows openings as hollow signs. They are listened for when they are not known, and a click makes the
// ornament that suits best.
#pragma once

#include "app/score/opening_marks.h"

namespace ivrin::app {

class ScoreView;
class Session;

class ShownOpenings {
 public:
  explicit ShownOpenings(ScoreView& view);

  /// The few that are worth most, or `all` that are worth anything.
  void setShown(bool on, bool all = false);
  bool shown() const { return shown_; }
  const OpeningMarks& marks() const { return marks_; }
  /// The one under a point; null where none is, or none are shown.
  const Opening* under(QPointF at) const;
  /// The one that is told apart, under the mouse.
  void setHot(const Opening* o);
  const Opening* hot() const { return hot_; }
  void take(Opening o);
  /// Those there are now; they are listened for again where the song has moved on under them.
  void renew();
  /// The song has changed.
  void refresh();

 private:
  ScoreView& view_;
  Session& session_;
  OpeningMarks marks_;
  const Opening* hot_ = nullptr; // of marks_
  bool shown_ = false, all_ = false;
};

} // namespace ivrin::app

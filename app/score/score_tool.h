// A ScoreTool is what a press of the mouse has taken hold of in the score, until it is let go. There is one for each
// thing that can be dragged.
#pragma once

#include "app/score/ornament_hand.h"
#include "app/score/ruler.h"

#include <memory>

namespace ivrin::app {

class ScoreView;

class ScoreTool {
 public:
  virtual ~ScoreTool() = default;
  /// The mouse moves on, held; the first time it has left the place of the press by a few pixels.
  virtual void drag(QPointF to, Qt::KeyboardModifiers keys) = 0;
  /// It is let go; `moved`: it was dragged before.
  virtual void letGo(bool moved, Qt::KeyboardModifiers keys) = 0;
  /// The row and the place that the lens shows, while there is one.
  virtual std::optional<std::pair<std::string, Beats>> magnified() const { return std::nullopt; }
  /// Where a mark of the grid was dragged to.
  virtual std::optional<Beats> gridDrag() const { return std::nullopt; }
  /// It follows the mouse from the first pixel on, and the page is never turned while it is held.
  virtual bool atOnce() const { return false; }
};

/// The page itself, moved along the song.
std::unique_ptr<ScoreTool> panTool(ScoreView& view, QPointF press);
/// A new selection from a place on a row; a click is the place to play from.
std::unique_ptr<ScoreTool> selectTool(ScoreView& view, QPointF press, const std::string& row);
/// An edge of what is selected.
std::unique_ptr<ScoreTool> edgeTool(ScoreView& view, bool begin);
/// The handle that the open ornament's hand has taken.
std::unique_ptr<ScoreTool> handleTool(ScoreView& view);
/// Ornaments by a grip of one of them. `marks`: a click marks it with the others, or no longer.
std::unique_ptr<ScoreTool> gripTool(ScoreView& view, const Hold& hold, QPointF press, bool marks);
/// A landing or section by its mark in the ruler.
std::unique_ptr<ScoreTool> landingTool(ScoreView& view, const std::string& landing);
/// A tempo, a meter or bar 1 by its mark in the ruler.
std::unique_ptr<ScoreTool> gridMarkTool(ScoreView& view, const GridMark& mark);

} // namespace ivrin::app

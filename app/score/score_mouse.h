// The ScoreMouse knows what is under the mouse in the score and which tool a press takes. It also turns the wheel and
// takes signs that are dropped on rows.
#pragma once

#include "app/score/score_tool.h"

#include <QCoreApplication>

class QContextMenuEvent;
class QDropEvent;
class QMouseEvent;
class QWheelEvent;

namespace ivrin::app {

class Session;

class ScoreMouse {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::ScoreMouse)
 public:
  explicit ScoreMouse(ScoreView& view);

  void press(const QMouseEvent& e);
  void move(const QMouseEvent& e);
  void release(const QMouseEvent& e);
  void doubleClick(const QMouseEvent& e);
  void wheel(QWheelEvent& e);
  void contextMenu(const QContextMenuEvent& e);
  void leave();
  void drop(QDropEvent& e);

  /// What is held; null while no button is down.
  const ScoreTool* tool() const { return tool_.get(); }
  /// The ornament whose bracket is shown, under the mouse.
  const std::string& hot() const { return hot_; }
  void setHot(const std::string& id);
  /// The row and the place that the lens shows, and where it stands; nothing while there is none.
  std::optional<std::pair<std::string, Beats>> magnified() const;
  QRectF magnifierRect() const;
  /// Marks of the ruler under a point.
  std::string landingUnder(QPointF p) const;
  std::optional<GridMark> gridMarkUnder(QPointF p) const;

 private:
  std::unique_ptr<ScoreTool> toolFor(const QMouseEvent& e);
  std::unique_ptr<ScoreTool> rulerTool(QPointF at, Qt::KeyboardModifiers keys);
  std::unique_ptr<ScoreTool> edgeUnder(QPointF at);
  bool thirdClick(const QMouseEvent& e);
  void hover(QPointF at);
  void hoverOrnament(QPointF at, const Hold& hold);
  ScoreView& view_;
  Session& session_;
  std::unique_ptr<ScoreTool> tool_;
  QPointF press_;
  bool moved_ = false;
  std::string hot_;
  double wheeled_ = 0; // over what the wheel turns in the open row, steps not yet taken
  std::optional<std::pair<quint64, QPointF>> doubleClicked_; // when, in ms of the events' clock, and where
};

} // namespace ivrin::app

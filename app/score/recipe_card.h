// The RecipeCard shows the recipes at a landing as small drawings of what they place: signs before the landing's line,
// on a card beside it.
#pragma once

#include "app/session/recipe_trial.h"
#include "app/theme/ink_button.h"

#include <QTimer>
#include <QWidget>

#include <optional>

namespace ivrin::app {

class RecipeCard : public QWidget {
  Q_OBJECT
 public:
  RecipeCard(RecipeTrial& trial, Session& session, QWidget* parent);
  QSize sizeHint() const override;
  /// At an edge of the room, on the side of the landing where there is more of it.
  void standBeside(double landingX, const QRect& room);
  /// Where a recipe stands, for the mouse; null where it is out of view.
  QRect rowOf(std::size_t which) const;
  InkButton* placeButton() const { return place_; }

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void leaveEvent(QEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  bool event(QEvent*) override;
  void keyPressEvent(QKeyEvent*) override;

 private:
  std::size_t inView() const;
  bool takes(int key) const;
  void step(int by);
  void paintSigns(QPainter& p, const Recipe& r, const QRectF& box) const;
  RecipeTrial& trial_;
  Session& session_;
  std::optional<std::size_t> at(QPoint p) const;
  std::size_t first_ = 0; // in view
  InkButton* place_;
  QTimer rests_; // the mouse on one that is not heard
  std::size_t under_ = 0;
};

} // namespace ivrin::app

// The one curve editor: a curve of an ornament's kind or of its finish, over the open drawing, on the same beat axis.
//
// A drag draws freely, and what was drawn is reduced to few points; a click sets one. Points and the bends between them
// are dragged, a double click or Delete removes one; the chosen point's numbers can be typed. Tab walks the points,
// arrows move the chosen one, Ctrl+C and Ctrl+V copy and paste the whole curve. Points snap to the grid and the
// setting's step; Shift frees them, and lets two stand at one place: a jump.
//
// The axis shows the setting's usual range, more where the curve has more; frequencies are drawn by ratio.
#pragma once

#include "app/axis/time_axis.h"
#include "app/openrow/curve_target.h"
#include "app/openrow/number_field.h"
#include "app/session/session.h"
#include "app/theme/ink_button.h"
#include "song/curve_edit.h"

#include <QWidget>

namespace ivrin::app {

class CurveLane : public QWidget {
  Q_OBJECT
 public:
  /// `target` is of `o`, which is open.
  CurveLane(Session& session, const CurveTarget& target, const Ornament& o, QWidget* parent);
  /// False where what is edited is not there any more.
  bool setOrnament(const Ornament& o);
  const CurveTarget& target() const { return target_; }
  void place(const QRect& area, const TimeAxis& axis);
  void setGrid(Beats grid) { grid_ = grid; }

  const Curve& curve() const { return curve_; }
  int chosen() const { return chosen_; }
  QPointF pointAt(int i) const; // in this widget
  QPointF bendAt(int i) const;  // of the segment arriving at point i
  /// The typed numbers of the chosen point: "beat", "value", "bend".
  NumberField* field(const QString& name) const { return fields_.value(name); }

 signals:
  void closeRequested();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  bool event(QEvent* e) override;
  void leaveEvent(QEvent*) override;

 private:
  enum class Part { none, point, bend, open }; // open: where a click sets a point and a drag draws
  struct Under {
    Part part = Part::none;
    int index = -1;
    friend bool operator==(const Under&, const Under&) = default;
  };
  Under under(QPointF p) const;
  double xOf(double beats) const;
  double yOf(double value) const;
  double beatsAt(double x) const;
  double unit() const; // beats that 1 of the curve's x is
  double valueAt(double y) const;
  double level(double value) const; // its height on the axis, 0 to 1 within what is shown
  double valueOfLevel(double u) const;
  void fitAxis();
  double snappedY(double value, bool free) const;
  double snappedX(QPointF at, bool free) const;
  void addPoint(QPointF at, bool free);
  void endStroke();
  CurveLimits limits() const;
  void put(Curve next, const QString& what, bool merge);
  void choose(int i);
  void layOutFields();
  void movePoint(QPointF to, bool free);

  Session& session_;
  const CurveTarget target_;
  const SettingSpec& spec_;
  double low_ = 0, high_ = 1;      // what the axis shows
  std::vector<CurvePoint> stroke_; // being drawn
  QPointF press_;
  TimeAxis axis_;
  Ornament ornament_;
  Curve curve_;
  Beats grid_;
  int chosen_ = 0;
  Under hover_, held_;
  Curve pressCurve_;
  QMap<QString, NumberField*> fields_;
  SettingSpec beatSpec_, valueSpec_, bendSpec_;
  InkButton *plain_, *done_;
};

} // namespace ivrin::app

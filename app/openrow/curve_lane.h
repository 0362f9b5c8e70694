// The shared curve editor: one setting's curve over the open drawing, on the same beat axis.
//
// Click the line to set a point, drag points and the bends between them, double click or Delete removes one; the chosen
// point's numbers can be typed. Tab walks the points, arrows move the chosen one, Ctrl+C and Ctrl+V copy and paste the
// whole curve. Points snap to the grid and the setting's step; Alt frees them.
#pragma once

#include "app/openrow/number_field.h"
#include "app/score/time_axis.h"
#include "app/session/session.h"
#include "app/theme/ink_button.h"
#include "song/curve_edit.h"

#include <QWidget>

namespace ivrin::app {

class CurveLane : public QWidget {
  Q_OBJECT
 public:
  /// `spec` is a setting of the open ornament's kind that may be a curve.
  CurveLane(Session& session, const SettingSpec& spec, QWidget* parent);
  void setOrnament(const Ornament& o);
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
  enum class Part { none, point, bend, line };
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
  CurveLimits limits() const;
  void put(Curve next, const QString& what, bool merge);
  void choose(int i);
  void layOutFields();
  void movePoint(QPointF to, bool free);

  Session& session_;
  const SettingSpec& spec_;
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

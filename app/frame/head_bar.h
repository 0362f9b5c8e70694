// The line at the top: title, menus, position, tempo, meter and key, playing, with and without, meters.
#pragma once

#include "app/actions/action_registry.h"
#include "app/frame/painted.h"
#include "app/session/session.h"
#include "app/theme/ink_button.h"

#include <QMenuBar>

namespace ivrin::app {

class HeadBar : public QWidget {
  Q_OBJECT
 public:
  HeadBar(Session& session, ActionRegistry& actions, QWidget* parent);
  QSize sizeHint() const override;
  QString positionText() const;
  InkButton* button(const QString& actionId) const { return buttons_.value(actionId); }

 public slots:
  void refresh();
  void tick();

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  InkButton* addButton(InkButton* b, const QString& actionId);
  Session& session_;
  ActionRegistry& actions_;
  QMenuBar* menus_;
  Painted *title_, *position_, *tempo_, *meter_;
  QMap<QString, InkButton*> buttons_;
  QString shownPosition_;
  float peakLeft_ = 0, peakRight_ = 0, holdLeft_ = 0, holdRight_ = 0;
  double lufs_ = -200, limiterDb_ = 0;
};

} // namespace ivrin::app

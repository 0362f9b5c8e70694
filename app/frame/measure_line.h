// The line at the foot: what is selected or chosen, in figures; what was just said; how work goes on.
#pragma once

#include "app/score/score_view.h"
#include "app/theme/ink_button.h"

namespace ivrin::app {

class MeasureLine : public QWidget {
  Q_OBJECT
 public:
  MeasureLine(Session& session, ScoreView& score, QWidget* parent);
  QSize sizeHint() const override;
  /// Stays until the next one, or until it is closed; `action` may offer what can be done.
  void say(const QString& text, bool isError, const QString& actionText = {}, std::function<void()> action = {});
  QString said() const { return said_; }
  QString figures() const;

 public slots:
  void setProgress(const QString& what, double fraction);

 signals:
  void cancelRequested();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;

 private:
  void layOut();
  Session& session_;
  ScoreView& score_;
  QString said_, doing_;
  bool isError_ = false;
  double fraction_ = 1;
  std::function<void()> action_;
  InkButton *close_, *offer_, *cancel_;
};

} // namespace ivrin::app

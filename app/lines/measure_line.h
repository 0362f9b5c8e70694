// The MeasureLine is the line at the foot: what is selected or chosen in figures, what was just said, and how work goes
// on.
#pragma once

#include "app/score/score_view.h"
#include "app/theme/ink_button.h"

#include <QTime>
#include <QTimer>

namespace ivrin::app {

class MeasureLine : public QWidget {
  Q_OBJECT
 public:
  MeasureLine(Session& session, ScoreView& score, QWidget* parent);
  QSize sizeHint() const override;
  /// A notice stays until the next act of the hand, or for eight seconds. An error stays until it is dismissed or
  /// something else is said; with `action`, which offers what can be done, so does a notice. What does not fit into one
  /// line wraps, and the line grows.
  void say(const QString& text, bool isError, const QString& actionText = {}, std::function<void()> action = {});
  QString said() const { return said_; }
  /// On request, and in no list: read out, and shown where nothing stands that asks for a decision.
  void tell(const QString& text);
  /// What was said last, though it may have left.
  QString lastSaid() const { return messages_.empty() ? QString() : messages_.front().text; }
  struct Message {
    QTime at;
    QString text;
    bool isError = false;
  };
  /// The last fifty, the newest first.
  const std::vector<Message>& messages() const { return messages_; }
  /// Off, messages wait for the next act alone (tests, pictures).
  void setLeavesByItself(bool on) { leavesByItself_ = on; }
  QString figures() const;
  /// While it plays: what is said of the place is renewed.
  void tick();

 public slots:
  void setProgress(const QString& what, double fraction);

 signals:
  void cancelRequested();
  void messagesRequested();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  bool eventFilter(QObject* o, QEvent* e) override;

 private:
  void layOut();
  void showWords(const QString& text, bool isError, const QString& actionText, std::function<void()> action);
  /// What is left for words, in pixels.
  int room() const;
  void readOut(const QString& text);
  Session& session_;
  ScoreView& score_;
  QString said_, doing_, shown_;
  bool isError_ = false, leavesByItself_ = false;
  bool fresh_ = false; // said while the event of this moment is dealt with
  QTimer leaves_{this};
  double fraction_ = 1;
  std::function<void()> action_;
  std::vector<Message> messages_;
  InkButton *close_, *offer_, *cancel_, *list_;
};

} // namespace ivrin::app

// The OpenTitle is the head of an open row: what it is and where, its variants, how to listen to it, and the sentence
// that tells what will happen.
#pragma once

#include "app/session/tries.h"
#include "app/theme/ink_button.h"

#include <QWidget>

#include <functional>

namespace ivrin::app {

/// One of the four letters: filled when it is live, a ring when it holds something, faint when it is empty.
class VariantRing : public QAbstractButton {
  Q_OBJECT
 public:
  enum class State { empty, stored, live };
  VariantRing(const QString& letter, QWidget* parent);
  void setState(State s);
  State state() const { return state_; }
  QSize sizeHint() const override;

 signals:
  void forgetRequested();

 protected:
  bool event(QEvent* e) override;
  void paintEvent(QPaintEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void enterEvent(QEnterEvent*) override { update(); }
  void leaveEvent(QEvent*) override { update(); }

 private:
  State state_ = State::empty;
};

class OpenTitle : public QWidget {
  Q_OBJECT
 public:
  /// How the sign of a kind is drawn into a box.
  using SignOf = std::function<void(QPainter& p, const QString& kind, const QRectF& box, const QColor& colour)>;
  OpenTitle(Session& session, Tries& tries, SignOf drawSign, QWidget* parent);
  void setOrnament(const Ornament& o);
  void setAlone(bool on);
  const QString& sentence() const { return sentence_; }
  void setSentence(const QString& text, bool warns);
  void layOut();
  VariantRing* variant(int i) const { return variants_[static_cast<std::size_t>(i)]; }
  InkButton* alone() const { return alone_; }
  InkButton* fourTries() const { return fourTries_; }
  VariantRing* tryRing(int i) const { return tryRings_[static_cast<std::size_t>(i)]; }
  InkButton* keep() const { return keep_; }
  InkButton* none() const { return none_; }

 signals:
  void auditionRequested();
  void aloneRequested(bool on);
  void closeRequested();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override { layOut(); }

 private:
  QString placeWords() const;
  Session& session_;
  Tries& tries_;
  SignOf drawSign_;
  Ornament ornament_;
  QString sentence_;
  bool warns_ = false;
  std::vector<VariantRing*> variants_, tryRings_;
  InkButton *audition_, *alone_, *fourTries_, *close_, *keep_, *others_, *none_;
};

} // namespace ivrin::app

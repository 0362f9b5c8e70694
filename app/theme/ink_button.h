// An InkButton is a button that is a word or a mark on the page. It has no box; weight and a rule show its state.
#pragma once

#include "app/theme/signs.h"

#include <QAbstractButton>
#include <optional>

namespace ivrin::app {

class InkButton : public QAbstractButton {
  Q_OBJECT
 public:
  /// A word.
  InkButton(const QString& word, QWidget* parent);
  /// A mark; `name` is its accessible name and tooltip.
  InkButton(Mark mark, const QString& name, QWidget* parent);
  void setMark(Mark mark) {
    mark_ = mark;
    update();
  }
  /// Unchecked words are struck through (with / without); checked ones are otherwise underlined.
  void setStrikesWhenOff(bool on) { strikes_ = on; }
  void setTextPx(double px) { px_ = px; }
  void setSerif(bool on) { serif_ = on; }
  void setItalic(bool on) { italic_ = on; }
  /// In the colour of collisions and limits.
  void setWarns(bool on) { warns_ = on; }
  /// In a frame of its own: for the few buttons that stand alone on an empty page.
  void setBoxed(bool on) { boxed_ = on; }
  QSize sizeHint() const override;

 protected:
  bool event(QEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void paintEvent(QPaintEvent*) override;
  void enterEvent(QEnterEvent*) override { update(); }
  void leaveEvent(QEvent*) override { update(); }

 private:
  std::optional<Mark> mark_;
  double px_ = 14;
  bool strikes_ = false, serif_ = false, italic_ = false, boxed_ = false, warns_ = false;
};

} // namespace ivrin::app

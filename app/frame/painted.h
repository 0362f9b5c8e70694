// A Painted is a small widget that is one drawing.
#pragma once

#include <QPainter>
#include <QWidget>

#include <functional>

namespace ivrin::app {

class Painted : public QWidget {
 public:
  using Draw = std::function<void(QPainter&, const QRectF&)>;
  Painted(QSize hint, Draw draw, QWidget* parent)
      : QWidget(parent)
      , hint_(hint)
      , draw_(std::move(draw)) {
    setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
  }
  QSize sizeHint() const override { return hint_; }
  void setHint(QSize hint) {
    if (hint == hint_) return;
    hint_ = hint;
    updateGeometry();
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    draw_(p, QRectF(rect()));
  }

 private:
  QSize hint_;
  Draw draw_;
};

} // namespace ivrin::app

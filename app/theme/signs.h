// This file draws the few marks of the controls, and gives the pen that the signs of the kinds are drawn with: vector
// paths in one stroke style, made from the vocabulary of engraving.
#pragma once

#include <QPainter>
#include <QRectF>
#include <QString>
#include <QStringList>

namespace ivrin::app {

/// What a sign is drawn with: a field of 22 by 16 in a box, one stroke style.
class SignPen {
 public:
  SignPen(QPainter& p, const QRectF& box, const QColor& colour);
  ~SignPen();
  SignPen(const SignPen&) = delete;
  SignPen& operator=(const SignPen&) = delete;
  QPainter& painter() { return p_; }
  const QColor& colour() const { return colour_; }
  void stroked(); // lines from here on
  void filled();  // areas from here on
  /// An engraver's note head: an ellipse leaning up to the right.
  void noteHead(QPointF centre, double size);

 private:
  QPainter& p_;
  QColor colour_;
};

enum class Mark { play, stop, loop, metronome, crotchet };
void drawMark(QPainter& p, Mark mark, const QRectF& box, const QColor& colour);

} // namespace ivrin::app

#include "app/theme/signs.h"

#include <QPainterPath>

#include <algorithm>

namespace ivrin::app {
namespace {

/// Scales a drawing made on a 22×16 field into the box, centred.
void intoField(QPainter& p, const QRectF& box, double width, double height) {
  const double s = std::min(box.width() / width, box.height() / height);
  p.translate(box.center().x() - width * s / 2, box.center().y() - height * s / 2);
  p.scale(s, s);
}

/// An engraver's note head: an ellipse leaning up to the right.
void engravedHead(QPainter& p, QPointF centre, double size) {
  p.save();
  p.translate(centre);
  p.rotate(-22);
  p.drawEllipse(QPointF(0, 0), size, size * 0.72);
  p.restore();
}

} // namespace

SignPen::SignPen(QPainter& p, const QRectF& box, const QColor& colour)
    : p_(p)
    , colour_(colour) {
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  intoField(p, box, 22, 16);
}

SignPen::~SignPen() {
  p_.restore();
}

void SignPen::stroked() {
  p_.setPen(QPen(colour_, 1.7, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  p_.setBrush(Qt::NoBrush);
}

void SignPen::filled() {
  p_.setPen(Qt::NoPen);
  p_.setBrush(colour_);
}

void SignPen::noteHead(QPointF centre, double size) {
  engravedHead(p_, centre, size);
}

void drawMark(QPainter& p, Mark mark, const QRectF& box, const QColor& colour) {
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  intoField(p, box, 20, 20);
  p.setPen(QPen(colour, 1.5, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  QPainterPath path;
  switch (mark) {
  case Mark::play:
    p.setBrush(colour);
    path.moveTo(4.5, 2.5);
    path.lineTo(17, 10);
    path.lineTo(4.5, 17.5);
    path.closeSubpath();
    p.drawPath(path);
    break;
  case Mark::stop:
    p.setBrush(colour);
    p.drawRect(QRectF(4, 4, 12, 12));
    break;
  case Mark::loop: // a repeat bracket: two bars with dots, as in a score
    p.drawLine(QPointF(3.2, 3), QPointF(3.2, 17));
    p.drawLine(QPointF(16.8, 3), QPointF(16.8, 17));
    p.setPen(QPen(colour, 0.9));
    p.drawLine(QPointF(5.6, 3), QPointF(5.6, 17));
    p.drawLine(QPointF(14.4, 3), QPointF(14.4, 17));
    p.setPen(Qt::NoPen);
    p.setBrush(colour);
    for (const double x : {8.0, 12.0})
      for (const double y : {7.6, 12.4}) p.drawEllipse(QPointF(x, y), 1.15, 1.15);
    break;
  case Mark::metronome:
    path.moveTo(7.2, 2.5);
    path.lineTo(12.8, 2.5);
    path.lineTo(16.2, 17.5);
    path.lineTo(3.8, 17.5);
    path.closeSubpath();
    p.drawPath(path);
    p.drawLine(QPointF(10, 14), QPointF(15.5, 4.5));
    p.drawLine(QPointF(5, 13.8), QPointF(15, 13.8));
    break;
  case Mark::crotchet:
    p.setBrush(colour);
    p.drawLine(QPointF(13.2, 14.6), QPointF(13.2, 1.5));
    p.setPen(Qt::NoPen);
    engravedHead(p, {9.6, 15.2}, 4.0);
    break;
  }
  p.restore();
}

} // namespace ivrin::app

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
void noteHead(QPainter& p, QPointF centre, double size) {
  p.save();
  p.translate(centre);
  p.rotate(-22);
  p.drawEllipse(QPointF(0, 0), size, size * 0.72);
  p.restore();
}

} // namespace

const QStringList& signKinds() {
  static const QStringList all{
      QStringLiteral("delay-throw"), QStringLiteral("reverb-throw"), QStringLiteral("reverse-reverb"),
      QStringLiteral("reverse"),     QStringLiteral("tape"),         QStringLiteral("halftime"),
      QStringLiteral("stutter"),     QStringLiteral("pulse"),        QStringLiteral("glitch"),
      QStringLiteral("riser"),       QStringLiteral("treat"),        QStringLiteral("gap")};
  return all;
}

void drawSign(QPainter& p, const QString& kind, const QRectF& box, const QColor& colour) {
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  intoField(p, box, 22, 16);
  const QPen pen(colour, 1.7, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin);
  const auto stroked = [&] {
    p.setPen(pen);
    p.setBrush(Qt::NoBrush);
  };
  const auto filled = [&] {
    p.setPen(Qt::NoPen);
    p.setBrush(colour);
  };
  QPainterPath path;
  if (kind == QLatin1String("delay-throw")) { // note heads that diminish
    filled();
    noteHead(p, {5.2, 8}, 4.6);
    noteHead(p, {12.9, 8}, 2.9);
    noteHead(p, {17.6, 8}, 1.9);
    noteHead(p, {20.9, 8}, 1.2);
  } else if (kind == QLatin1String("reverb-throw")) { // a note head and ties that fade
    filled();
    noteHead(p, {5, 8}, 4.4);
    stroked();
    path.moveTo(8.5, 4.2);
    path.cubicTo(11, 1.6, 16, 1.6, 19.5, 4.6);
    path.moveTo(8.5, 11.8);
    path.cubicTo(11, 14.4, 16, 14.4, 19.5, 11.4);
    p.drawPath(path);
    QColor faint = colour;
    faint.setAlphaF(colour.alphaF() * 0.55f);
    p.setPen(QPen(faint, 1.4, Qt::SolidLine, Qt::RoundCap));
    p.drawLine(QPointF(11.5, 8), QPointF(15.5, 8));
    p.drawLine(QPointF(18.5, 8), QPointF(20, 8));
  } else if (kind == QLatin1String("reverse-reverb")) { // a hairpin that opens onto a bar
    stroked();
    path.moveTo(16, 2.4);
    path.lineTo(2.5, 8);
    path.lineTo(16, 13.6);
    p.drawPath(path);
    p.drawLine(QPointF(19.5, 1.8), QPointF(19.5, 14.2));
  } else if (kind == QLatin1String("reverse")) { // a note with its stem mirrored, and an arrow back
    filled();
    noteHead(p, {16.2, 11.6}, 3.6);
    stroked();
    p.drawLine(QPointF(13.2, 11.4), QPointF(13.2, 1.6));
    p.drawLine(QPointF(9.8, 6), QPointF(2, 6));
    path.moveTo(5, 3);
    path.lineTo(2, 6);
    path.lineTo(5, 9);
    p.drawPath(path);
  } else if (kind == QLatin1String("tape")) { // a glissando that falls and flattens
    stroked();
    path.moveTo(2, 2.6);
    path.lineTo(5.5, 2.6);
    path.cubicTo(11, 2.8, 10.5, 13.4, 16.5, 13.4);
    path.lineTo(20, 13.4);
    p.drawPath(path);
  } else if (kind == QLatin1String("halftime")) { // a breve between bars
    stroked();
    for (const double x : {4.0, 18.0}) p.drawLine(QPointF(x, 2), QPointF(x, 14));
    p.setPen(QPen(colour, 2.1));
    p.drawEllipse(QPointF(11, 8), 4.2, 3.1);
    p.setPen(QPen(colour, 1.1));
    for (const double x : {6.4, 15.6}) p.drawLine(QPointF(x, 3.6), QPointF(x, 12.4));
  } else if (kind == QLatin1String("stutter")) { // a stem with tremolo strokes
    stroked();
    p.drawLine(QPointF(11, 1.2), QPointF(11, 14.8));
    p.setPen(QPen(colour, 2.1, Qt::SolidLine, Qt::FlatCap));
    for (const double y : {4.8, 8.3, 11.8}) p.drawLine(QPointF(6.4, y + 1.5), QPointF(15.6, y - 1.5));
  } else if (kind == QLatin1String("pulse")) { // equal strokes in a row
    p.setPen(QPen(colour, 2.2, Qt::SolidLine, Qt::FlatCap));
    for (const double x : {3.4, 8.5, 13.6, 18.7}) p.drawLine(QPointF(x, 3), QPointF(x, 13));
  } else if (kind == QLatin1String("glitch")) { // a struck mordent
    stroked();
    path.moveTo(2.2, 10);
    for (const auto& [x, y] : {std::pair{5.5, 5.8}, {9.0, 10.4}, {12.4, 5.8}, {15.9, 10.4}, {19.6, 6.2}})
      path.lineTo(x, y);
    p.drawPath(path);
    p.drawLine(QPointF(10.7, 1.4), QPointF(10.7, 14.6));
  } else if (kind == QLatin1String("riser")) { // a wavy line climbing to an arrow
    stroked();
    path.moveTo(2, 13.6);
    path.cubicTo(4.6, 9.4, 5.4, 15.4, 8, 11);
    path.cubicTo(10.4, 6.8, 11.4, 12.6, 13.8, 8);
    path.lineTo(19.4, 2.4);
    path.moveTo(14.9, 2.2);
    path.lineTo(19.6, 2.2);
    path.lineTo(19.6, 6.9);
    p.drawPath(path);
  } else if (kind == QLatin1String("treat")) { // an encircled point
    stroked();
    p.drawEllipse(QPointF(11, 8), 6.1, 6.1);
    filled();
    p.drawEllipse(QPointF(11, 8), 2.1, 2.1);
  } else if (kind == QLatin1String("gap")) { // a caesura
    stroked();
    p.drawLine(QPointF(6.5, 14), QPointF(11, 2));
    p.drawLine(QPointF(11.5, 14), QPointF(16, 2));
  }
  p.restore();
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
    noteHead(p, {9.6, 15.2}, 4.0);
    break;
  }
  p.restore();
}

} // namespace ivrin::app

// The signs of the ornaments and the few marks of the controls: vector paths in one stroke style, made from the
// vocabulary of engraving.
#pragma once

#include <QPainter>
#include <QRectF>
#include <QString>
#include <QStringList>

namespace ivrin::app {

/// Draws the sign of an ornament kind into `box` (wider than high, 22×16 is usual; legible from 14 px).
void drawSign(QPainter& p, const QString& kind, const QRectF& box, const QColor& colour);

/// The kinds that have a sign, in the order of the sign strip.
const QStringList& signKinds();

enum class Mark { play, stop, loop, metronome, crotchet };
void drawMark(QPainter& p, Mark mark, const QRectF& box, const QColor& colour);

} // namespace ivrin::app

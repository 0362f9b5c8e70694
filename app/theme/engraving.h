// This file draws the engraver's strokes that several parts of the page use.
#pragma once

#include <QColor>
#include <QPainter>

namespace ivrin::app {

/// A slur from `a` to `b`, thin at its ends and swelling in the middle; a positive `bulge` curves upwards.
void drawSlur(QPainter& p, QPointF a, QPointF b, double bulge, const QColor& colour, double thickness = 2.0);
/// Whether a point lies on the slur, or within `reach` of it.
bool onSlur(QPointF p, QPointF a, QPointF b, double bulge, double reach);
/// A brace along a system's left edge, its tip to the left.
void drawBrace(QPainter& p, double x, double top, double bottom, double depth, const QColor& colour);

} // namespace ivrin::app

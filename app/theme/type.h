// Type: EB Garamond for everything of the song, Cabin for controls and numbers. Sizes are in pixels at the desktop's
// normal font size and grow with it.
#pragma once

#include <QFont>
#include <QPainter>
#include <QString>

#include <functional>

namespace ivrin::app {

/// Loads the bundled fonts and sets the application's font. Call once, after QApplication.
void loadFonts();
/// How much larger than 13 px the desktop's font is; 1 normally.
double textScale();
/// Another scale than the desktop's, 1..2; for windows made after it.
void setTextScale(double scale);
int scaled(double px);

enum class Weight { regular, medium, semibold };
QFont sans(double px, Weight weight = Weight::regular, bool italic = false);
QFont serif(double px, bool italic = false);

/// Song type with lining figures, which a QFont cannot ask for: glyph by glyph. Returns the width drawn.
double drawSongText(QPainter& p, QPointF baseline, const QString& text, double px, bool italic, const QColor& colour);
double songTextWidth(const QString& text, double px, bool italic);
/// For tests: is told every text that drawSongText draws, of which a painter sees no letters. Nothing: no more.
void watchSongText(std::function<void(const QString&)> told);
/// The text, or as much of its beginning as is no wider than `room`, with an ellipsis; the time does not grow with it.
QString shortened(const QString& text, double px, bool italic, double room);
/// At most so many characters.
QString shortened(const QString& text, int characters);

} // namespace ivrin::app

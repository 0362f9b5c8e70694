#include "app/theme/type.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QFontInfo>
#include <QFontMetricsF>
#include <QGlyphRun>
#include <QHash>
#include <QRawFont>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

/// Q_INIT_RESOURCE must stand outside of namespaces.
static void initResources() {
  Q_INIT_RESOURCE(ivrin);
}

namespace ivrin::app {
namespace {

constexpr double kDesignPx = 13; // at the normal size of text
double g_scale = 1;
std::function<void(const QString&)> g_watch;

struct SongFace {
  QByteArray data;
  std::array<quint32, 10> lining; // glyphs of the font's "lnum" feature, 0..9; they belong to the bundled files
};

SongFace load(const char* name, std::array<quint32, 10> lining) {
  QFile f(QString::fromLatin1(":/fonts/") + QString::fromLatin1(name));
  f.open(QIODevice::ReadOnly);
  return {f.readAll(), lining};
}

const SongFace& face(bool italic) {
  static const SongFace roman =
      load("EBGaramond-Regular.otf", {1986, 1977, 1978, 1979, 1980, 1981, 1982, 1983, 1984, 1985});
  static const SongFace slanted =
      load("EBGaramond-Italic.otf", {1562, 1553, 1554, 1555, 1556, 1557, 1558, 1559, 1560, 1561});
  return italic ? slanted : roman;
}

const QRawFont& rawFont(double px, bool italic) {
  static QHash<QPair<int, bool>, QRawFont> cache;
  const auto key = qMakePair(static_cast<int>(std::lround(px * 64)), italic);
  auto it = cache.find(key);
  if (it == cache.end()) it = cache.insert(key, QRawFont(face(italic).data, px, QFont::PreferNoHinting));
  return *it;
}

struct Shaped {
  QVector<quint32> glyphs;
  QVector<QPointF> places;
  double width = 0;
  std::optional<QFont> other{}; // which draws it, where the song's face has no sign for a letter
};

Shaped shape(const QString& text, double px, bool italic) {
  const QRawFont& font = rawFont(px, italic);
  Shaped s;
  s.glyphs = font.glyphIndexesForString(text);
  for (qsizetype i = 0; i < s.glyphs.size() && i < text.size(); ++i)
    if (text[i].isDigit() && text[i].unicode() < 128)
      s.glyphs[i] = face(italic).lining[static_cast<std::size_t>(text[i].digitValue())];
  if (s.glyphs.contains(0)) { // names come in every script: Qt finds a face that has it
    s.other = QFont(QStringLiteral("EB Garamond"));
    s.other->setPixelSize(static_cast<int>(std::lround(px)));
    s.other->setItalic(italic);
    s.width = QFontMetricsF(*s.other).horizontalAdvance(text);
    return s;
  }
  const auto advances = font.advancesForGlyphIndexes(s.glyphs, QRawFont::KernedAdvances);
  for (const QPointF& a : advances) {
    s.places.push_back(QPointF(s.width, 0));
    s.width += a.x();
  }
  return s;
}

} // namespace

void loadFonts() {
  initResources(); // they lie in a static library
  const double desktop = QFontInfo(QApplication::font()).pixelSize();
  // The desktop's font at its usual size is 12 to 13 px per 96 dpi: only a larger one makes the text grow.
  const double scale = desktop > 14 ? desktop / kDesignPx : 1.0;
  for (const char* name : {"EBGaramond-Regular.otf", "EBGaramond-Italic.otf", "Cabin-Regular.otf", "Cabin-Medium.otf",
                           "Cabin-SemiBold.otf", "Cabin-Italic.otf"})
    QFontDatabase::addApplicationFont(QString::fromLatin1(":/fonts/") + QString::fromLatin1(name));
  setTextScale(scale);
}

double textScale() {
  return g_scale;
}

void setTextScale(double scale) {
  g_scale = std::clamp(scale, 1.0, 2.0);
  QApplication::setFont(sans(13));
}
int scaled(double px) {
  return static_cast<int>(std::lround(px * g_scale));
}

QFont sans(double px, Weight weight, bool italic) {
  QFont f(QStringLiteral("Cabin"));
  f.setPixelSize(scaled(px));
  f.setWeight(weight == Weight::semibold ? QFont::DemiBold : weight == Weight::medium ? QFont::Medium : QFont::Normal);
  f.setItalic(italic);
  f.setHintingPreference(QFont::PreferNoHinting);
  return f;
}

QFont serif(double px, bool italic) {
  QFont f(QStringLiteral("EB Garamond"));
  if (!QFontDatabase::hasFamily(QStringLiteral("EB Garamond"))) f.setFamily(QStringLiteral("EB Garamond 12"));
  f.setPixelSize(scaled(px));
  f.setItalic(italic);
  f.setHintingPreference(QFont::PreferNoHinting);
  return f;
}

double drawSongText(QPainter& p, QPointF baseline, const QString& text, double px, bool italic, const QColor& colour) {
  const double size = px * g_scale;
  const Shaped s = shape(text, size, italic);
  if (g_watch) g_watch(text);
  p.save();
  p.setPen(colour);
  if (s.other) {
    p.setFont(*s.other);
    p.drawText(baseline, text);
    p.restore();
    return s.width;
  }
  QGlyphRun run;
  run.setRawFont(rawFont(size, italic));
  run.setGlyphIndexes(s.glyphs);
  run.setPositions(s.places);
  p.drawGlyphRun(baseline, run);
  p.restore();
  return s.width;
}

void watchSongText(std::function<void(const QString&)> told) {
  g_watch = std::move(told);
}

double songTextWidth(const QString& text, double px, bool italic) {
  return shape(text, px * g_scale, italic).width;
}

QString shortened(const QString& text, int characters) {
  return text.size() <= characters ? text : text.left(characters - 1).trimmed() + QChar(0x2026);
}

QString shortened(const QString& text, double px, bool italic, double room) {
  constexpr int kMost = 400; // more than any line of a window has
  QString shown = shortened(text, kMost);
  if (songTextWidth(shown, px, italic) <= room) return shown;
  int fits = 2, tooLong = static_cast<int>(shown.size());
  while (fits + 1 < tooLong) {
    const int half = (fits + tooLong) / 2;
    (songTextWidth(shortened(text, half), px, italic) <= room ? fits : tooLong) = half;
  }
  return shortened(text, fits);
}

} // namespace ivrin::app

// What the score looks like.
#include "app/openrow/open_row.h"
#include "app/score/score_view.h"
#include "app/score/sign_strip.h"
#include "app/theme/ornament_look.h"
#include "app/theme/palette.h"
#include "app/theme/signs.h"
#include "app/theme/type.h"

#include <QPaintEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

QRgb mixed(const QColor& a, const QColor& b, double u) {
  const auto m = [&](int x, int y) { return static_cast<int>(std::lround(x + (y - x) * u)); };
  return qRgb(m(a.red(), b.red()), m(a.green(), b.green()), m(a.blue(), b.blue()));
}

/// "1⅓ beats", "2 bars", "¾ beat": the lengths people say.
QString lengthText(double quarters) {
  static const std::pair<double, const char*> parts[] = {{0, ""},        {1.0 / 8, "⅛"}, {0.25, "¼"},    {1.0 / 3, "⅓"},
                                                         {3.0 / 8, "⅜"}, {0.5, "½"},     {5.0 / 8, "⅝"}, {2.0 / 3, "⅔"},
                                                         {0.75, "¾"},    {7.0 / 8, "⅞"}};
  const double whole = std::floor(quarters + 1e-6), rest = quarters - whole;
  for (const auto& [value, text] : parts)
    if (std::abs(rest - value) < 1e-4) {
      const QString n = whole > 0 || value == 0 ? QString::number(static_cast<int>(whole)) : QString();
      return n + QString::fromUtf8(text) + (quarters > 1 ? QObject::tr(" beats") : QObject::tr(" beat"));
    }
  return QString::number(quarters, 'f', 2) + QObject::tr(" beats");
}

} // namespace

void ScoreView::paintEvent(QPaintEvent* e) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setRenderHint(QPainter::TextAntialiasing);
  const QRect dirty = e->rect();
  if (!session_.isOpen() || rows_.empty()) {
    p.fillRect(dirty, paper().paper);
    return;
  }
  paintStaves(p, dirty.intersected(stavesRect()));
  paintRuler(p, dirty);
  paintMargin(p, dirty);
  paintOverlay(p, dirty);
}

/// One scanline of paper with the grid on it: bar lines, beats where there is room, sixteenths when near. Every row is
/// laid on copies of it.
std::vector<QRgb> ScoreView::gridLine(const QRect& dirty, int w, double ratio, const QColor& ground) const {
  const Palette& c = paper();
  std::vector<QRgb> line(static_cast<std::size_t>(w), ground.rgb());
  const int hair = std::max(1, static_cast<int>(std::lround(ratio)));
  const auto rule = [&](Beats b, QRgb colour) {
    const int left = static_cast<int>(std::lround((axis_.xOf(b) - dirty.left()) * ratio));
    for (int k = std::max(0, left); k < std::min(w, left + hair); ++k) line[static_cast<std::size_t>(k)] = colour;
  };
  const TempoMap& map = session_.plan()->map();
  const std::int64_t firstBar = map.barAt(axis_.beatAt(dirty.left() - 2)).bar,
                     lastBar = map.barAt(axis_.beatAt(dirty.right() + 2)).bar;
  if (lastBar - firstBar > 4000) return line;
  for (std::int64_t bar = firstBar; bar <= lastBar; ++bar) {
    const Beats start = map.barStart(bar);
    const MeterEntry& meter = map.meterAt(start);
    if (meter.barLength().quarters() * axis_.pxPerBeat < 6 && bar % 8 != 1) continue;
    const double perBeat = meter.beatLength().quarters() * axis_.pxPerBeat;
    for (int beat = 0; beat < meter.count && perBeat >= 14; ++beat) {
      const Beats b = start + meter.beatLength() * beat;
      if (beat > 0) rule(b, c.beatRule.rgb());
      for (int k = 1; k < 4 && perBeat >= 90; ++k)
        rule(b + Beats(meter.beatLength().ticks * k / 4), mixed(ground, c.beatRule, 0.6));
    }
    rule(start, c.barRule.rgb());
  }
  return line;
}

void ScoreView::paintStaves(QPainter& p, const QRect& dirty) {
  if (dirty.isEmpty()) return;
  const Palette& c = paper();
  const double ratio = devicePixelRatioF();
  const int w = static_cast<int>(std::lround(dirty.width() * ratio));
  const std::vector<QRgb> onPaper = gridLine(dirty, w, ratio, c.paper), onCard = gridLine(dirty, w, ratio, c.card);
  const ColumnFrames frames = columnFrames(session_.plan()->map(), axis_, dirty.left(), w, ratio);
  const double origin = (axis_.xOf(Beats(0)) - dirty.left()) * ratio;
  // One row at a time in the same memory, small enough for the cache; the screen is written once.
  static thread_local std::vector<QRgb> memory;
  for (const RowBox& r : rows_) {
    const QRect box = QRect(dirty.left(), r.y, dirty.width(), r.height).intersected(dirty);
    if (box.isEmpty()) continue;
    const int h = static_cast<int>(std::lround(box.height() * ratio));
    if (memory.size() < static_cast<std::size_t>(w) * static_cast<std::size_t>(h))
      memory.resize(static_cast<std::size_t>(w) * static_cast<std::size_t>(h));
    for (int y = 0; y < h; ++y)
      std::copy_n((r.open ? onCard : onPaper).data(), w, memory.data() + static_cast<std::ptrdiff_t>(y) * w);
    QImage image(reinterpret_cast<uchar*>(memory.data()), w, h, w * 4, QImage::Format_RGB32);
    paintRow(image, r, frames, (r.staffTop - box.top()) * ratio, r.staffHeight * ratio, origin, ratio);
    image.setDevicePixelRatio(ratio);
    p.drawImage(box.topLeft(), image);
  }
  const int below = rows_.back().y + rows_.back().height;
  if (below <= dirty.bottom())
    p.fillRect(QRect(dirty.left(), below, dirty.width(), dirty.bottom() + 1 - below), c.paper);
  // Rules between rows: stronger about the open one.
  for (const RowBox& r : rows_) {
    const QColor colour = r.open ? c.ink : c.barRule;
    const double thick = r.open ? 1.6 : 1;
    p.fillRect(QRectF(dirty.left(), r.y + r.height - thick, dirty.width(), thick), colour);
    if (r.open) p.fillRect(QRectF(dirty.left(), r.y - thick / 2, dirty.width(), thick), colour);
  }
}

/// The waves of one row into its image; `top` and `height` of the staff in device pixels from the image's top.
void ScoreView::paintRow(QImage& image, const RowBox& r, const ColumnFrames& frames, double top, double height,
                         double origin, double ratio) {
  const Palette& c = paper();
  const int y0 = static_cast<int>(std::floor(top)), y1 = static_cast<int>(std::ceil(top + height));
  if (y1 <= 0 || y0 >= image.height()) return;
  const double half = height / 2, mid = top + half;
  const FrameRange seen{Frames(frames.front()), Frames(frames.back())};
  const RowMix mix = session_.song().rowMix(r.id);
  if (const auto gone = waves_.turnedDown(r.id, frames, mid, half)) // graphite hatching
    drawWave(image, 0, y0, y1, *gone,
             {c.quiet.rgb(), 0.04f, 0.62f, static_cast<float>(4 * ratio), 0.30f, 0.30f, origin});
  const Pencil ink = r.open ? Pencil{mixed(c.card, c.wave, c.night ? 0.36 : 0.26)}
                            : Pencil{mix.mute ? mixed(c.paper, c.wave, 0.25) : c.wave.rgb()};
  const WaveColumns wave = waves_.row(r.id, frames, mid, half);
  drawWave(image, 0, y0, y1, wave, ink);
  if (r.open) { // the source itself in full ink
    const Ornament* o = session_.song().ornament(open_);
    const FrameRange span = session_.plan()->map().frames(o->span());
    WaveColumns source = wave;
    for (std::size_t x = 0; x + 1 < frames.size(); ++x)
      if (frames[x] < span.begin.count || frames[x] >= span.end.count)
        source.top[x] = source.bottom[x] = static_cast<float>(mid);
    if (o->source.empty()) drawWave(image, 0, y0, y1, source, Pencil{c.wave.rgb()});
  }
  const auto index = session_.plan()->rowIndex(r.id);
  if (!index || mix.mute) return;
  for (const auto& node : session_.plan()->rows()[*index].ornaments) {
    if (!node->print || intersect(node->print->extent(), seen).empty()) continue;
    const bool chosen = node->ornament->id == open_;
    if (r.open && !chosen) continue;
    int first = 0;
    const WaveColumns print = waves_.print(*node, frames, mid, half, r.open && chosen, first);
    const auto soft = static_cast<float>(r.open ? 0.30 : c.night ? 0.42 : 0.34);
    drawWave(
        image, first, y0, y1, print,
        {c.blue.rgb(), soft, 0.95f - soft, static_cast<float>((r.open ? 5.0 : 4.2) * ratio), 0.62f, 0.46f, origin});
  }
}

void ScoreView::paintRuler(QPainter& p, const QRect& dirty) {
  const Palette& c = paper();
  const QRect ruler(0, 0, width(), rulerHeight());
  if (!dirty.intersects(ruler)) return;
  p.save();
  p.setClipRect(ruler.intersected(dirty));
  p.fillRect(ruler, c.paper);
  const TempoMap& map = session_.plan()->map();
  const double barPx = map.meterAt(axis_.beatAt(axis_.x0)).barLength().quarters() * axis_.pxPerBeat;
  std::int64_t every = 1;
  while (static_cast<double>(every) * barPx < scaled(46)) every *= 2;
  const BarPosition home = map.barAt(landing_ ? landing_->at : Beats(0));
  const bool onBar = home.beat == 1 && home.tick == 0;
  const std::int64_t first = map.barAt(axis_.beatAt(axis_.x0 - 60)).bar,
                     last = map.barAt(axis_.beatAt(width() + 10)).bar;
  p.setClipRect(QRect(marginWidth(), 0, width(), rulerHeight()).intersected(dirty));
  std::int64_t from = home.bar + ((first - home.bar) / every - 1) * every;
  for (std::int64_t bar = from; bar <= last; bar += every) {
    const double x = axis_.xOf(map.barStart(bar));
    p.setPen(QPen(c.barRule, 1));
    p.drawLine(QPointF(x, rulerHeight() - scaled(16)), QPointF(x, rulerHeight()));
    const std::int64_t count = bar - home.bar;
    const bool atLanding = landing_ && count == 0 && onBar;
    if (!atLanding) {
      const QString text =
          count < 0 ? QStringLiteral("\u2212%1").arg(-count) : QStringLiteral("+%1").arg(count + (onBar ? 1 : 0));
      drawSongText(p, QPointF(x + scaled(5), scaled(20)), text, 17, false, c.ink);
    }
    drawSongText(p, QPointF(x + scaled(4), scaled(38)), QString::number(bar), 12, true, c.quiet);
  }
  // Rehearsal marks of sections, names of landings.
  QChar letter('A');
  for (const Landing& s : session_.song().sections) {
    const double x = axis_.xOf(s.at);
    const QString mark(letter);
    letter = QChar(letter.unicode() + 1);
    if (x < axis_.x0 - scaled(200) || x > width()) continue;
    const bool current = landing_ && landing_->id == s.id;
    const double w = songTextWidth(mark, 17, false) + scaled(9);
    QRectF box(x - 1, scaled(4), w, scaled(20));
    p.fillRect(
        box.adjusted(0, 0, scaled(current ? 30 : 6) + songTextWidth(QString::fromStdString(s.name), 16, true), 0),
        c.paper);
    p.setPen(QPen(c.ink, 1.3));
    p.drawRect(box);
    drawSongText(p, QPointF(box.left() + scaled(4.5), scaled(20)), mark, 17, false, c.ink);
    double at = box.right() + scaled(8);
    if (current) at += drawSongText(p, QPointF(at, scaled(20)), QStringLiteral("+1"), 17, false, c.ink) + scaled(9);
    drawSongText(p, QPointF(at, scaled(20)), QString::fromStdString(s.name), 16, true, c.ink);
  }
  for (const Landing& l : session_.song().landings) {
    const double x = axis_.xOf(l.at), w = songTextWidth(QString::fromStdString(l.name), 16, true);
    if (x < axis_.x0 - w - 20 || x > width()) continue;
    const bool current = landing_ && landing_->id == l.id && onBar;
    p.fillRect(QRectF(x + 1, scaled(4), w + scaled(current ? 46 : 12), scaled(20)), c.paper);
    double at = x + scaled(7);
    if (current) at += drawSongText(p, QPointF(at, scaled(20)), QStringLiteral("+1"), 17, false, c.ink) + scaled(9);
    drawSongText(p, QPointF(at, scaled(20)), QString::fromStdString(l.name), 16, true, c.ink);
  }
  p.restore();
  p.setPen(QPen(c.barRule, 1));
  p.drawLine(QPointF(scaled(24), rulerHeight() - 0.5), QPointF(width(), rulerHeight() - 0.5));
}

void ScoreView::paintMargin(QPainter& p, const QRect& dirty) {
  const Palette& c = paper();
  const QRect margin(0, 0, marginWidth(), height());
  if (!dirty.intersects(margin)) return;
  p.save();
  p.setClipRect(margin.intersected(dirty));
  p.fillRect(margin, c.paper);
  for (const RowBox& r : rows_) {
    if (r.open) p.fillRect(QRect(0, r.y, margin.width(), r.height), c.card);
    p.setPen(QPen(r.open ? c.ink : c.barRule, r.open ? 1.6 : 1));
    p.drawLine(QPointF(r.open ? 0 : scaled(24), r.y + r.height - 0.5),
               QPointF(margin.right() + 1, r.y + r.height - 0.5));
    if (r.open) p.drawLine(QPointF(0, r.y - 0.5), QPointF(margin.right() + 1, r.y - 0.5));
  }
  // Braces join the rows of a bus with the bus itself.
  for (const Bus& bus : session_.song().buses) {
    int top = 1 << 30, bottom = -1;
    for (const RowBox& r : rows_) {
      const Stem* s = session_.song().stem(r.id);
      if (r.id != bus.id && !(s && s->bus == bus.id)) continue;
      top = std::min(top, r.y + 4);
      bottom = std::max(bottom, r.y + r.height - 4);
    }
    if (bottom < 0) continue;
    const double x = scaled(22), m = (top + bottom) / 2.0, d = scaled(7);
    QPainterPath brace(QPointF(x, top));
    brace.cubicTo(x - d * 1.5, top + 2, x - d * 0.3, m - d, x - d * 1.6, m);
    brace.cubicTo(x - d * 0.3, m + d, x - d * 1.5, bottom - 2, x, bottom);
    p.setPen(QPen(c.ink, 1.6, Qt::SolidLine, Qt::RoundCap));
    p.setBrush(Qt::NoBrush);
    p.drawPath(brace);
  }
  p.fillRect(QRect(0, 0, margin.width(), rulerHeight() - 1), c.paper);
  p.restore();
}

void ScoreView::paintOrnaments(QPainter& p, const QRect& dirty) {
  const Palette& c = paper();
  for (const SignPlace& s : signs()) {
    if (!s.rect.toAlignedRect().adjusted(-2, -2, 2, 2).intersects(dirty) || s.rect.left() > width()) continue;
    const Ornament* o = session_.song().ornament(s.ornament);
    drawSign(p, QString::fromStdString(o->kind), s.rect, inkOf(*o));
    // What is not computed to its end yet is told by a dotted rule.
    const auto node = session_.plan()->node(o->id);
    if (node && node->print && !node->print->complete()) {
      p.setPen(QPen(c.blue, 1.2, Qt::DotLine));
      const double from = axis_.xOf(session_.plan()->map().beatAt(node->print->ready()));
      p.drawLine(QPointF(from, s.rect.bottom()), QPointF(from + scaled(60), s.rect.bottom()));
    }
  }
}

void ScoreView::paintSelection(QPainter& p) {
  if (!selection_) return;
  const Palette& c = paper();
  const QRect staff = staffOf(selection_->row);
  const double a = axis_.xOf(selection_->begin), b = axis_.xOf(selection_->end);
  const double top = staff.top() - 1, bottom = staff.bottom() + 1;
  QColor tint = c.ink;
  tint.setAlphaF(c.night ? 0.14f : 0.09f);
  p.fillRect(QRectF(a, top, b - a, bottom - top), tint);
  p.setPen(QPen(c.ink, 2));
  p.drawLine(QPointF(a, top), QPointF(a, bottom));
  p.drawLine(QPointF(b, top), QPointF(b, bottom));
  p.setPen(QPen(c.ink, 1.4));
  p.setBrush(c.card);
  for (const double x : {a, b}) p.drawRect(QRectF(x - scaled(4), top - scaled(4), scaled(8), scaled(8)));
  const QString text = lengthText((selection_->end - selection_->begin).quarters());
  const double tx = b + scaled(8), ty = bottom - scaled(8);
  drawSongText(p, QPointF(tx, ty), text, 14, true, c.ink);
  if (strip_->isVisible()) { // a fine line leads to the strip
    p.setPen(QPen(c.ink, 1));
    const QRect s = strip_->geometry();
    p.drawLine(QPointF(b, s.top() > ty ? bottom : top),
               QPointF(s.left(), s.top() > ty ? s.top() + scaled(10) : s.bottom() - scaled(10)));
  }
}

void ScoreView::paintOverlay(QPainter& p, const QRect& dirty) {
  const Palette& c = paper();
  p.save();
  p.setClipRect(QRect(marginWidth(), 0, width(), height()).intersected(dirty));
  const int top = rulerHeight(), bottom = std::min(height(), rows_.back().y + rows_.back().height);
  // Landings: the current one a strong double line, the others quiet.
  for (const Landing& l : session_.song().allLandings()) {
    const double x = axis_.xOf(l.at);
    if (x < -20 || x > width() + 20) continue;
    const bool current = landing_ && l.id == landing_->id;
    const double from = current ? scaled(4) : top, thick = current ? 2.6 : 1.2;
    p.fillRect(QRectF(x - thick / 2, from, thick, bottom - from), c.ochre);
    if (current) p.fillRect(QRectF(x + 4, scaled(24), 1.1, bottom - scaled(24)), c.ochre);
  }
  if (!open_.empty() && session_.song().ornament(open_)) {
    p.save();
    p.setClipRect(openArea().adjusted(0, -2, scaled(14), 2).intersected(dirty));
    drawing_->paint(p, canvas(), drag_ == Drag::handle ? handle_ : hoverHandle_);
    p.restore();
  }
  paintOrnaments(p, dirty);
  paintSelection(p);
  // The keyboard's place.
  if (hasFocus() && !selection_ && open_.empty()) {
    const QRect staff = staffOf(caretRow_);
    const double x = axis_.xOf(caret_);
    p.setPen(QPen(c.ink, 1, Qt::DotLine));
    p.drawLine(QPointF(x, staff.top()), QPointF(x, staff.bottom()));
  }
  // The playhead.
  const double x = playheadX();
  playheadDrawn_ = x;
  QPainterPath flag;
  flag.moveTo(x - scaled(6), rulerHeight() - scaled(17));
  flag.lineTo(x + scaled(6), rulerHeight() - scaled(17));
  flag.lineTo(x, rulerHeight() - scaled(8));
  flag.closeSubpath();
  p.setPen(Qt::NoPen);
  p.setBrush(c.ink);
  p.drawPath(flag);
  p.setPen(QPen(c.ink, 1.2));
  p.drawLine(QPointF(x, rulerHeight() - scaled(12)), QPointF(x, bottom));
  p.restore();
}

} // namespace ivrin::app

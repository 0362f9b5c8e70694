// The open tape: its speed over the waveform it makes, in times normal and in semitones; where each beat of the source
// ends up; both seams magnified.
#include "app/openrow/drawings.h"
#include "app/theme/ornament_look.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "ornaments/tape.h"
#include "song/curve_edit.h"
#include "song/settings/setting_text.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kCurveTop = 30, kRail = 26; // room above the curve and for the beats below it

class TapeDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c, const QString& active) const override {
    paintSourceEdges(p, c, active, QString());
    const Frame f(c);
    // The row goes at its own speed before and after.
    const QColor hue = inkOf(c.ornament);
    p.setPen(QPen(hue, 1.4));
    const double normal = f.yOf(1);
    p.drawLine(QPointF(c.area.left(), normal), QPointF(f.begin, normal));
    p.drawLine(QPointF(f.over, normal), QPointF(c.area.right(), normal));
    paintAxes(p, c, f);
    QPolygonF line;
    const int steps = std::clamp(static_cast<int>(f.end - f.begin), 48, 1200);
    for (int i = 0; i <= steps; ++i) {
      const double u = static_cast<double>(i) / steps;
      line << QPointF(f.begin + (f.end - f.begin) * u, f.yOf(f.motion.speed.speed(u)));
    }
    QColor halo = paper().card; // keeps it apart from the waveform under it
    halo.setAlphaF(0.8f);
    p.setPen(QPen(halo, 6));
    p.drawPolyline(line);
    p.setPen(QPen(paper().ink, 2.2));
    p.drawPolyline(line);
    if (f.over > f.end + 1) { // silence to the span's end
      p.setPen(QPen(hue, 1.4, Qt::DashLine));
      p.drawLine(QPointF(f.end, f.yOf(0)), QPointF(f.over, f.yOf(0)));
    }
    paintBeats(p, c, f);
    paintSeams(p, c, {f.motion.extent.begin, f.motion.extent.end}, scaled(56));
    for (const OpenHandle& h : handles(c)) {
      QString word;
      if (h.name == QLatin1String("bend"))
        word = QObject::tr("bend %1").arg(number(c, "bend"), 0, 'f', 2);
      else if (h.name == QLatin1String("halt"))
        word = lowestWord(c, f);
      else if (h.name == QLatin1String("lowest"))
        word = lowestWord(c, f);
      else if (h.name == QLatin1String("turn"))
        word = QObject::tr("turns here");
      else if (!h.name.startsWith(QLatin1String("point")))
        continue;
      paintRing(p, h.rect.center(), word, active == h.name, h.rect.center().x() > c.area.right() - scaled(120));
    }
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all;
    addSourceHandles(all, c);
    const Frame f(c);
    if (!f.motion.refusal.empty()) return all;
    const auto ring = [&](const QString& name, double u, double v, Qt::CursorShape cursor) {
      const double r = scaled(8), x = f.begin + (f.end - f.begin) * u, y = f.yOf(v);
      all.push_back({name, QRectF(x - r, y - r, 2 * r, 2 * r), cursor});
    };
    using Shape = TapeMotion::Shape;
    const double m = f.motion.bottom;
    const auto bendAt = [&](double u) { ring(QStringLiteral("bend"), u, f.motion.speed.speed(u), Qt::SizeVerCursor); };
    switch (f.motion.shape) {
    case Shape::stop:
      bendAt(0.5);
      ring(QStringLiteral("halt"), 1, f.motion.speed.speed(1), Qt::SizeAllCursor);
      break;
    case Shape::start:
      bendAt(0.5);
      ring(QStringLiteral("lowest"), 0, f.motion.speed.speed(0), Qt::SizeVerCursor);
      break;
    case Shape::dip:
      bendAt(m / 2);
      ring(QStringLiteral("lowest"), m, f.motion.speed.speed(m), Qt::SizeAllCursor);
      break;
    case Shape::spinBack:
      bendAt(m / 2);
      ring(QStringLiteral("turn"), m, 0, Qt::SizeHorCursor);
      break;
    case Shape::custom: {
      const auto& points = f.curve.points();
      for (std::size_t i = 0; i < points.size() && i < 40; ++i)
        ring(QStringLiteral("point%1").arg(i), std::clamp(points[i].x, 0.0, 1.0), points[i].y, Qt::SizeAllCursor);
      break;
    }
    }
    return all;
  }

  std::optional<Ornament> drag(const QString& handle, QPointF press, QPointF to, bool free, Beats grid,
                               const OpenCanvas& c, const Ornament& before) const override {
    const OpenCanvas was{c.axis, c.area, c.session, before, c.node, c.waves};
    const Frame f(was);
    Ornament o = before;
    const double u = std::clamp((to.x() - f.begin) / std::max(1.0, f.end - f.begin), 0.0, 1.0);
    const double v = std::round(f.valueAt(to.y()) * 50) / 50;
    const auto nearest = [&](double x) { // of the grid, as a part of the span
      const double at = static_cast<double>((beatUnder(to, free, grid, c) - before.start).ticks) /
                        static_cast<double>(before.length.ticks);
      return std::clamp(free ? x : at, 0.01, 1.0);
    };
    if (handle == QLatin1String("bend")) {
      // So that the curve goes through the mouse: a segment of its own from 1 to the lowest.
      const bool start = f.motion.shape == TapeMotion::Shape::start;
      const double foot = f.motion.shape == TapeMotion::Shape::spinBack ? 0 : numberOf(before, "lowest");
      const Curve one = start ? Curve({{0, foot, 0}, {1, 1, 0}}) : Curve({{0, 1, 0}, {1, foot, 0}});
      const double bend = bendThrough(one, 1, 0.5, std::clamp(f.valueAt(to.y()), foot + 1e-3, 1 - 1e-3));
      o.settings["bend"] = std::round((start ? -bend : bend) * 100) / 100;
      return o;
    }
    if (handle == QLatin1String("halt") || handle == QLatin1String("lowest")) {
      if (!f.motion.pitchLock && std::abs(to.y() - press.y()) >= 3) o.settings["lowest"] = std::clamp(v, 0.0, 1.0);
      if (std::abs(to.x() - press.x()) < 3) return o;
      if (f.motion.shape == TapeMotion::Shape::dip)
        o.settings["bottom_at"] = std::round(std::clamp(u, 0.02, 0.98) * 1000) / 1000;
      if (handle == QLatin1String("halt") && *settingOr(table(), before.settings, "fit").text() == "span") {
        const double whole = numberOf(before, "halt_at") * u;
        const double at = to.x() > f.end
                              ? std::min(1.0, (to.x() - f.begin) / (f.end - f.begin) * numberOf(before, "halt_at"))
                              : whole;
        o.settings["halt_at"] = std::round(nearest(at) * 1000) / 1000;
      }
      return o;
    }
    if (handle == QLatin1String("turn")) {
      o.settings["bottom_at"] = std::round(std::clamp(u, 0.02, 0.98) * 1000) / 1000;
      return o;
    }
    if (handle.startsWith(QLatin1String("point"))) {
      const auto i = static_cast<std::size_t>(handle.mid(5).toInt());
      if (i >= f.curve.points().size()) return std::nullopt;
      const CurveLimits limits{0, 1, -4, 4};
      o.settings["speed"] = withPointMoved(f.curve, i, std::round(u * 1000) / 1000, v, limits).value();
      return o;
    }
    return dragSource(handle, to, free, grid, c, before);
  }

  QString wordFor(const QString& handle) const override {
    if (handle == QLatin1String("bend")) return QObject::tr("bend");
    if (handle == QLatin1String("halt") || handle == QLatin1String("lowest")) return QObject::tr("lowest speed");
    if (handle == QLatin1String("turn")) return QObject::tr("turn");
    if (handle.startsWith(QLatin1String("point"))) return QObject::tr("speed");
    return QObject::tr("edge");
  }

  QString sentence(const OpenCanvas& c, bool& warn) const override {
    warn = false;
    if (!c.node) return QObject::tr("switched off");
    const TapeMotion m = tapeMotion(c.placed());
    if (!m.refusal.empty()) {
      warn = true;
      return QString::fromStdString(m.refusal);
    }
    const TempoMap& map = c.session.plan()->map();
    const Beats begin = map.beatAt(m.frames.begin), end = map.beatAt(m.frames.end);
    const QString takes = spanWords(map, begin, end - begin);
    const double lowest = number(c, "lowest");
    const double fall = std::abs(m.lowestSemitones); // with the time locked it has a number of its own
    const QString down = m.pitchLock   ? QObject::tr("down by %1 semitones in time").arg(fall)
                         : lowest == 0 ? QObject::tr("down to a halt")
                                       : QObject::tr("down to %1 of its speed").arg(percent(lowest));
    QString words;
    switch (m.shape) {
    case TapeMotion::Shape::stop:
      words = QObject::tr("%1, %2").arg(takes, down);
      break;
    case TapeMotion::Shape::start:
      words = m.pitchLock   ? QObject::tr("%1, up by %2 semitones in time").arg(takes).arg(fall)
              : lowest == 0 ? QObject::tr("%1, from a standstill up to speed").arg(takes)
                            : QObject::tr("%1, from %2 of its speed up to it").arg(takes, percent(lowest));
      break;
    case TapeMotion::Shape::dip:
      words = QObject::tr("%1, %2 and back").arg(takes, down);
      break;
    case TapeMotion::Shape::spinBack:
      words = QObject::tr("%1, to a halt and backwards").arg(takes);
      break;
    case TapeMotion::Shape::custom:
      words = QObject::tr("%1, as drawn").arg(takes);
      break;
    }
    const Beats spanEnd = c.ornament.span().end;
    if (map.frameAt(spanEnd) > m.frames.end)
      words += m.extent.end > m.frames.end ? QObject::tr("; then %1 of silence").arg(spanWords(map, end, spanEnd - end))
                                           : QObject::tr("; then the row comes back");
    else if (m.frames.end > map.frameAt(spanEnd))
      words += QObject::tr("; %1 past its span").arg(spanWords(map, spanEnd, end - spanEnd));
    else if (m.frames.begin < map.frameAt(c.ornament.start))
      words += QObject::tr("; begins %1 earlier").arg(spanWords(map, begin, c.ornament.start - begin));
    return words;
  }

 private:
  static const TableSpec& table() { return allKinds().find("tape")->table(); }
  static double numberOf(const Ornament& o, const char* key) { return *settingOr(table(), o.settings, key).number(); }
  static double number(const OpenCanvas& c, const char* key) { return numberOf(c.ornament, key); }
  static QString percent(double v) {
    return QObject::tr("%1%2 %").arg(v < 0 ? QStringLiteral("−") : QString()).arg(std::round(std::abs(v) * 100));
  }

  /// Where things are drawn.
  struct Frame {
    explicit Frame(const OpenCanvas& c)
        : motion(tapeMotion(c.placed()))
        , curve(tapeCurve(table(), c.ornament.settings)) {
      const TempoMap& map = c.session.plan()->map();
      begin = c.axis.xOf(map.beatAt(motion.frames.begin));
      end = c.axis.xOf(map.beatAt(motion.frames.end));
      over = c.axis.xOf(map.beatAt(motion.extent.end));
      for (int i = 0; i <= 64; ++i) {
        const double v = motion.speed.speed(i / 64.0);
        most = std::max(most, v);
        least = std::min(least, v);
      }
      top = c.area.top() + scaled(kCurveTop);
      bottom = c.area.bottom() - scaled(kRail + 12);
    }
    double yOf(double v) const { return top + (most - v) / (most - least) * (bottom - top); }
    double valueAt(double y) const { return most - (y - top) / (bottom - top) * (most - least); }
    TapeMotion motion;
    Curve curve;
    double begin, end, over, most = 1, least = 0, top, bottom;
  };

  static QString lowestWord(const OpenCanvas& c, const Frame& f) {
    if (f.motion.pitchLock) return QObject::tr("%1 st").arg(f.motion.lowestSemitones);
    const double lowest = number(c, "lowest");
    return lowest == 0 ? QObject::tr("halt") : percent(lowest);
  }

  /// Speed at the left of the motion, semitones at its right.
  void paintAxes(QPainter& p, const OpenCanvas& c, const Frame& f) const {
    const Palette& ink = paper();
    p.setFont(sans(12));
    const QFontMetrics m(p.font());
    const auto rule = [&](double v) {
      p.setPen(QPen(ink.barRule, 1));
      p.drawLine(QPointF(f.begin, f.yOf(v)), QPointF(f.over, f.yOf(v)));
    };
    const auto ground = [&](const QRectF& box) {
      QColor paint = ink.card;
      paint.setAlphaF(0.8f);
      p.fillRect(box, paint);
    };
    double last = -1e9;
    for (double v = std::floor(f.most); v >= f.least - 1e-9; v -= 0.5) {
      if (std::abs(f.yOf(v) - last) < scaled(16)) continue;
      last = f.yOf(v);
      if (v != 1) rule(v);
      const QString text = percent(v);
      const double w = m.horizontalAdvance(text);
      const QRectF box(f.begin - w - scaled(8), last - scaled(8), w + 4, scaled(16));
      ground(box);
      p.setPen(ink.quiet);
      p.drawText(box, Qt::AlignCenter, text);
    }
    last = -1e9;
    for (const int st : {0, -12, -24}) {
      const double v = f.motion.pitchLock ? (f.motion.lowestSemitones == 0 ? 1 : 1 - st / f.motion.lowestSemitones)
                                          : std::exp2(st / 12.0);
      if (v < 0 || v > f.most || std::abs(f.yOf(v) - last) < scaled(14)) continue;
      last = f.yOf(v);
      const QString text = QObject::tr("%1 st").arg(st == 0 ? QStringLiteral("0") : QStringLiteral("−%1").arg(-st));
      const double w = m.horizontalAdvance(text);
      const double x = std::min(f.over + scaled(8), c.area.right() - w - scaled(4));
      const QRectF box(x - 2, last - scaled(17), w + 4, scaled(16));
      ground(box);
      p.setPen(ink.quiet);
      p.drawText(box, Qt::AlignCenter, text);
    }
  }

  /// A line from each beat of the source down to where it is heard.
  void paintBeats(QPainter& p, const OpenCanvas& c, const Frame& f) const {
    const Palette& ink = paper();
    const TempoMap& map = c.session.plan()->map();
    const double from = c.area.bottom() - scaled(kRail), to = c.area.bottom() - scaled(8);
    // Beats where they stand a thumb's width apart, else halves, quarters … of them.
    Beats step(kTicksPerQuarter);
    while (c.axis.pxPerBeat * step.quarters() > scaled(120) && step.ticks > kTicksPerQuarter / 8)
      step = Beats(step.ticks / 2);
    while (c.axis.pxPerBeat * step.quarters() < scaled(14)) step = step * 2;
    constexpr int kSteps = 600;
    std::vector<double> place(kSteps + 1);
    for (int i = 0; i <= kSteps; ++i)
      place[static_cast<std::size_t>(i)] = f.motion.positionAt(static_cast<double>(i) / kSteps);
    const auto [low, high] = std::minmax_element(place.begin(), place.end());
    const Beats first = snapToGrid(map.beatAt(Frames(static_cast<std::int64_t>(*low))), step, map);
    for (Beats b = first; map.frameAt(b).count <= static_cast<std::int64_t>(*high) + 1; b = b + step) {
      const double wanted = static_cast<double>(map.frameAt(b).count), x = c.axis.xOf(b);
      for (int i = 0; i < kSteps; ++i) {
        const double a = place[static_cast<std::size_t>(i)] - wanted,
                     z = place[static_cast<std::size_t>(i + 1)] - wanted;
        if (!((a <= 0 && z > 0) || (a > 0 && z <= 0)) || std::abs(z - a) > 48000) continue;
        const double u = (i + a / (a - z)) / kSteps, heard = f.begin + (f.end - f.begin) * u;
        if (heard < c.area.left() || heard > c.area.right()) continue;
        p.setPen(QPen(z < a ? ink.rust : ink.ink, 1.1));
        QPainterPath way(QPointF(x, from));
        way.cubicTo(QPointF(x, to - scaled(6)), QPointF(heard, from + scaled(6)), QPointF(heard, to));
        p.setBrush(Qt::NoBrush);
        p.drawPath(way);
        p.drawLine(QPointF(heard, to), QPointF(heard, to + scaled(5)));
      }
      p.setPen(QPen(ink.quiet, 1.1));
      if (x >= f.begin - 1 && x <= f.over + 1) p.drawLine(QPointF(x, from - scaled(4)), QPointF(x, from));
    }
  }
};

} // namespace

std::unique_ptr<OpenDrawing> tapeDrawing() {
  return std::make_unique<TapeDrawing>();
}

} // namespace ivrin::app

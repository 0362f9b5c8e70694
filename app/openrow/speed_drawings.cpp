// The open tape: its speed over the waveform it makes, in times normal and in semitones; where each beat of the source
// ends up; both seams magnified.
#include "app/openrow/drawings.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/ornament_look.h"
#include "ornaments/tape.h"
#include "song/curve_edit.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kCurveTop = 30, kRail = 26; // room above the curve and for the beats below it

class TapeDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    paintSourceEdges(p, c, QString());
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
    paintSeams(p, c, {f.motion.extent.begin, f.motion.extent.end}, scaled(56), handles(c));
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all = sourceHandles(c, QObject::tr("edge"));
    const Frame f(c);
    if (!f.motion.refusal.empty()) return all;
    const auto ring = [&](OpenHandle h, double u, double v) {
      h.rect = handleBox({f.begin + (f.end - f.begin) * u, f.yOf(v)});
      if (h.rect.center().x() > c.area.right() - scaled(120)) h.side = OpenHandle::Side::left;
      all.push_back(std::move(h));
    };
    const auto bendAt = [&](double u) {
      ring({.name = QStringLiteral("bend"),
            .word = QObject::tr("bend"),
            .cursor = Qt::SizeVerCursor,
            .pull = pullBend,
            .step = stepping(nullptr, "bend"),
            .label = QObject::tr("bend %1").arg(number(c, "bend"), 0, 'f', 2)},
           u, f.motion.speed.speed(u));
    };
    const char* down = f.motion.pitchLock ? nullptr : "lowest"; // with the time locked it has a number of its own
    const auto lowestAt = [&](const char* name, double u, Qt::CursorShape cursor, const char* sideways) {
      ring({.name = QString::fromLatin1(name),
            .word = QObject::tr("lowest speed"),
            .cursor = cursor,
            .pull = [halts = sideways == std::string_view("halt_at")](
                        const OpenCanvas& was, const Pull& pull) { return pullLowest(was, pull, halts); },
            .step = stepping(sideways[0] ? sideways : nullptr, down),
            .label = lowestWord(c, f)},
           u, f.motion.speed.speed(u));
    };
    using Shape = TapeMotion::Shape;
    const double m = f.motion.bottom;
    switch (f.motion.shape) {
    case Shape::stop:
      bendAt(0.5);
      lowestAt("halt", 1, Qt::SizeAllCursor, "halt_at");
      break;
    case Shape::start:
      bendAt(0.5);
      lowestAt("lowest", 0, Qt::SizeVerCursor, "");
      break;
    case Shape::dip:
      bendAt(m / 2);
      lowestAt("lowest", m, Qt::SizeAllCursor, "bottom_at");
      break;
    case Shape::spinBack:
      bendAt(m / 2);
      ring({.name = QStringLiteral("turn"),
            .word = QObject::tr("turn"),
            .cursor = Qt::SizeHorCursor,
            .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
              Ornament o = was.ornament;
              o.settings["bottom_at"] = bottomUnder(Frame(was).shareAt(pull.to().x()));
              return o;
            },
            .step = stepping("bottom_at", nullptr),
            .label = QObject::tr("turns here")},
           m, 0);
      break;
    case Shape::custom: {
      const auto& points = f.curve.points();
      for (std::size_t i = 0; i < points.size() && i < kMostPoints; ++i)
        ring({.name = QStringLiteral("point%1").arg(i),
              .word = QObject::tr("speed"),
              .cursor = Qt::SizeAllCursor,
              .pull = [i](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                const Frame at(was);
                return withPoint(was, at.curve, i, at.shareAt(pull.to().x()), at.stepAt(pull.to().y()));
              },
              .step = [i](const OpenCanvas& now, int right, int up) -> std::optional<Ornament> {
                const Frame at(now);
                if (i >= at.curve.points().size()) return std::nullopt;
                const CurvePoint& q = at.curve.points()[i];
                return withPoint(now, at.curve, i, std::clamp(q.x + 0.01 * right, 0.0, 1.0), q.y + 0.02 * up);
              }},
             std::clamp(points[i].x, 0.0, 1.0), points[i].y);
      break;
    }
    }
    return all;
  }

  QString sentence(const OpenCanvas& c, bool&) const override {
    const TapeMotion m = tapeMotion(c.placed());
    const TempoMap& map = c.session.plan()->map();
    const Beats begin = map.beatAt(m.frames.begin), end = map.beatAt(m.frames.end);
    const QString takes = spanWords(map, begin, end - begin);
    const double lowest = number(c, "lowest");
    const double fall = std::abs(m.lowestSemitones); // with the time locked it has a number of its own
    const QString down = m.pitchLock   ? QObject::tr("down %1 semitones, timing kept").arg(fall)
                         : lowest == 0 ? QObject::tr("slows to a stop")
                                       : QObject::tr("slows to %1 of its speed").arg(percent(lowest));
    QString words;
    switch (m.shape) {
    case TapeMotion::Shape::stop:
      words = QObject::tr("%1, %2").arg(takes, down);
      break;
    case TapeMotion::Shape::start:
      words = m.pitchLock   ? QObject::tr("%1, up %2 semitones, timing kept").arg(takes).arg(fall)
              : lowest == 0 ? QObject::tr("%1, from a stop up to speed").arg(takes)
                            : QObject::tr("%1, from %2 of its speed up to full speed").arg(takes, percent(lowest));
      break;
    case TapeMotion::Shape::dip:
      words = QObject::tr("%1, %2 and back").arg(takes, down);
      break;
    case TapeMotion::Shape::spinBack:
      words = QObject::tr("%1, slows to a stop, then plays backwards").arg(takes);
      break;
    case TapeMotion::Shape::custom:
      words = QObject::tr("%1, as drawn").arg(takes);
      break;
    }
    const Beats spanEnd = c.ornament.span().end;
    if (map.frameAt(spanEnd) > m.frames.end)
      return m.extent.end > m.frames.end ? QObject::tr("%1; then silent for %2, to the end of the ornament")
                                               .arg(words, spanWords(map, end, spanEnd - end))
                                         : QObject::tr("%1; then the row returns").arg(words);
    if (m.frames.end > map.frameAt(spanEnd))
      return QObject::tr("%1; ends %2 after the ornament").arg(words, spanWords(map, spanEnd, end - spanEnd));
    if (m.frames.begin < map.frameAt(c.ornament.start))
      return QObject::tr("%1; starts %2 earlier").arg(words, spanWords(map, begin, c.ornament.start - begin));
    return words;
  }

 private:
  static const TableSpec& tableOf(const Ornament& o) { return allKinds().find(o.kind)->table(); }
  static double numberOf(const Ornament& o, const char* key) {
    return *settingOr(tableOf(o), o.settings, key).number();
  }
  static double number(const OpenCanvas& c, const char* key) { return numberOf(c.ornament, key); }
  static QString percent(double v) {
    return QObject::tr("%1%2 %").arg(v < 0 ? QStringLiteral("−") : QString()).arg(std::round(std::abs(v) * 100));
  }

  static constexpr std::size_t kMostPoints = 40; // of a drawn curve, that are handles

  /// Where things are drawn.
  struct Frame {
    explicit Frame(const OpenCanvas& c)
        : motion(tapeMotion(c.placed()))
        , curve(tapeCurve(tableOf(c.ornament), c.ornament.settings)) {
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
    double stepAt(double y) const { return std::round(valueAt(y) * 50) / 50; }
    double shareAt(double x) const { return std::clamp((x - begin) / std::max(1.0, end - begin), 0.0, 1.0); }
    TapeMotion motion;
    Curve curve;
    double begin, end, over, most = 1, least = 0, top, bottom;
  };

  static double bottomUnder(double share) { return std::round(std::clamp(share, 0.02, 0.98) * 1000) / 1000; }

  static std::optional<Ornament> withPoint(const OpenCanvas& was, const Curve& curve, std::size_t i, double x,
                                           double y) {
    if (i >= curve.points().size()) return std::nullopt;
    const CurveLimits limits{0, 1, -4, 4};
    Ornament o = was.ornament;
    o.settings["speed"] = withPointMoved(curve, i, std::round(x * 1000) / 1000, y, limits).value();
    return o;
  }

  /// So that the curve goes through the hand: a segment of its own from 1 to the lowest.
  static std::optional<Ornament> pullBend(const OpenCanvas& was, const Pull& pull) {
    const Frame f(was);
    const bool start = f.motion.shape == TapeMotion::Shape::start;
    const double foot = f.motion.shape == TapeMotion::Shape::spinBack ? 0 : number(was, "lowest");
    const Curve one = start ? Curve({{0, foot, 0}, {1, 1, 0}}) : Curve({{0, 1, 0}, {1, foot, 0}});
    const double bend = bendThrough(one, 1, 0.5, std::clamp(f.valueAt(pull.to().y()), foot + 1e-3, 1 - 1e-3));
    Ornament o = was.ornament;
    o.settings["bend"] = std::round((start ? -bend : bend) * 100) / 100;
    return o;
  }

  /// Up and down the lowest speed; sideways where it is reached.
  static std::optional<Ornament> pullLowest(const OpenCanvas& was, const Pull& pull, bool halts) {
    const Frame f(was);
    const Ornament& before = was.ornament;
    Ornament o = before;
    const QPointF by = pull.to() - pull.press();
    if (!f.motion.pitchLock && std::abs(by.y()) >= 3)
      o.settings["lowest"] = std::clamp(f.stepAt(pull.to().y()), 0.0, 1.0);
    if (std::abs(by.x()) < 3) return o;
    if (f.motion.shape == TapeMotion::Shape::dip) o.settings["bottom_at"] = bottomUnder(f.shareAt(pull.to().x()));
    if (halts && *settingOr(tableOf(before), before.settings, "fit").text() == "span") {
      const double free =
          std::min(1.0, std::max(0.0, (pull.to().x() - f.begin) / (f.end - f.begin)) * numberOf(before, "halt_at"));
      const double onGrid =
          static_cast<double>((beatUnder(pull, was) - before.start).ticks) / static_cast<double>(before.length.ticks);
      o.settings["halt_at"] = std::round(std::clamp(pull.free ? free : onGrid, 0.01, 1.0) * 1000) / 1000;
    }
    return o;
  }

  static QString lowestWord(const OpenCanvas& c, const Frame& f) {
    if (f.motion.pitchLock) return QObject::tr("%1 st").arg(f.motion.lowestSemitones);
    const double lowest = number(c, "lowest");
    return lowest == 0 ? QObject::tr("stop") : percent(lowest);
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

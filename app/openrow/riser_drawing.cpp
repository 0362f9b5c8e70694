// The open riser: three lines over the sound they make, against the counted-back bars: pitch, brightness and level,
// each drawn by its ends and bent by its middle; where it trembles, the borders of its periods; the impact on the
// landing.
#include "app/openrow/drawings.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/ornament_look.h"
#include "ornaments/riser.h"
#include "song/curve.h"

#include <QPainterPath>

#include <algorithm>
#include <array>
#include <cmath>

namespace ivrin::app {
namespace {

/// One of the three lines: which settings are its ends, which bends it, and how its values lie between foot and top.
struct RisingLine {
  const char *name, *pair, *bend;
  double low, high;
  bool logarithmic;
  Qt::PenStyle style;
};
constexpr std::array<RisingLine, 3> kRisingLines = {
    {{"level", "level_db", "bend", -72, 0, false, Qt::DotLine},
     {"brightness", "cutoff_hz", "cutoff_bend", 20, 20000, true, Qt::DashLine},
     {"pitch", "pitch_semitones", "pitch_bend", -48, 48, false, Qt::SolidLine}}};

class RiserDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QString());
    const Frame f(c);
    const QColor hue = inkOf(c.ornament);
    paintBars(p, c, f);
    // Periods of its trembling, along the foot.
    p.setPen(QPen(hue, 1.3));
    double last = -10;
    for (const Frames border : f.shape.borders()) {
      const double x = f.x(border);
      if (x < c.area.left() || x > c.area.right() || x - last < 2) continue;
      p.drawLine(QPointF(x, f.foot + scaled(5)), QPointF(x, f.foot + scaled(13)));
      last = x;
    }
    for (const RisingLine& line : kRisingLines) {
      if (!f.shows(line)) continue;
      QPainterPath path;
      constexpr int kPoints = 60;
      for (int i = 0; i <= kPoints; ++i) {
        const double u = static_cast<double>(i) / kPoints;
        const QPointF at(f.begin + u * (f.end - f.begin), f.yAt(line, u));
        i == 0 ? path.moveTo(at) : path.lineTo(at);
      }
      p.setBrush(Qt::NoBrush);
      p.setPen(QPen(ink.card, 4.4));
      p.drawPath(path);
      p.setPen(QPen(ink.ink, 1.8, line.style));
      p.drawPath(path);
    }
    paintEnds(p, f);
    if (f.shape.hitDb) {
      const double x = f.x(f.shape.landing);
      const QString words = QObject::tr("impact, %1, %2").arg(textOf(c, "hit_character"), textOf(c, "hit_db"));
      drawSongText(p, QPointF(x + scaled(8), f.foot + scaled(13)), words, 14, true, hue);
    }
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    const Frame f(c);
    std::vector<OpenHandle> all = sourceHandles(c, QObject::tr("edge"));
    for (const RisingLine& line : kRisingLines) {
      if (!f.shows(line)) continue;
      const RisingLine* which = &line;
      for (const bool end : {false, true})
        all.push_back(
            {.name = QString::fromLatin1(line.name) + (end ? QStringLiteral("-end") : QStringLiteral("-begin")),
             .word = wordOf(line),
             .rect = handleBox({end ? f.end : f.begin, f.yAt(line, end ? 1 : 0)}, 6),
             .cursor = Qt::SizeVerCursor,
             .mark = OpenHandle::Mark::box,
             .pull = [which, end](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
               const Frame at(was);
               return with(was, *which, at.reaches(end), at.valueAt(*which, pull.to().y()));
             },
             .step = [which, end](const OpenCanvas& now, int, int up) -> std::optional<Ornament> {
               if (up == 0) return std::nullopt;
               const Frame at(now);
               const double was = at.ends(*which)[at.reaches(end) ? 1 : 0];
               return with(now, *which, at.reaches(end), which->logarithmic ? was * std::exp2(up / 6.0) : was + up);
             },
             .label = QObject::tr("%1 %2").arg(wordOf(line), f.said(line, f.reaches(end))),
             .shown = OpenHandle::Label::active,
             .side = end ? OpenHandle::Side::left : OpenHandle::Side::right});
      // Bent by its middle; each line's a little further on, so that none lies on another.
      const double u = 0.5 + 0.12 * static_cast<double>(&line - kRisingLines.data() - 1);
      all.push_back({.name = QString::fromLatin1(line.name) + QStringLiteral("-bend"),
                     .word = QObject::tr("%1 bend").arg(wordOf(line)),
                     .rect = handleBox({f.begin + u * (f.end - f.begin), f.yAt(line, u)}, 7),
                     .cursor = Qt::SizeVerCursor,
                     .pull = [which, u](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                       return bent(was, *which, u, pull.to().y());
                     },
                     .step = stepping(nullptr, line.bend),
                     .label = QObject::tr("%1, bend %2").arg(wordOf(line)).arg(f.bendOf(line), 0, 'g', 2),
                     .shown = OpenHandle::Label::active});
    }
    return all;
  }

  QString sentence(const OpenCanvas& c, bool&) const override {
    const Frame f(c);
    const QString what = f.shape.of == RiserShape::Of::noise  ? QObject::tr("noise")
                         : f.shape.of == RiserShape::Of::tone ? QObject::tr("a tone")
                                                              : QObject::tr("the row, %1").arg(textOf(c, "stem_plays"));
    const QString way = f.shape.down ? QObject::tr("falls from") : QObject::tr("climbs to");
    const auto landing = c.ornament.landing ? c.session.song().landingById(*c.ornament.landing) : std::nullopt;
    const QString where =
        landing && !landing->name.empty() ? QString::fromStdString(landing->name) : QObject::tr("its landing");
    return QObject::tr("%1 %2 %3 over %4")
        .arg(what, way, where, spanWords(c.session.plan()->map(), c.ornament.start, c.ornament.length));
  }

 private:
  static QString wordOf(const RisingLine& line) {
    return line.name == std::string_view("level")   ? QObject::tr("level")
           : line.name == std::string_view("pitch") ? QObject::tr("pitch")
                                                    : QObject::tr("brightness");
  }
  struct Frame {
    explicit Frame(const OpenCanvas& c)
        : canvas(c)
        , shape(c.placed()) {
      begin = x(shape.span.begin);
      end = x(shape.span.end);
      top = c.area.top() + scaled(26);
      foot = c.area.bottom() - scaled(20);
    }
    double x(Frames f) const { return canvas.axis.xOf(canvas.session.plan()->map().beatAt(f)); }
    /// Noise has no pitch.
    bool shows(const RisingLine& line) const {
      return line.name != std::string_view("pitch") || shape.of != RiserShape::Of::noise;
    }
    /// Whether the left or right end on the page is the second of the pair.
    bool reaches(bool right) const { return right != shape.down; }
    std::array<double, 2> ends(const RisingLine& line) const {
      const List& both = *valueOf(canvas, line.pair).list();
      return {*both[0].number(), *both[1].number()};
    }
    double bendOf(const RisingLine& line) const {
      const double* own = valueOf(canvas, line.bend).number();
      return own ? *own : *valueOf(canvas, "bend").number();
    }
    double share(const RisingLine& line, double value) const {
      const double s = line.logarithmic ? std::log(value / line.low) / std::log(line.high / line.low)
                                        : (value - line.low) / (line.high - line.low);
      return std::clamp(s, 0.0, 1.0);
    }
    double yOf(double share) const { return foot - share * (foot - top); }
    double valueAt(const RisingLine& line, double y) const {
      const double s = std::clamp((foot - y) / (foot - top), 0.0, 1.0);
      return line.logarithmic ? line.low * std::pow(line.high / line.low, s) : line.low + s * (line.high - line.low);
    }
    double yAt(const RisingLine& line, double u) const {
      const auto both = ends(line);
      const double way = bendProgress(bendOf(line), shape.down ? 1 - u : u);
      return yOf(share(line, both[0]) + way * (share(line, both[1]) - share(line, both[0])));
    }
    QString said(const RisingLine& line, bool second) const {
      const double v = ends(line)[second ? 1 : 0];
      if (line.name == std::string_view("level"))
        return QObject::tr("%1 dB").arg(v, 0, 'g', 3).replace(QLatin1Char('-'), QChar(0x2212));
      if (line.logarithmic)
        return v >= 1000 ? QObject::tr("%1 kHz").arg(v / 1000, 0, 'g', 3) : QObject::tr("%1 Hz").arg(v, 0, 'f', 0);
      if (shape.of != RiserShape::Of::tone) return QObject::tr("%1 st").arg(v).replace(QLatin1Char('-'), QChar(0x2212));
      static const char* const names[] = {"C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"};
      const auto note = static_cast<int>(std::lround(shape.at(second != shape.down ? 1 : 0).semitones));
      return QString::fromUtf8(names[((note % 12) + 12) % 12]) + QString::number(note / 12 - 1);
    }
    const OpenCanvas& canvas;
    RiserShape shape;
    double begin, end, top, foot;
  };

  static std::optional<Ornament> with(const OpenCanvas& c, const RisingLine& line, bool second, double value) {
    Ornament o = c.ornament;
    List both = *valueOf(c, line.pair).list();
    value = std::clamp(value, line.low == -72 ? -96.0 : line.low, line.high);
    both[second ? 1 : 0] = line.logarithmic ? std::round(value / (value < 1000 ? 10 : 100)) * (value < 1000 ? 10 : 100)
                                            : std::round(value);
    if (line.logarithmic) both[second ? 1 : 0] = std::max(20.0, *both[second ? 1 : 0].number());
    o.settings[line.pair] = std::move(both);
    return o;
  }
  /// The bend with which the line goes through a height at `u`: found by halving, it is monotone.
  static std::optional<Ornament> bent(const OpenCanvas& c, const RisingLine& line, double u, double y) {
    const Frame f(c);
    const auto both = f.ends(line);
    const double from = f.share(line, both[0]), to = f.share(line, both[1]);
    if (std::abs(to - from) < 0.01) return std::nullopt;
    const double wanted = ((f.foot - y) / (f.foot - f.top) - from) / (to - from), way = f.shape.down ? 1 - u : u;
    double low = -1, high = 1;
    for (int i = 0; i < 30; ++i) {
      const double middle = (low + high) / 2;
      (bendProgress(middle, way) > wanted ? low : high) = middle;
    }
    Ornament o = c.ornament;
    o.settings[line.bend] = std::clamp(std::round(low * 20) / 20, -1.0, 1.0);
    return o;
  }
  /// Bars counted to the landing, or from it, over its span.
  static void paintBars(QPainter& p, const OpenCanvas& c, const Frame& f) {
    const Palette& ink = paper();
    const TempoMap& map = c.session.plan()->map();
    const Beats from = c.ornament.start, to = c.ornament.span().end;
    const std::int64_t first = map.barAt(from).bar, last = map.barAt(to).bar;
    if (last - first > 64) return;
    for (std::int64_t bar = first; bar <= last; ++bar) {
      const Beats at = map.barStart(bar);
      const double x = c.axis.xOf(at);
      if (at < from || x > f.end - scaled(30) || x < c.area.left()) continue;
      const std::int64_t count = f.shape.down ? bar - first : last - bar;
      if (count == 0) continue;
      drawSongText(p, QPointF(x + scaled(9), c.area.top() + scaled(14)),
                   f.shape.down ? QObject::tr("+%1").arg(count) : QObject::tr("−%1").arg(count), 13, true, ink.quiet);
    }
  }
  /// What each line is and where it goes, beside its ends; close ones are moved apart.
  static void paintEnds(QPainter& p, const Frame& f) {
    const Palette& ink = paper();
    for (const bool right : {false, true}) {
      std::vector<std::pair<double, QString>> words;
      for (const RisingLine& line : kRisingLines)
        if (f.shows(line))
          words.emplace_back(f.yAt(line, right ? 1 : 0),
                             right ? f.said(line, f.reaches(right))
                                   : QObject::tr("%1 %2").arg(wordOf(line), f.said(line, f.reaches(right))));
      std::sort(words.begin(), words.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
      for (std::size_t i = 1; i < words.size(); ++i)
        words[i].first = std::max(words[i].first, words[i - 1].first + scaled(16));
      p.setFont(sans(13));
      for (const auto& [y, text] : words) {
        const double w = QFontMetrics(p.font()).horizontalAdvance(text);
        double x = right ? f.end + scaled(12) : f.begin - scaled(12) - w;
        if (x < f.canvas.area.left()) x = f.begin + scaled(12); // no room before it
        if (x < f.canvas.area.left() || x + w > f.canvas.area.right()) continue;
        QColor ground = ink.card;
        ground.setAlphaF(0.85f);
        p.fillRect(QRectF(x - 2, y - scaled(8), w + 4, scaled(16)), ground);
        p.setPen(ink.quiet);
        p.drawText(QRectF(x, y - scaled(8), w + 2, scaled(16)), Qt::AlignVCenter | Qt::AlignLeft, text);
      }
    }
  }
};

} // namespace

std::unique_ptr<OpenDrawing> riserDrawing() {
  return std::make_unique<RiserDrawing>();
}

} // namespace ivrin::app

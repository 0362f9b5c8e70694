// The open pulse: its steps as cells over the sound they make. A cell's height is its level, the left side up and the
// right side down, so that one that stands to a side leans; the first cell carries the shoulders of all.
#include "app/openrow/drawings.h"
#include "app/theme/ornament_look.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "ornaments/pulse.h"

#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

class PulseDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QString());
    const Frame f(c);
    const QColor hue = inkOf(c.ornament);
    QColor veil = hue;
    veil.setAlphaF(ink.night ? 0.20f : 0.13f);
    if (f.stepWidth < 2.5) { // too many to be told apart: only that they are there
      p.fillRect(QRectF(f.begin, f.middle - f.half, f.end - f.begin, 2 * f.half), veil);
    } else {
      for (std::int64_t k = f.firstSeen(); f.x(f.shape.grid.begin(k)) < std::min(f.end, c.area.right()); ++k) {
        const QPainterPath cell = f.cell(k);
        p.fillPath(cell, veil);
        p.setPen(QPen(hue, f.stepWidth > 12 ? 1.4 : 0.8));
        p.setBrush(Qt::NoBrush);
        p.drawPath(cell);
        if (f.shape.levelOf(k) == 0 && f.stepWidth > 8) { // a rest
          const double x = f.x(f.shape.grid.begin(k)) + f.stepWidth / 2;
          p.setPen(QPen(hue, 1.6));
          p.drawLine(QPointF(x - scaled(3), f.middle - scaled(3)), QPointF(x + scaled(3), f.middle + scaled(3)));
          p.drawLine(QPointF(x - scaled(3), f.middle + scaled(3)), QPointF(x + scaled(3), f.middle - scaled(3)));
        }
      }
      // Where the list begins again.
      const auto round = static_cast<std::int64_t>(std::max(f.shape.levels.size(), f.shape.pans.size()));
      if (round > 1 && f.stepWidth * static_cast<double>(round) > scaled(14)) {
        p.setPen(QPen(hue, 1.2, Qt::DotLine));
        for (std::int64_t k = round; f.x(f.shape.grid.begin(k)) < std::min(f.end, c.area.right()); k += round)
          p.drawLine(QPointF(f.x(f.shape.grid.begin(k)), c.area.top() + scaled(4)),
                     QPointF(f.x(f.shape.grid.begin(k)), c.area.top() + scaled(16)));
      }
    }
    paintNeighbours(p, c);
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all = sourceHandles(c, QObject::tr("edge"));
    const Frame f(c);
    const PulseShape::Step s = f.shape.step(0);
    const double top = f.middle - f.half * f.shape.gainsOf(0).left;
    const auto ring = [&](const char* name, const QString& word, QPointF at, const char* key, const char* upDown,
                          const QString& label,
                          std::function<std::optional<Ornament>(const OpenCanvas&, const Pull&)> pull,
                          OpenHandle::Side side) {
      all.push_back({.name = QString::fromLatin1(name),
                     .word = word,
                     .rect = handleBox(at, 7),
                     .cursor = Qt::SizeAllCursor,
                     .pull = std::move(pull),
                     .step = stepping(key, upDown),
                     .label = label,
                     .shown = OpenHandle::Label::active,
                     .side = side});
    };
    const auto shoulder = [](const char* fade, const char* bend, bool in) {
      return [fade, bend, in](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
        const Frame at(was);
        const PulseShape::Step step = at.shape.step(0);
        const double edge = in ? at.begin : at.x(step.begin + Frames(step.open));
        const double share = (in ? pull.to().x() - edge : edge - pull.to().x()) / std::max(1.0, at.stepWidth);
        const double lift = (pull.press().y() - pull.to().y()) / std::max(1.0, at.half);
        Ornament o = was.ornament;
        o.settings[fade] = std::round(std::clamp(share, 0.0, 1.0) * 100);
        const double bends = *valueOf(was, bend).number();
        o.settings[bend] = std::clamp(std::round((bends - lift) * 20) / 20, -1.0, 1.0);
        return o;
      };
    };
    const double openX = f.x(s.begin + Frames(s.open));
    const bool roomy = f.stepWidth >= scaled(26); // for three rings on the first cell
    if (roomy) {
      ring("in", QObject::tr("fade in"), {f.x(s.begin + Frames(s.fadeIn)), top}, "fade_in", "fade_in_bend",
           QObject::tr("in %1").arg(textOf(c, "fade_in")), shoulder("fade_in", "fade_in_bend", true),
           OpenHandle::Side::left);
      ring("out", QObject::tr("fade out"), {f.x(s.begin + Frames(s.open - s.fadeOut)), top}, "fade_out",
           "fade_out_bend", QObject::tr("out %1").arg(textOf(c, "fade_out")),
           shoulder("fade_out", "fade_out_bend", false), OpenHandle::Side::right);
      ring(
          "open", QObject::tr("length"), {openX, f.middle}, "length_percent", nullptr,
          QObject::tr("open %1").arg(textOf(c, "length_percent")),
          [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
            const Frame at(was);
            Ornament o = was.ornament;
            o.settings["length_percent"] =
                std::round(std::clamp((pull.to().x() - at.begin) / std::max(1.0, at.stepWidth), 0.01, 1.0) * 100);
            return o;
          },
          OpenHandle::Side::right);
    }
    ring(
        "depth", QObject::tr("depth"), {f.end - scaled(14), f.depthY()}, nullptr, "depth_percent",
        QObject::tr("depth %1").arg(textOf(c, "depth_percent")),
        [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
          const Frame at(was);
          Ornament o = was.ornament;
          o.settings["depth_percent"] =
              std::round(std::clamp((pull.to().y() - (at.middle - at.half)) / at.half, 0.0, 1.0) * 100);
          return o;
        },
        OpenHandle::Side::left);
    // The cells themselves, painted over in one go: up and down the level; free of the grid the side.
    const double right = std::min(f.end, c.area.right());
    if (f.stepWidth >= 4)
      all.push_back({.name = QStringLiteral("cells"),
                     .word = QObject::tr("cells"),
                     .rect = QRectF(f.begin, f.middle - f.half, right - f.begin, 2 * f.half),
                     .cursor = Qt::CrossCursor,
                     .mark = OpenHandle::Mark::none,
                     .pull = painted,
                     .step = turned,
                     .atPress = true});
    return all;
  }

  QString sentence(const OpenCanvas& c, bool&) const override {
    const Frame f(c);
    const auto silent = std::count(f.shape.levels.begin(), f.shape.levels.end(), 0.0);
    const auto n = static_cast<qsizetype>(f.shape.levels.size());
    const QString rests = silent == 0 ? QString() : QObject::tr(", %1 of %2 silent").arg(silent).arg(n);
    return QObject::tr("steps of %1, each sounds for %2 of it%3")
        .arg(textOf(c, "step"), textOf(c, "length_percent"), rests);
  }

 private:
  struct Frame {
    explicit Frame(const OpenCanvas& c)
        : canvas(c)
        , shape(c.placed())
        , map(c.session.plan()->map())
        , span(c.placed().span()) {
      begin = x(span.begin);
      end = x(span.end);
      stepWidth = x(shape.grid.begin(1)) - begin;
      middle = c.area.center().y();
      half = c.area.height() / 2 - scaled(22);
    }
    double x(Frames f) const { return canvas.axis.xOf(map.beatAt(f)); }
    double depthY() const { return middle - half + shape.depth * half; }
    std::int64_t firstSeen() const {
      return shape.grid.at(map.frameAt(canvas.axis.beatAt(std::max(begin, canvas.area.left()))));
    }
    /// Its window, up for the left side and down for the right one.
    QPainterPath cell(std::int64_t k) const {
      const PulseShape::Step s = shape.step(k);
      QPainterPath path;
      const double floor = 1 - shape.depth;
      constexpr int kPoints = 8;                      // of each shoulder
      std::vector<std::pair<double, double>> outline; // x, window
      const auto add = [&](double at) {
        const double w = shape.windowAt(s, std::min<std::int64_t>(std::llround(at), s.length - 1));
        outline.emplace_back(x(s.begin + Frames(std::llround(at))), w);
      };
      for (int i = 0; i <= kPoints; ++i) add(static_cast<double>(s.fadeIn) * i / kPoints);
      const auto body = static_cast<double>(s.open - s.fadeOut);
      for (int i = 0; i <= kPoints; ++i) add(std::max(0.0, body + static_cast<double>(s.fadeOut) * i / kPoints - 1));
      outline.emplace_back(x(s.begin + Frames(s.open)), 0);
      const SideGains gains = shape.gainsOf(k);
      const auto height = [&](double w, double gain) { return half * (floor + shape.depth * w * gain); };
      path.moveTo(outline.front().first, middle);
      for (const auto& [px, w] : outline) path.lineTo(px, middle - height(w, gains.left));
      path.lineTo(outline.back().first, middle);
      for (auto it = outline.rbegin(); it != outline.rend(); ++it)
        path.lineTo(it->first, middle + height(it->second, gains.right));
      path.closeSubpath();
      return path;
    }
    const OpenCanvas& canvas;
    PulseShape shape;
    const TempoMap& map;
    FrameRange span;
    double begin = 0, end = 0, stepWidth = 0, middle = 0, half = 0; // pixels; of the first step
  };

  static Ornament with(Ornament o, const char* key, const std::vector<double>& values) {
    o.settings[key] = List(values.begin(), values.end());
    return o;
  }
  /// The cells that the hand went over take the level of its height; free of the grid they lean to its side of the
  /// middle.
  static std::optional<Ornament> painted(const OpenCanvas& was, const Pull& pull) {
    const Frame f(was);
    std::vector<double> values = pull.free ? f.shape.pans : f.shape.levels;
    // A list of one is all steps alike; painted, the steps of a bar are told apart.
    const auto bar = static_cast<std::size_t>(std::clamp<std::int64_t>(
        f.shape.grid.at(f.map.frameAt(was.ornament.start + f.map.meterAt(was.ornament.start).barLength())), 1, 64));
    if (values.size() == 1) values.assign(bar, values.front());
    const auto stepAt = [&](QPointF at) {
      return f.shape.grid.at(f.map.frameAt(was.axis.beatAt(std::clamp(at.x(), f.begin, f.end - 0.01))));
    };
    QPointF from = pull.press();
    for (const QPointF to : pull.path) {
      const double away = std::clamp(std::round((to.y() - f.middle) / f.half * 10) / 10, -1.0, 1.0);
      const auto [first, last] = std::minmax({stepAt(from), stepAt(to)});
      for (std::int64_t k = first; k <= last; ++k)
        values[static_cast<std::size_t>(k) % values.size()] = pull.free ? away : std::abs(away);
      from = to;
    }
    return with(was.ornament, pull.free ? "pans" : "levels", values);
  }
  /// By keys: sideways the pattern turns by a step, up and down all cells grow or shrink.
  static std::optional<Ornament> turned(const OpenCanvas& now, int right, int up) {
    const Frame f(now);
    std::vector<double> values = f.shape.levels;
    if (right != 0) {
      if (values.size() < 2) return std::nullopt;
      if (right > 0)
        std::rotate(values.rbegin(), values.rbegin() + 1, values.rend());
      else
        std::rotate(values.begin(), values.begin() + 1, values.end());
    }
    if (up != 0)
      for (double& v : values) v = v == 0 ? 0 : std::clamp(std::round((v + 0.1 * up) * 10) / 10, 0.1, 1.0);
    if (values == f.shape.levels) return std::nullopt;
    return with(now.ornament, "levels", values);
  }
};

} // namespace

std::unique_ptr<OpenDrawing> pulseDrawing() {
  return std::make_unique<PulseDrawing>();
}

} // namespace ivrin::app

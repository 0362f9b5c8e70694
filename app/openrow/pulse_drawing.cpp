// The open pulse: its steps as cells over the sound they make. A cell's height is its level, the left side up and the
// right side down, so that one that stands to a side leans; the first cell carries the shoulders of all.
#include "app/openrow/cell_lanes.h"
#include "app/openrow/drawings.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/ornament_look.h"
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
    f.lanes.eachSeen([&](std::int64_t k, std::int64_t count) {
      const QPainterPath cell = count > 1 ? f.groupOf(k, count) : f.cell(k);
      p.fillPath(cell, veil);
      p.setPen(QPen(hue, f.stepWidth > 12 ? 1.4 : 0.8));
      p.setBrush(Qt::NoBrush);
      p.drawPath(cell);
      if (count == 1 && f.shape.levelOf(k) == 0 && f.stepWidth > 8) { // a rest
        const QPointF at = f.lanes.box(k).center();
        p.setPen(QPen(hue, 1.6));
        p.drawLine(at + QPointF(-scaled(3), -scaled(3)), at + QPointF(scaled(3), scaled(3)));
      }
    });
    f.lanes.paint(p, hue);
    paintNeighbours(p, c);
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    const Frame f(c);
    std::vector<OpenHandle> all = f.lanes.handles(); // under what stands on them
    for (OpenHandle& h : all)
      if (h.name == "cells")
        h.pull = [paint = h.pull](const OpenCanvas& was, const Pull& pull) {
          return pull.alone ? shoulderOfOne(was, pull) : paint(was, pull);
        };
    for (OpenHandle& h : sourceHandles(c, QObject::tr("edge"))) all.push_back(std::move(h));
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
        if (pull.alone) return shoulderOfOne(was, pull);
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
          QObject::tr("gate %1").arg(textOf(c, "length_percent")),
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
    return all;
  }

  QString sentence(const OpenCanvas& c, bool&) const override {
    const Frame f(c);
    const auto silent = std::count(f.shape.levels.begin(), f.shape.levels.end(), 0.0);
    const auto n = static_cast<qsizetype>(f.shape.levels.size());
    const QString rests = silent == 0 ? QString() : QObject::tr(", %1 of %2 silent").arg(silent).arg(n);
    return QObject::tr("cells of %1, gate %2%3").arg(textOf(c, "step"), textOf(c, "length_percent"), rests);
  }

 private:
  /// The shoulder of the cell that was pressed, on the side where it was: it comes in until there, or goes out from
  /// there; up and down bend it.
  static std::optional<Ornament> shoulderOfOne(const OpenCanvas& was, const Pull& pull) {
    const Frame at(was);
    if (at.lanes.group() > 1) return std::nullopt;
    const Cells& cells = at.lanes.cells();
    const TempoMap& map = was.session.plan()->map();
    const std::int64_t k = std::clamp(cells.at(map.frameAt(was.axis.beatAt(pull.press().x()))), cells.first(),
                                      std::max(cells.first(), cells.end() - 1));
    const PulseShape::Step step = at.shape.step(k);
    const double begin = at.x(step.begin), close = at.x(step.begin + Frames(step.open)),
                 whole = std::max(1.0, at.x(step.begin + Frames(step.length)) - begin);
    const bool in = pull.press().x() < (begin + close) / 2;
    const double share = (in ? pull.to().x() - begin : close - pull.to().x()) / whole;
    const double bends = std::round((pull.to().y() - pull.press().y()) / std::max(1.0, at.half) * 20) / 20;
    Pattern p = toolPattern(cells, map);
    PatternStep& s = p[cells.place(k, p.size())];
    (in ? s.in : s.out) = std::round(std::clamp(share, 0.0, 1.0) * 100);
    if (bends != 0) (in ? s.inBend : s.outBend) = std::clamp((in ? step.bendIn : step.bendOut) + bends, -1.0, 1.0);
    return cells.with(p);
  }

  struct Frame {
    explicit Frame(const OpenCanvas& c)
        : lanes(c, CellLanes::Levels::fromMiddle)
        , shape(c.placed()) {
      begin = lanes.begin();
      end = lanes.end();
      stepWidth = lanes.width();
      middle = lanes.middle();
      half = lanes.half();
    }
    double x(Frames f) const { return lanes.x(f); }
    double depthY() const { return middle - half + shape.depth * half; }
    /// Many cells as one, as high as they are on the mean.
    QPainterPath groupOf(std::int64_t k, std::int64_t count) const {
      SideGains mean{0, 0};
      for (std::int64_t i = k; i < k + count; ++i) {
        const SideGains g = shape.gainsOf(i);
        mean = {mean.left + g.left / static_cast<double>(count), mean.right + g.right / static_cast<double>(count)};
      }
      const QRectF box = lanes.box(k, count);
      const auto height = [&](double gain) { return half * (1 - shape.depth + shape.depth * gain); };
      QPainterPath path;
      path.addRect(QRectF(QPointF(box.left(), middle - height(mean.left)),
                          QPointF(box.right() - 1, middle + height(mean.right))));
      return path;
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
    CellLanes lanes;
    PulseShape shape;
    double begin = 0, end = 0, stepWidth = 0, middle = 0, half = 0; // pixels; of the first step
  };
};

} // namespace

std::unique_ptr<OpenDrawing> pulseDrawing() {
  return std::make_unique<PulseDrawing>();
}

} // namespace ivrin::app

// The open stutter: its cells over the sound they make, each as high as its level, with lanes for pitch, side and
// direction; where the slice was taken, magnified, so that its attack can be moved to the sample.
#include "app/openrow/cell_lanes.h"
#include "app/openrow/drawings.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/ornament_look.h"
#include "ornaments/stutter.h"
#include "song/settings/setting_text.h"

#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

class StutterDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QString());
    const Frame f(c);
    const QColor hue = inkOf(c.ornament);
    QColor veil = hue;
    veil.setAlphaF(ink.night ? 0.20f : 0.13f);
    f.lanes.eachSeen([&](std::int64_t k, std::int64_t count) {
      const QRectF box = f.lanes.box(k, count);
      if (count > 1) {
        const double r = f.lanes.half() * f.level(k, count);
        const QRectF at(box.left(), f.lanes.middle() - r, box.width() - 1, 2 * r);
        p.fillRect(at, veil);
        p.setPen(QPen(hue, 0.8));
        p.setBrush(Qt::NoBrush);
        p.drawRect(at);
        return;
      }
      const StutterShape::Cell cell = f.shape.cell(k);
      const double open = box.left() + box.width() * static_cast<double>(cell.open) /
                                           static_cast<double>(std::max<std::int64_t>(1, cell.length));
      const auto height = [&](double gain) { return f.lanes.half() * std::min(1.0, gain); };
      const double up = height(cell.gains.left), down = height(cell.gains.right), middle = f.lanes.middle();
      p.setPen(QPen(hue, f.lanes.width() > 12 ? 1.4 : 0.8));
      if (cell.silent()) { // a rest
        const QPointF at = box.center();
        const double r = std::min<double>(scaled(4), box.width() / 3);
        p.drawLine(at + QPointF(-r, -r), at + QPointF(r, r));
        return;
      }
      // A wedge that falls from its attack, or rises to it backwards: where a slice begins is what counts.
      QPainterPath path;
      const double low = 0.55;
      const double in = cell.reversed ? low : 1, out = cell.reversed ? 1 : low;
      path.moveTo(box.left(), middle - up * in);
      path.lineTo(open - 1, middle - up * out);
      path.lineTo(open - 1, middle + down * out);
      path.lineTo(box.left(), middle + down * in);
      path.closeSubpath();
      p.fillPath(path, veil);
      p.setBrush(Qt::NoBrush);
      p.drawPath(path);
      p.setPen(QPen(hue, 2.2)); // the stroke that begins it
      const double at = cell.reversed ? open - 1 : box.left();
      p.drawLine(QPointF(at, middle - up), QPointF(at, middle + down));
    });
    f.lanes.paint(p, hue);
    paintTaken(p, c);
    paintNeighbours(p, c);
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    const Frame f(c);
    std::vector<OpenHandle> all = f.lanes.handles();
    for (OpenHandle& h : sourceHandles(c, QObject::tr("edge"))) all.push_back(std::move(h));
    if (valueOf(c, "pattern").isNull()) {
      const double border = f.lanes.x(f.shape.grid.begin(1));
      if (border < f.lanes.end() - scaled(4))
        all.push_back({.name = QStringLiteral("slice"),
                       .word = QObject::tr("cell"),
                       .rect = handleBox({border, f.lanes.middle()}, 7),
                       .cursor = Qt::SizeHorCursor,
                       .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                         const TempoMap& map = was.session.plan()->map();
                         const double beats = (pull.to().x() - Frame(was).lanes.begin()) / was.axis.pxPerBeat;
                         Ornament o = was.ornament;
                         o.settings["slice"] =
                             timeFor(std::max(0.002, beats * 60 / map.bpmAt(o.start)), 0.002, pull.free, map, o.start);
                         return o;
                       },
                       .step = stepping("slice", nullptr),
                       .label = QObject::tr("cell %1").arg(textOf(c, "slice")),
                       .shown = OpenHandle::Label::active});
    }
    if (const QRectF box = takenBox(c); !box.isNull())
      all.push_back({.name = QStringLiteral("taken"),
                     .word = QObject::tr("transient"),
                     .rect = box,
                     .cursor = Qt::SizeHorCursor,
                     .mark = OpenHandle::Mark::none,
                     .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                       // The wave follows the hand: drawn to the left, the slice begins later.
                       return takenLater(was,
                                         (pull.press().x() - pull.to().x()) * takenSeconds() / takenBox(was).width());
                     },
                     .step = [](const OpenCanvas& now, int right, int) -> std::optional<Ornament> {
                       if (right == 0) return std::nullopt;
                       return takenLater(now, right / now.session.plan()->map().sampleRate()); // by a sample
                     },
                     .label = QObject::tr("slice offset %1").arg(textOf(c, "take_from_ms")),
                     .shown = OpenHandle::Label::active});
    return all;
  }

  QString sentence(const OpenCanvas& c, bool&) const override {
    const Frame f(c);
    const Pattern& all = f.lanes.pattern();
    const auto silent = static_cast<std::ptrdiff_t>(all.size()) - sounding(all);
    const QString rests = silent == 0 ? QString() : QObject::tr(", %1 of %2 silent").arg(silent).arg(all.size());
    const QString what = valueOf(c, "order").isNull() ? QObject::tr("first slice") : QObject::tr("slices");
    const QString steps = valueOf(c, "pattern").isNull() ? textOf(c, "slice") : textOf(c, "pattern");
    return f.shape.cells == 1 ? QObject::tr("%1 in 1 cell of %2%3").arg(what, steps, rests)
                              : QObject::tr("%1 in %2 cells of %3%4").arg(what).arg(f.shape.cells).arg(steps, rests);
  }

 private:
  struct Frame {
    explicit Frame(const OpenCanvas& c)
        : lanes(c, CellLanes::Levels::fromMiddle)
        , shape(c.placed()) {}
    /// Of a group, on the mean.
    double level(std::int64_t k, std::int64_t count) const {
      double sum = 0;
      for (std::int64_t i = k; i < k + count; ++i) {
        const SideGains g = shape.cell(i).gains;
        sum += std::min(1.0, std::max(g.left, g.right));
      }
      return sum / static_cast<double>(count);
    }
    CellLanes lanes;
    StutterShape shape;
  };

  // ---- where the slice was taken

  static double takenSeconds() { return 0.024; } // that are shown
  static const Seam* taken(const OpenCanvas& c) {
    const auto& facts = c.session.rows().chosen();
    if (!facts || facts->ornament != c.ornament.id || !facts->taken) return nullptr;
    return &*facts->taken;
  }
  /// Beside the ornament, where there is room; else in its corner.
  static QRectF takenBox(const OpenCanvas& c) {
    const Seam* s = taken(c);
    if (!s || s->row.size() < 8) return {};
    const double w = scaled(150), h = scaled(64);
    const FrameRange span = c.placed().span();
    const TempoMap& map = c.session.plan()->map();
    const double begin = c.axis.xOf(map.beatAt(span.begin)), end = c.axis.xOf(map.beatAt(span.end));
    double left = end + scaled(16);
    if (left + w > c.area.right() - 2) left = begin - scaled(16) - w;
    if (left < c.area.left() + 2) return {};
    return {left, c.area.top() + scaled(24), w, h};
  }
  static std::optional<Ornament> takenLater(const OpenCanvas& c, double seconds) {
    Ornament o = c.ornament;
    const double rate = c.session.plan()->map().sampleRate();
    const double now = *valueOf(c, "take_from_ms").number();
    // On a sample.
    const double frames = std::round((now / 1000 + seconds) * rate);
    o.settings["take_from_ms"] = std::clamp(std::round(frames / rate * 1e6) / 1000, -500.0, 500.0);
    return o;
  }
  static void paintTaken(QPainter& p, const OpenCanvas& c) {
    const QRectF box = takenBox(c);
    if (box.isNull()) return;
    const Seam& s = *taken(c);
    const Palette& ink = paper();
    p.setPen(QPen(ink.ink, 1));
    p.setBrush(ink.card);
    p.drawRect(box);
    float most = 1e-4f;
    for (const float v : s.row) most = std::max(most, std::abs(v));
    QPolygonF line;
    for (std::size_t k = 0; k < s.row.size(); ++k)
      line << QPointF(box.left() + (static_cast<double>(k) + 0.5) / static_cast<double>(s.row.size()) * box.width(),
                      box.center().y() - static_cast<double>(s.row[k] / most) * (box.height() / 2 - 5));
    p.setPen(QPen(ink.ink, 1.1));
    p.drawPolyline(line);
    // The click falls here: a third of the way, so that more is seen of what follows.
    const double x = box.left() + box.width() / 3;
    p.setPen(QPen(inkOf(c.ornament), 1.6));
    p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()));
    p.setPen(QPen(ink.quiet, 1, Qt::DotLine));
    p.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()));
    const TempoMap& map = c.session.plan()->map();
    const double ms = static_cast<double>((s.at - c.placed().span().begin).count) / map.sampleRate() * 1000;
    const QString words = std::abs(ms) < 0.05         ? QObject::tr("transient")
                          : c.ornament.source.empty() ? QObject::tr("slice offset %1 ms %2")
                                                            .arg(std::abs(ms), 0, 'f', 1)
                                                            .arg(ms < 0 ? QObject::tr("earlier") : QObject::tr("later"))
                                                      : QObject::tr("transient");
    drawSongText(p, QPointF(box.left() + 1, box.bottom() + scaled(14)), words, 13, true, ink.ink);
  }
};

} // namespace

std::unique_ptr<OpenDrawing> stutterDrawing() {
  return std::make_unique<StutterDrawing>();
}

} // namespace ivrin::app

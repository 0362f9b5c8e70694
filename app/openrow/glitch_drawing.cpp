// The open glitch: its steps as cells, each filled as far as it is likely to freeze; what chance drew stands in pencil:
// a tick on each step that fired, with the loop that it holds and a slur to where that was heard.
#include "app/openrow/cell_lanes.h"
#include "app/openrow/drawings.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/ornament_look.h"
#include "ornaments/glitch.h"

#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

class GlitchDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QString());
    const CellLanes lanes(c, CellLanes::Levels::fromFoot);
    const GlitchShape shape(c.placed());
    const double rate = c.session.plan()->map().sampleRate();
    const QColor hue = inkOf(c.ornament);
    QColor veil = hue, tick = hue;
    veil.setAlphaF(ink.night ? 0.22f : 0.15f);
    tick.setAlphaF(0.8f);
    lanes.eachSeen([&](std::int64_t k, std::int64_t count) {
      const QRectF box = lanes.box(k, count);
      double chance = 0;
      int fired = 0;
      for (std::int64_t i = k; i < k + count; ++i) {
        chance += lanes.step(i).level / static_cast<double>(count);
        fired += shape.drawn(i) ? 1 : 0;
      }
      const double h = box.height() * std::min(1.0, chance);
      p.fillRect(QRectF(box.left() + 0.5, box.bottom() - h, box.width() - 1, h), veil);
      p.setPen(QPen(ink.beatRule, 1));
      p.setBrush(Qt::NoBrush);
      p.drawRect(QRectF(box.left() + 0.5, box.top(), box.width() - 1, box.height()));
      if (chance > 0 && chance < 1) {
        p.setPen(QPen(hue, 1.4));
        p.drawLine(QPointF(box.left() + 1, box.bottom() - h), QPointF(box.right() - 1, box.bottom() - h));
      }
      if (fired == 0) return;
      p.setPen(QPen(hue, 2.2));
      const double top = box.top() + scaled(3);
      if (count > 1) { // as many of the group as fired
        p.drawLine(QPointF(box.left(), top),
                   QPointF(box.left() + box.width() * fired / static_cast<double>(count), top));
        return;
      }
      p.drawLine(QPointF(box.left() + 1, top), QPointF(box.right() - 1, top));
      const FrozenStep frozen = *shape.drawn(k);
      const FrameRange frames = shape.frames(k);
      const double loop = frozen.loopSeconds * rate, turn = loop / std::exp2(frozen.semitones / 12);
      if (lanes.width() > 9) { // every turn of the loop
        p.setPen(QPen(tick, 1));
        for (double at = 0; at < static_cast<double>(frames.length()); at += std::max(turn, 1.0)) {
          const double x = lanes.x(frames.begin + Frames(std::llround(at)));
          p.drawLine(QPointF(x, top), QPointF(x, top + scaled(9)));
          if (lanes.x(frames.begin + Frames(std::llround(at + turn))) - x < 2) break;
        }
      }
      const double from = lanes.x(frames.begin - Frames(std::llround(loop)));
      if (box.left() - from > scaled(5)) { // where it was heard
        QPainterPath slur;
        slur.moveTo(box.left(), top);
        slur.quadTo(QPointF((from + box.left()) / 2, top - scaled(13)), QPointF(from, top));
        p.setPen(QPen(tick, 1.2));
        p.drawPath(slur);
      }
      if (frozen.semitones != 0 && lanes.width() > scaled(24)) {
        p.setFont(sans(12));
        const QRectF at(box.center().x() - scaled(11), top + scaled(11), scaled(22), scaled(15));
        QColor ground = ink.card;
        ground.setAlphaF(0.85f);
        p.fillRect(at, ground);
        p.setPen(ink.ink);
        p.drawText(at, Qt::AlignCenter,
                   (frozen.semitones > 0 ? QStringLiteral("+") : QStringLiteral("\u2212")) +
                       QString::number(std::abs(frozen.semitones)));
      }
    });
    lanes.paint(p, hue);
    paintNeighbours(p, c);
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all = CellLanes(c, CellLanes::Levels::fromFoot).handles();
    for (OpenHandle& h : sourceHandles(c, QObject::tr("edge"))) all.push_back(std::move(h));
    return all;
  }

  QString sentence(const OpenCanvas& c, bool&) const override {
    const GlitchShape shape(c.placed());
    std::int64_t fired = 0;
    const std::int64_t end = std::min(shape.end(), shape.first() + 100000);
    for (std::int64_t k = shape.first(); k < end; ++k) fired += shape.drawn(k) ? 1 : 0;
    const QString roll = shape.kept() ? QObject::tr("locked") : QObject::tr("roll %1").arg(c.ornament.seed);
    return QObject::tr("%1 of %2 cells of %3 freeze (%4)")
        .arg(fired)
        .arg(shape.end() - shape.first())
        .arg(textOf(c, "step"), roll);
  }
};

} // namespace

std::unique_ptr<OpenDrawing> glitchDrawing() {
  return std::make_unique<GlitchDrawing>();
}

} // namespace ivrin::app

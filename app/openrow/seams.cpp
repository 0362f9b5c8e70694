// The places where an ornament leaves and meets its row, magnified: four milliseconds of what is really heard.
#include "app/openrow/open_drawing.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {

namespace {

QString seamWords(std::size_t i) {
  return i == 0 ? QObject::tr("start edge, ±2 ms") : QObject::tr("end edge, ±2 ms");
}

} // namespace

std::vector<QRectF> seamBoxes(const OpenCanvas& c, const std::vector<Frames>& seams, double clear,
                              const std::vector<OpenHandle>& handles) {
  std::vector<QRectF> boxes(seams.size());
  if (!c.session.plan()) return boxes;
  const TempoMap& map = c.session.plan()->map();
  std::vector<QRectF> taken = labelBoxes(handles, {}, c.area);
  for (const OpenHandle& h : handles)
    if (h.mark != OpenHandle::Mark::none) taken.push_back(handleBox(h.rect.center()));
  for (std::size_t i = 0; i < seams.size(); ++i) {
    const double x = c.axis.xOf(map.beatAt(seams[i]));
    const double w = std::max<double>(scaled(92), songTextWidth(seamWords(i), 13, true) + 4), h = scaled(44);
    const bool low = c.area.height() < 4 * h; // inside they would cover what they belong to
    // Outside the ornament, where there is room; else inside; at the drawing's head, over it, or at its foot.
    const double outside = i == 0 ? x - w - clear : x + clear, inside = i == 0 ? x + scaled(14) : x - w - scaled(14);
    for (const double left : {outside, inside}) {
      if (left == inside && low) break;
      for (const double top : {c.area.top() + scaled(44), c.area.top() + 3, c.area.bottom() - h - scaled(20)}) {
        const QRectF box(left, top, w, h + scaled(18)); // with its words
        const bool fits = box.left() >= c.area.left() + 2 && box.right() <= c.area.right() - 2 &&
                          std::none_of(taken.begin(), taken.end(), [&](const QRectF& t) { return t.intersects(box); });
        if (!fits) continue;
        boxes[i] = box;
        break;
      }
      if (!boxes[i].isNull()) break;
    }
    taken.push_back(boxes[i]);
  }
  return boxes;
}

void paintSeams(QPainter& p, const OpenCanvas& c, const std::vector<Frames>& seams, double clear,
                const std::vector<OpenHandle>& handles) {
  const auto& facts = c.session.rows().chosen();
  if (!facts || facts->ornament != c.ornament.id || !c.session.plan()) return;
  const Palette& ink = paper();
  const std::vector<QRectF> boxes = seamBoxes(c, seams, clear, handles);
  for (std::size_t i = 0; i < seams.size(); ++i) {
    const auto found =
        std::find_if(facts->seams.begin(), facts->seams.end(), [&](const Seam& s) { return s.at == seams[i]; });
    if (found == facts->seams.end() || found->row.size() < 8 || boxes[i].isNull()) continue;
    const QRectF box = boxes[i].adjusted(0, 0, 0, -scaled(18));
    const double w = box.width(), h = box.height();
    p.setPen(QPen(ink.ink, 1));
    p.setBrush(ink.card);
    p.drawRect(box);
    p.setPen(QPen(ink.quiet, 1, Qt::DashLine));
    p.drawLine(QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom()));
    float most = 1e-4f;
    for (const float v : found->row) most = std::max(most, std::abs(v));
    QPolygonF line;
    for (std::size_t k = 0; k < found->row.size(); ++k)
      line << QPointF(box.left() + (static_cast<double>(k) + 0.5) / static_cast<double>(found->row.size()) * w,
                      box.center().y() - static_cast<double>(found->row[k] / most) * (h / 2 - 4));
    p.setPen(QPen(ink.ink, 1.2));
    p.drawPolyline(line);
    const QString words = seamWords(i);
    QColor ground = ink.card;
    ground.setAlphaF(0.85f);
    p.fillRect(QRectF(box.left(), box.bottom() + 2, songTextWidth(words, 13, true) + 2, scaled(16)), ground);
    drawSongText(p, QPointF(box.left() + 1, box.bottom() + scaled(14)), words, 13, true, ink.ink);
  }
}

} // namespace ivrin::app

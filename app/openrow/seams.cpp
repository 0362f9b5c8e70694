// The places where an ornament leaves and meets its row, magnified: four milliseconds of what is really heard.
#include "app/openrow/open_drawing.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {

void paintSeams(QPainter& p, const OpenCanvas& c, const std::vector<Frames>& seams, double clear) {
  const auto& facts = c.session.rows().chosen();
  if (!facts || facts->ornament != c.ornament.id || !c.session.plan()) return;
  const Palette& ink = paper();
  const TempoMap& map = c.session.plan()->map();
  const double w = scaled(92), h = scaled(44);
  const bool low = c.area.height() < 4 * h; // they would cover what they belong to
  for (std::size_t i = 0; i < seams.size(); ++i) {
    const auto found =
        std::find_if(facts->seams.begin(), facts->seams.end(), [&](const Seam& s) { return s.at == seams[i]; });
    if (found == facts->seams.end() || found->row.size() < 8) continue;
    const double x = c.axis.xOf(map.beatAt(seams[i]));
    // Outside the ornament, where there is room; else inside.
    double left = i == 0 ? x - w - clear : x + clear;
    if (low && (left < c.area.left() + 2 || left + w > c.area.right() - 2)) continue;
    if (left < c.area.left() + 2) left = x + scaled(14);
    if (left + w > c.area.right() - 2) left = x - w - scaled(14);
    if (left < c.area.left() || left + w > c.area.right()) continue;
    const QRectF box(left, c.area.top() + scaled(44), w, h);
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
    const QString words = i == 0 ? QObject::tr("start edge, ±2 ms") : QObject::tr("end edge, ±2 ms");
    QColor ground = ink.card;
    ground.setAlphaF(0.85f);
    p.fillRect(QRectF(box.left(), box.bottom() + 2, songTextWidth(words, 13, true) + 2, scaled(16)), ground);
    drawSongText(p, QPointF(box.left() + 1, box.bottom() + scaled(14)), words, 13, true, ink.ink);
  }
}

} // namespace ivrin::app

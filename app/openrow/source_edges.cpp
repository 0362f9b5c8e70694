#include "app/openrow/open_drawing.h"

#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "manners/fitting.h"
#include "song/settings/setting_text.h"
#include "time/note_value.h"
#include "time/song_place.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {

void paintSourceEdges(QPainter& p, const OpenCanvas& c, const QString& label) {
  const Palette& ink = paper();
  const double a = c.axis.xOf(c.ornament.start), b = c.axis.xOf(c.ornament.span().end);
  QColor tint = ink.ink;
  tint.setAlphaF(ink.night ? 0.10f : 0.06f);
  p.fillRect(QRectF(a, c.area.top() + scaled(12), b - a, c.area.height() - scaled(16)), tint);
  p.setPen(QPen(ink.ink, 1.8));
  for (const double x : {a, b})
    p.drawLine(QPointF(x, c.area.top() + scaled(14)), QPointF(x, c.area.bottom() - scaled(4)));
  if (b - a > scaled(44))
    drawSongText(p, QPointF(a + scaled(6), c.area.bottom() - scaled(6)), label, 14, true, ink.quiet);
}

std::vector<OpenHandle> sourceHandles(const OpenCanvas& c, const QString& word) {
  const Beats least(kTicksPerQuarter / 64);
  const auto edge = [&](const char* name, Beats at, auto moved) {
    return OpenHandle{.name = QString::fromLatin1(name),
                      .word = word,
                      .rect = handleBox({c.axis.xOf(at), c.area.top() + scaled(12)}, 6),
                      .cursor = Qt::SizeHorCursor,
                      .mark = OpenHandle::Mark::box,
                      .pull = [moved](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                        Ornament o = was.ornament;
                        moved(o, beatUnder(pull, was));
                        return o;
                      }};
  };
  return {
      edge("begin", c.ornament.start,
           [least](Ornament& o, Beats at) {
             const Beats end = o.span().end;
             o.start = std::min(at, end - least);
             o.length = end - o.start;
           }),
      edge("end", c.ornament.span().end, [least](Ornament& o, Beats at) { o.length = std::max(at - o.start, least); })};
}

const Value& valueOf(const OpenCanvas& c, const char* key) {
  return settingOr(allKinds().find(c.ornament.kind)->table(), c.ornament.settings, key);
}

QString textOf(const OpenCanvas& c, const char* key) {
  return QString::fromStdString(settingText(*allKinds().find(c.ornament.kind)->table().find(key), valueOf(c, key)));
}

QString sentenceOf(const OpenDrawing& drawing, const OpenCanvas& c, bool& warn) {
  warn = false;
  if (!c.node) return QObject::tr("bypassed");
  warn = !c.node->plan.refusal.empty();
  return warn ? QString::fromStdString(c.node->plan.refusal) : drawing.sentence(c, warn);
}

double printHeight(const OpenCanvas& c) {
  if (!c.node || !c.node->print || !c.waves || !c.node->print->complete()) return 0;
  const double full = c.waves->fullScale(c.ornament.on);
  return std::min(1.0, static_cast<double>(c.node->print->peak()) / std::max(full, 1e-6)) * c.area.height() / 2;
}

void paintNeighbours(QPainter& p, const OpenCanvas& c) {
  const Palette& ink = paper();
  const TempoMap& map = c.session.plan()->map();
  const FrameRange source = map.frames(c.ornament.span());
  for (const FrameRange& phrase : joinedOver(c.session.rows().phrases(c.ornament.on), leastRest(map, c.ornament.start)))
    if (phrase.begin > source.end) {
      const double x = c.axis.xOf(map.beatAt(phrase.begin));
      if (x < c.area.right() - scaled(70))
        drawSongText(p, QPointF(x + scaled(6), c.area.bottom() - scaled(6)), QObject::tr("next phrase"), 14, true,
                     ink.quiet);
      break;
    }
  const auto& facts = c.session.rows().chosen();
  if (!facts || facts->ornament != c.ornament.id) return;
  for (const Collision& hit : facts->collisions) {
    const double a = c.axis.xOf(map.beatAt(hit.frames.begin)),
                 b = std::max(a + 4, c.axis.xOf(map.beatAt(hit.frames.end))), y = c.area.top() + scaled(18);
    p.setPen(QPen(ink.warning, 1.5));
    p.drawLine(QPointF(a, y), QPointF(b, y));
    p.drawLine(QPointF(a, y - 5), QPointF(a, y + 5));
    p.drawLine(QPointF(b, y - 5), QPointF(b, y + 5));
  }
}

Value timeFor(double seconds, double least, bool free, const TempoMap& map, Beats at) {
  if (free) return Value(std::round(std::clamp(seconds, least, 60.0) * 1e4) / 10);
  const auto values = allNoteValues(map, at);
  const auto off = [&](const NoteValue& n) { return std::abs(n.seconds(map, at).value - seconds); };
  return Value(std::min_element(values.begin(), values.end(), [&](const NoteValue& a, const NoteValue& b) {
                 return off(a) < off(b);
               })->text());
}

Beats beatUnder(const Pull& pull, const OpenCanvas& c) {
  const Beats at = c.axis.beatAt(pull.to().x());
  return pull.free || pull.grid.ticks <= 0 ? at : snapToGrid(at, pull.grid, c.session.plan()->map());
}

} // namespace ivrin::app

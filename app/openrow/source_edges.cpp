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

std::optional<QString> fractionText(double rest) {
  static const std::pair<double, const char*> parts[] = {{0, ""},        {1.0 / 8, "⅛"}, {0.25, "¼"},    {1.0 / 3, "⅓"},
                                                         {3.0 / 8, "⅜"}, {0.5, "½"},     {5.0 / 8, "⅝"}, {2.0 / 3, "⅔"},
                                                         {0.75, "¾"},    {7.0 / 8, "⅞"}};
  for (const auto& [value, text] : parts)
    if (std::abs(rest - value) < 1e-4) return QString::fromUtf8(text);
  return std::nullopt;
}

QString barWords(const TempoMap& map, Beats at) {
  return QString::fromStdString(barText(map, at));
}

QString spanWords(const TempoMap& map, Beats from, Beats length) {
  const double bar = map.meterAt(from).barLength().quarters(), beat = map.meterAt(from).beatLength().quarters();
  // Quarters, thirds and eighths of a beat as they are, up to a hundredth, so that four beats less a frame are a bar;
  // what is none of them to the nearest quarter.
  const double total = length.quarters() / beat;
  const auto is = [&](int part) { return std::abs(total * part - std::round(total * part)) < 0.01 * part; };
  const int part = is(4) ? 4 : is(3) ? 3 : is(8) ? 8 : 4;
  const double rounded = std::round(total * part) / part;
  const int bars = static_cast<int>(std::floor(rounded * beat / bar + 1e-6));
  const double beats = std::max(0.0, rounded - bars * bar / beat), whole = std::floor(beats + 1e-6);
  const QString over = fractionText(beats - whole).value_or(QString());
  QStringList words;
  if (bars > 0) words << QObject::tr("%n bar(s)", nullptr, bars);
  if (beats > 1e-6) {
    const QString n = (whole > 0 ? QString::number(whole) : QString()) + over;
    words << (beats > 1 + 1e-6 ? QObject::tr("%1 beats").arg(n) : QObject::tr("%1 beat").arg(n));
  }
  return words.isEmpty() ? QObject::tr("less than ¼ beat") : words.join(' ');
}

} // namespace ivrin::app

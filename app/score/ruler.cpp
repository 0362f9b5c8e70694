#include "app/score/ruler.h"

#include "app/score/score_picture.h"
#include "app/session/section_marks.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kBarNumber = 26; // room for a bar's number before what changes there
constexpr double kMarkSize = 13.5;
constexpr int kLeastBeatNumber = 56; // pixels from one number of the ruler to the next

/// A line up from the staves, on the very pixel that the grid's line stands on.
void tick(QPainter& p, double x, int height, const QColor& colour) {
  p.fillRect(QRectF(std::floor(x + 0.5 + 1e-4), Page::rulerHeight() - scaled(height), 1, scaled(height)), colour);
}

/// Zoomed in, beats have numbers too, and their sixteenths; no view is without one.
void paintBeatNumbers(QPainter& p, const ScorePicture& s, std::int64_t first, std::int64_t last) {
  const Palette& c = paper();
  const TempoMap& map = s.map();
  bool any = false;
  const double longest = scaled(60);
  const auto number = [&](double x, const BarPosition& at, int parts, const QColor& ink) {
    QString text = QStringLiteral("%1.%2").arg(at.bar).arg(at.beat);
    if (parts > 1)
      text += QStringLiteral(".%1").arg(at.tick * parts / map.meterAt(map.barStart(at.bar)).beatLength().ticks + 1);
    drawSongText(p, QPointF(x + scaled(4), scaled(38)), text, 12, true, ink);
    any = any || x >= s.axis.x0;
  };
  for (std::int64_t bar = first; bar <= last; ++bar) {
    const Beats start = map.barStart(bar);
    if (s.axis.xOf(start) >= s.axis.x0 && s.axis.xOf(start) < s.page.width()) any = true; // has its own
    const MeterEntry& meter = map.meterAt(start);
    const double beatPx = meter.beatLength().quarters() * s.axis.pxPerBeat;
    const int parts = beatPx / 4 >= scaled(kLeastBeatNumber) ? 4 : 1;
    if (beatPx < scaled(kLeastBeatNumber)) continue;
    const Beats step(meter.beatLength().ticks / parts);
    // Only those in view: deep in, a bar is far wider than the page.
    const auto from = std::max<std::int64_t>(1, (s.axis.beatAt(s.axis.x0 - longest) - start).ticks / step.ticks);
    for (std::int64_t n = from; step.ticks * n < meter.barLength().ticks; ++n) {
      const Beats at = start + Beats(step.ticks * n);
      const double x = s.axis.xOf(at);
      if (x > s.page.width()) break;
      if (x < s.axis.x0 - longest) continue; // those that begin before the page are cut by its edge
      tick(p, x, 12, c.beatRule);
      number(x, map.barAt(at), parts, c.quiet);
    }
  }
  if (!any) number(s.axis.x0, map.barAt(s.axis.beatAt(s.axis.x0)), 4, c.quiet); // where the page begins
}

} // namespace

std::vector<RulerName> rulerNames(const Song& song, const TimeAxis& axis, const std::optional<Landing>& current,
                                  bool onBar, double pageWidth, const std::vector<FoundSection>& proposed) {
  constexpr double kLongestName = 320;
  std::vector<RulerName> all;
  const auto marks = sectionMarks(song.sections);
  for (std::size_t i = 0; i < marks.size(); ++i) {
    const Landing& section = song.sections[i];
    RulerName n{marks[i].mark, marks[i].name, current && current->id == section.id};
    n.x = axis.xOf(section.at);
    n.box = QRectF(n.x - 1, scaled(4), songTextWidth(n.mark, 17, false) + scaled(9), scaled(20));
    n.at = n.box.right() + scaled(8);
    all.push_back(n);
  }
  for (const FoundSection& f : proposed) {
    RulerName n{asText(f.name), {}};
    n.proposed = true;
    n.x = axis.xOf(f.at);
    n.box = QRectF(n.x - 1, scaled(4), songTextWidth(n.mark, 17, false) + scaled(9), scaled(20));
    n.at = n.box.right() + scaled(8);
    all.push_back(n);
  }
  for (const Landing& l : song.landings) {
    RulerName n{{}, asText(l.name), onBar && current && current->id == l.id};
    n.x = axis.xOf(l.at);
    n.at = n.x + scaled(7);
    all.push_back(n);
  }
  std::sort(all.begin(), all.end(), [](const RulerName& a, const RulerName& b) { return a.x < b.x; });
  for (std::size_t i = 0; i < all.size(); ++i) {
    RulerName& n = all[i];
    const double from = n.at + (n.counts ? songTextWidth(QStringLiteral("+1"), 17, false) + scaled(9) : 0);
    const double room = (i + 1 < all.size() ? all[i + 1].x - scaled(5) : from + scaled(kLongestName)) - from;
    n.name = room < scaled(16) ? QString() : shortened(n.name, 16, true, std::min(room, 1.0 * scaled(kLongestName)));
    n.ends = from + songTextWidth(n.name, 16, true) + scaled(6);
  }
  std::erase_if(all, [&](const RulerName& n) { return n.ends < axis.x0 || n.x > pageWidth; });
  return all;
}

std::vector<GridMark> gridMarks(const Song& song, const TimeAxis& axis, double pageWidth) {
  std::vector<GridMark> marks;
  const auto add = [&](GridMark::Kind kind, Beats at, const QString& text) {
    double x = axis.xOf(at);
    if (kind != GridMark::Kind::barOne) x += scaled(kBarNumber);
    for (const GridMark& m : marks) // behind what stands there already
      if (m.at == at && m.kind != GridMark::Kind::barOne) x = m.box.right() + scaled(6);
    const double width = kind == GridMark::Kind::barOne ? scaled(14) : songTextWidth(text, kMarkSize, true);
    const QRectF box(x, Page::rulerHeight() - scaled(20), width + scaled(4), scaled(20));
    if (box.right() > axis.x0 && box.left() < pageWidth) marks.push_back({kind, at, box, text});
  };
  add(GridMark::Kind::barOne, Beats(0), QStringLiteral("1"));
  for (const TempoEntry& e : song.tempo)
    if (e.at > Beats(0)) add(GridMark::Kind::tempo, e.at, QStringLiteral("♩ = %1").arg(QString::number(e.bpm, 'g', 6)));
  for (const MeterEntry& e : song.meter)
    if (e.at > Beats(0)) add(GridMark::Kind::meter, e.at, QStringLiteral("%1/%2").arg(e.count).arg(e.unit));
  return marks;
}

void paintRuler(QPainter& p, const ScorePicture& s, const QRect& dirty) {
  const Palette& c = paper();
  const QRect ruler(0, 0, s.page.width(), Page::rulerHeight());
  if (!dirty.intersects(ruler)) return;
  p.save();
  p.setClipRect(ruler.intersected(dirty));
  p.fillRect(ruler, c.paper);
  const TempoMap& map = s.map();
  const double barPx = map.meterAt(s.axis.beatAt(s.axis.x0)).barLength().quarters() * s.axis.pxPerBeat;
  std::int64_t every = 1;
  while (static_cast<double>(every) * barPx < scaled(46)) every *= 2;
  const BarPosition home = map.barAt(s.landing ? s.landing->at : Beats(0));
  const bool onBar = home.beat == 1 && home.tick == 0;
  const std::int64_t first = map.barAt(s.axis.beatAt(s.axis.x0 - 60)).bar,
                     last = map.barAt(s.axis.beatAt(s.page.width() + 10)).bar;
  p.setClipRect(QRect(Page::marginWidth(), 0, s.page.width(), Page::rulerHeight()).intersected(dirty));
  const std::vector<RulerName> names = rulerNames(s.song(), s.axis, s.landing, onBar, s.page.width(), s.proposed);
  const auto covered = [&](double begin, double end) { // by a name, which says more
    return std::any_of(names.begin(), names.end(), [&](const RulerName& n) { return n.x < end && n.ends > begin; });
  };
  const auto landings = s.song().allLandings();
  std::int64_t from = home.bar + ((first - home.bar) / every - 1) * every;
  for (std::int64_t bar = from; bar <= last; bar += every) {
    const double x = s.axis.xOf(map.barStart(bar));
    tick(p, x, 16, c.barRule);
    const std::int64_t count = bar - home.bar;
    const bool atLanding = s.landing && count == 0 && onBar;
    const QString text =
        count < 0 ? QStringLiteral("\u2212%1").arg(-count) : QStringLiteral("+%1").arg(count + (onBar ? 1 : 0));
    if (!atLanding && !covered(x, x + scaled(9) + songTextWidth(text, 17, false)))
      drawSongText(p, QPointF(x + scaled(5), scaled(20)), text, 17, false, c.ink);
    const bool onLine = std::any_of(landings.begin(), landings.end(),
                                    [&](const Landing& l) { return l.at == map.barStart(bar); }); // whose line is thick
    drawSongText(p, QPointF(x + scaled(onLine ? 8 : 4), scaled(38)), QString::number(bar), 12, true, c.quiet);
  }
  if (every == 1) paintBeatNumbers(p, s, first, last);
  for (const GridMark& m : gridMarks(s.song(), s.axis, s.page.width())) {
    if (m.kind == GridMark::Kind::barOne) continue; // its number stands there
    p.fillRect(m.box.adjusted(-2, 2, 0, -2), c.paper);
    drawSongText(p, QPointF(m.box.left(), scaled(38)), m.text, kMarkSize, true, c.ink);
  }
  if (s.gridDrag) {
    const double x = s.axis.xOf(*s.gridDrag);
    p.setPen(QPen(c.ink, 2));
    p.drawLine(QPointF(x, Page::rulerHeight() - scaled(20)), QPointF(x, Page::rulerHeight()));
  }
  for (const RulerName& n : names) {
    const bool section = !n.mark.isEmpty();
    if (section) {
      p.fillRect(n.box, c.paper);
      const QColor ink = n.proposed ? c.quiet : c.ink;
      p.setPen(QPen(ink, 1.3, n.proposed ? Qt::DotLine : Qt::SolidLine));
      p.drawRect(n.box);
      drawSongText(p, QPointF(n.box.left() + scaled(4.5), scaled(20)), n.mark, 17, false, ink);
    }
    double at = n.at;
    if (n.counts) at += drawSongText(p, QPointF(at, scaled(20)), QStringLiteral("+1"), 17, false, c.ink) + scaled(9);
    drawSongText(p, QPointF(at, scaled(20)), n.name, 16, true, c.ink);
  }
  p.restore();
  p.setPen(QPen(c.barRule, 1));
  p.drawLine(QPointF(scaled(24), Page::rulerHeight() - 0.5), QPointF(s.page.width(), Page::rulerHeight() - 0.5));
}

} // namespace ivrin::app

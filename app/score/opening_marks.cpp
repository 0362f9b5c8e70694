#include "app/score/opening_marks.h"

#include "app/faces/face.h"
#include "app/openrow/open_drawing.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <algorithm>
#include <map>
#include <set>

namespace ivrin::app {
namespace {

constexpr int kSignWidth = 20, kSignHeight = 14, kApart = 6;
constexpr double kWordSize = 11;

} // namespace

QString openingWords(const Opening& o, const TempoMap& map) {
  const QString beats = spanWords(map, o.place.begin, o.place.length());
  switch (o.kind) {
  case Opening::Kind::gap:
    return QObject::tr("rest, %1").arg(beats);
  case Opening::Kind::held:
    return QObject::tr("held note, %1").arg(beats);
  case Opening::Kind::hit:
    return QObject::tr("hit, %1 free").arg(beats);
  case Opening::Kind::landing:
    return QObject::tr("before the landing");
  case Opening::Kind::turn:
    return QObject::tr("turnaround, %1").arg(beats);
  }
  return {};
}

QString openingSign(const Opening& o) {
  return o.suits.empty() ? QString() : QString::fromStdString(o.suits.front());
}

void OpeningMarks::show(std::vector<RankedOpening> all, const TempoMap& map) {
  all_ = std::move(all);
  map_ = map;
  laidAt_ = 0;
}

const std::vector<OpeningMarks::Mark>& OpeningMarks::at(double pxPerBeat) const {
  if (laidAt_ == pxPerBeat) return laid_;
  laidAt_ = pxPerBeat;
  laid_.clear();
  std::vector<const RankedOpening*> best;
  for (const RankedOpening& o : all_) best.push_back(&o);
  std::stable_sort(best.begin(), best.end(),
                   [](const RankedOpening* a, const RankedOpening* b) { return a->opening.score > b->opening.score; });
  std::map<std::string, std::set<double>> signs; // where they start, of each row
  const double wide = scaled(kSignWidth + kApart);
  std::vector<const RankedOpening*> kept;
  for (const RankedOpening* o : best) {
    auto& row = signs[o->opening.row];
    const double x = o->opening.place.begin.quarters() * pxPerBeat;
    const auto after = row.lower_bound(x);
    if (after != row.end() && *after < x + wide) continue;
    if (after != row.begin() && *std::prev(after) > x - wide) continue;
    row.insert(x);
    kept.push_back(o);
  }
  const QFontMetricsF metrics(sans(kWordSize));
  for (const RankedOpening* o : kept) {
    const double x = o->opening.place.begin.quarters() * pxPerBeat;
    const auto& row = signs[o->opening.row];
    const auto after = row.upper_bound(x);
    const QString words = openingWords(o->opening, map_);
    const double width = metrics.horizontalAdvance(words);
    laid_.push_back({o->opening, o->rank == RankedOpening::Rank::best, words, width,
                     after == row.end() || *after > x + wide + width + scaled(kApart)});
  }
  return laid_;
}

QRectF OpeningMarks::boxOf(const Opening& o, const Page& page, const TimeAxis& axis) {
  const RowBox* r = page.row(o.row);
  if (!r) return {};
  const double h = std::min<double>(scaled(kSignHeight), r->staffHeight), w = h * kSignWidth / kSignHeight;
  return {axis.xOf(o.place.begin), r->staffTop + r->staffHeight - h, w, h};
}

const Opening* OpeningMarks::under(QPointF p, const Page& page, const TimeAxis& axis, const Song& song) const {
  if (empty() || p.x() < axis.x0) return nullptr;
  for (const Mark& m : at(axis.pxPerBeat)) {
    QRectF box = boxOf(m.opening, page, axis).adjusted(-2, -4, 2, 2); // twenty pixels high
    if (m.worded) box.setRight(box.right() + m.width + scaled(kApart));
    if (box.contains(p) && !isTaken(m.opening, song)) return &m.opening;
  }
  return nullptr;
}

void OpeningMarks::paint(QPainter& p, const Page& page, const TimeAxis& axis, const RenderPlan& plan,
                         const Opening* hot) const {
  const Song& song = plan.song();
  const Palette& c = paper();
  for (const Mark& m : at(axis.pxPerBeat)) {
    const QRectF box = boxOf(m.opening, page, axis);
    const double end = axis.xOf(m.opening.place.end);
    if (box.isNull() || std::max(end, box.right() + scaled(120)) < axis.x0 || box.left() > page.width() ||
        isTaken(m.opening, song))
      continue;
    const RowBox* r = page.row(m.opening.row);
    const bool isHot = &m.opening == hot;
    const QColor ink = isHot || m.best ? c.ink : c.quiet;
    const bool worded = (m.worded || isHot) && !r->thin;
    QColor ground = r->open ? c.card : c.paper;
    ground.setAlphaF(0.8f);
    QRectF under = box;
    if (worded) under.setRight(under.right() + m.width + scaled(kApart));
    p.fillRect(under.adjusted(-1, -1, 2, 1), ground);
    p.setPen(QPen(ink, isHot || m.best ? 1.4 : 1, m.best ? Qt::SolidLine : Qt::DotLine));
    p.drawLine(QPointF(box.left(), box.bottom() + 1), QPointF(std::max(end, box.left() + 2), box.bottom() + 1));
    drawSign(p, openingSign(m.opening), box.adjusted(2, 1, -2, -2), ink);
    if (!worded) continue;
    p.setFont(sans(kWordSize));
    p.setPen(ink);
    p.drawText(QRectF(box.right() + 3, box.top(), m.width + 4, box.height()), Qt::AlignLeft | Qt::AlignVCenter,
               m.words);
  }
}

} // namespace ivrin::app

// The pencil marks on the score: signs, brackets, slurs, selections, landing lines, the playhead.
#include "app/faces/face.h"
#include "app/openrow/open_drawing.h"
#include "app/score/magnifier.h"
#include "app/score/score_picture.h"
#include "app/theme/engraving.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/ornament_look.h"
#include "manners/collision_answers.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

/// "1⅓ beats", "2 bars", "¾ beat": the lengths people say.
QString lengthText(double quarters) {
  const double whole = std::floor(quarters + 1e-6);
  if (const auto over = fractionText(std::abs(quarters - whole))) {
    const QString n = whole > 0 || over->isEmpty() ? QString::number(static_cast<int>(whole)) : QString();
    return (quarters > 1 ? QObject::tr("%1 beats") : QObject::tr("%1 beat")).arg(n + *over);
  }
  return QObject::tr("%1 beats").arg(quarters, 0, 'f', 2);
}

/// What can be taken hold of: the source between its ticks, the lead-in and tail that can be pulled as small circles.
void paintBracket(QPainter& p, const ScorePicture& s, const OrnamentBox& b, const Ornament& o) {
  const Palette& c = paper();
  const bool marked = s.marked.contains(b.id);
  const QColor ink = inkOf(o);
  const double y = b.bracketY, tick = scaled(5);
  QColor ground = c.card;
  ground.setAlphaF(0.86f);
  if (marked) p.fillRect(b.sign.adjusted(-3, -2, 3, 2), ground);
  // On a rim of paper, so that it is seen over the ink of a wave.
  const QPolygonF line({{b.begin, y + tick}, {b.begin, y}, {b.end, y}, {b.end, y + tick}});
  p.setPen(QPen(ground, marked ? 5.5 : 5, Qt::SolidLine, Qt::SquareCap));
  p.drawPolyline(line);
  p.drawLine(QPointF(b.leadX, y), QPointF(b.tailX, y));
  p.setPen(QPen(c.ink, marked ? 2.2 : 1.5, Qt::SolidLine, Qt::FlatCap));
  p.drawPolyline(line);
  const Kind* kind = allKinds().find(o.kind);
  if (!kind || !s.plan) return;
  const Placed placed{o, s.plan->context()};
  p.setPen(QPen(ink, 1.3, Qt::DashLine));
  if (b.tailX > b.end + 2) p.drawLine(QPointF(b.end, y), QPointF(b.tailX, y));
  if (b.leadX < b.begin - 2) p.drawLine(QPointF(b.leadX, y), QPointF(b.begin, y));
  p.setPen(QPen(c.ink, 1.4));
  p.setBrush(c.card);
  const double r = scaled(4);
  if (b.landingX && std::abs(*b.landingX - b.end) > 2 && kind->withLandingAt(placed, o.span().end)) { // a lozenge
    const QPointF m(*b.landingX, y);
    p.drawPolygon(
        QPolygonF({m + QPointF(0, -r - 1), m + QPointF(r + 1, 0), m + QPointF(0, r + 1), m + QPointF(-r - 1, 0)}));
  }
  if (kind->withTailEnd(placed, o.span().end)) p.drawEllipse(QPointF(b.tailX, y), r, r);
  if (kind->withLeadBegin(placed, o.start)) p.drawEllipse(QPointF(b.leadX, y), r, r);
  p.setBrush(Qt::NoBrush);
}

void paintOrnaments(QPainter& p, const ScorePicture& s, const QRect& dirty) {
  const Palette& c = paper();
  for (const OrnamentBox& b : s.ornaments->all()) {
    const bool bracket = b.id == s.hot || s.marked.contains(b.id);
    const QRectF reach =
        bracket ? QRectF(b.leadX - 10, b.sign.top() - 4, b.tailX - b.leadX + 20, b.bracketY - b.sign.top() + 16)
                      .united(b.sign.adjusted(-scaled(16), -4, 4, 4))
                : b.sign.adjusted(-scaled(16), -2, 2, 2);
    if (!reach.toAlignedRect().intersects(dirty)) continue;
    const Ornament* o = s.plan->ornament(b.id);
    if (!o) continue;
    if (bracket) paintBracket(p, s, b, *o);
    if (b.lanes > 1) { // in a lane it may stand on the ink of the wave
      QColor ground = c.paper;
      ground.setAlphaF(0.86f);
      p.fillRect(b.sign.united(b.number).adjusted(-1, 0, 2, 0), ground);
    }
    drawSign(p, QString::fromStdString(o->kind), b.sign, inkOf(*o));
    if (s.proposedOrnaments.contains(b.id)) { // in pencil still: dots as far as it reaches
      p.setPen(QPen(inkOf(*o), 1.6, Qt::DotLine));
      p.setBrush(Qt::NoBrush);
      p.drawRoundedRect(b.sign.adjusted(-3, -3, 3, 3), 3, 3);
      p.drawLine(QPointF(b.leadX, b.bracketY), QPointF(b.tailX, b.bracketY));
    }
    if (!b.number.isEmpty()) {
      p.setFont(sans(10.5, b.id == s.hot ? Weight::semibold : Weight::regular));
      p.setPen(b.id == s.hot ? c.ink : c.quiet);
      p.drawText(b.number.adjusted(0, 0, -2, 0), Qt::AlignRight | Qt::AlignVCenter, QString::number(b.order + 1));
    }
    // What is not computed to its end yet is told by a dotted rule.
    const auto node = s.plan->node(o->id);
    if (node && node->print && !node->print->complete()) {
      p.setPen(QPen(c.blue, 1.2, Qt::DotLine));
      const double from = s.axis.xOf(s.map().beatAt(node->print->ready()));
      p.drawLine(QPointF(from, b.sign.bottom()), QPointF(from + scaled(60), b.sign.bottom()));
    }
  }
}

/// What is being computed: dotted where it will stand, about.
void paintPending(QPainter& p, const ScorePicture& s) {
  const Palette& c = paper();
  for (const Pending& one : s.pending) {
    const QRect staff = s.page.staffOf(one.row);
    if (staff.isNull()) continue;
    const double a = std::max<double>(s.axis.xOf(one.stretch.begin), staff.left()),
                 b = std::min<double>(s.axis.xOf(one.stretch.end), staff.right());
    if (b <= a) continue;
    p.setPen(QPen(c.blue, 1.4, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    p.drawRoundedRect(QRectF(a, staff.top() + 2, b - a, staff.height() - 4), 3, 3);
    const double size = scaled(16);
    drawSign(p, QString::fromStdString(one.kind), QRectF(a + 3, staff.top() + 4, size, size), c.blue);
    drawSongText(p, QPointF(a + size + scaled(8), staff.top() + scaled(16)), QObject::tr("rendering"), 14, true,
                 c.quiet);
  }
}

/// What is tied to a landing: a slur from its sign to the line.
void paintTies(QPainter& p, const ScorePicture& s) {
  for (const OrnamentBox& b : s.ornaments->all()) {
    const Ornament* o = s.plan->ornament(b.id);
    if (!o || !o->landing) continue;
    const auto l = s.song().landingById(*o->landing);
    if (!l) continue;
    const double x = s.axis.xOf(l->at);
    if (std::max(x, b.sign.right()) < s.axis.x0 || std::min(x, b.sign.left()) > s.page.width()) continue;
    const auto slur = tieSlur(b, x);
    if (!slur) continue;
    QColor ink = inkOf(*o);
    ink.setAlphaF(0.75f);
    drawSlur(p, slur->from, slur->to, slur->bulge, ink, 1.3);
  }
}

/// What the open ornament lies over, at the foot of the rows: hatched where it is as loud as they are in their own
/// octaves, a thin line where it is under them.
void paintCovered(QPainter& p, const ScorePicture& s, const QRect& dirty) {
  for (const Collision& c : s.over) {
    const RowBox* row = s.page.row(c.row);
    if (!row) continue;
    const double a = std::max(s.axis.xOf(s.map().beatAt(c.frames.begin)), double(s.axis.x0)),
                 b = std::min(s.axis.xOf(s.map().beatAt(c.frames.end)), double(s.page.width()));
    const double height = scaled(5), foot = row->y + row->height - scaled(1) - 0.5;
    const QRectF strip(a, foot - height, b - a, height + 1);
    if (b <= a || !strip.toAlignedRect().intersects(dirty)) continue;
    QColor ink = paper().warning;
    const bool covers = c.db > kAnsweredOverDb;
    ink.setAlphaF(covers ? 0.9f : 0.45f);
    p.setPen(QPen(ink, 1));
    p.drawLine(QPointF(a, foot), QPointF(b, foot));
    if (!covers) continue;
    p.save();
    p.setClipRect(strip, Qt::IntersectClip);
    const double step = scaled(5); // strokes stand still while the view travels
    const double from = a - std::fmod(a - s.axis.xOf(Beats(0)), step) - 2 * step;
    for (double x = from; x < b + step; x += step) p.drawLine(QPointF(x, foot), QPointF(x + height, foot - height));
    p.restore();
  }
}

/// Sources taken from elsewhere: a hatched frame where the sound comes from, joined to the ornament by a slur.
void paintPieces(QPainter& p, const ScorePicture& s) {
  const Palette& c = paper();
  for (const PieceBox& piece : s.pieces) {
    const Ornament* o = s.plan->ornament(piece.ornament);
    const QColor ink = inkOf(*o);
    QColor tint = ink;
    tint.setAlphaF(c.night ? 0.16f : 0.10f);
    p.fillRect(piece.rect, tint);
    p.setPen(QPen(ink, 1.5));
    const double hook = scaled(5);
    for (const auto& [x, d] : {std::pair{piece.rect.left(), hook}, {piece.rect.right(), -hook}})
      p.drawPolyline(QPolygonF(
          {{x + d, piece.rect.top()}, {x, piece.rect.top()}, {x, piece.rect.bottom()}, {x + d, piece.rect.bottom()}}));
    QPointF to;
    if (const OrnamentBox* b = s.ornaments->box(piece.ornament))
      to = QPointF(b->sign.left() + 2, b->sign.center().y());
    else if (piece.ornament == s.open)
      to = QPointF(s.axis.xOf(o->start), s.page.openArea().top() + scaled(12));
    else
      continue;
    const QPointF from(piece.rect.center().x(), piece.rect.top());
    const double span = std::hypot(to.x() - from.x(), to.y() - from.y());
    QColor slur = ink;
    slur.setAlphaF(0.8f);
    drawSlur(p, from, to, std::clamp(span * 0.16, 6.0, scaled(26) * 1.0), slur, 1.8);
  }
}

/// The keyboard's place: a stroke with feet on its row, and the row itself told at the margin.
void paintCaret(QPainter& p, const ScorePicture& s) {
  const QRect staff = s.page.staffOf(s.caret->row);
  p.setPen(Qt::NoPen);
  p.setBrush(paper().ink);
  p.drawRect(QRectF(s.axis.x0 + 1, staff.top(), scaled(3), staff.height()));
  p.setBrush(Qt::NoBrush);
  if (!s.caret->at) return;
  const double x = s.axis.xOf(*s.caret->at), foot = scaled(4);
  QPen pen(paper().ink, 1.6);
  pen.setCapStyle(Qt::RoundCap);
  p.setPen(pen);
  p.drawLine(QPointF(x, staff.top()), QPointF(x, staff.bottom()));
  for (const auto& [y, up] : {std::pair{staff.top() - 1.0, -1}, {staff.bottom() + 1.0, 1}})
    p.drawPolyline(QPolygonF({{x - foot, y + up * foot}, {x, y}, {x + foot, y + up * foot}}));
}

void paintSelection(QPainter& p, const ScorePicture& s) {
  if (!s.selection) return;
  const Palette& c = paper();
  const QRect staff = s.page.staffOf(s.selection->rows());
  const double a = s.axis.xOf(s.selection->begin), b = s.axis.xOf(s.selection->end);
  const double top = staff.top() - 1, bottom = staff.bottom() + 1;
  QColor tint = c.ink;
  tint.setAlphaF(c.night ? 0.14f : 0.09f);
  for (const std::string& row : s.selection->rows()) {
    const QRect own = s.page.staffOf(row);
    p.fillRect(QRectF(a, own.top() - 1, b - a, own.height() + 2), tint);
  }
  p.setPen(QPen(c.ink, 2));
  p.drawLine(QPointF(a, top), QPointF(a, bottom));
  p.drawLine(QPointF(b, top), QPointF(b, bottom));
  p.setPen(QPen(c.ink, 1.4));
  p.setBrush(c.card);
  for (const double x : {a, b}) p.drawRect(QRectF(x - scaled(4), top - scaled(4), scaled(8), scaled(8)));
  const QString text = lengthText((s.selection->end - s.selection->begin).quarters());
  const double tx = b + scaled(8), ty = bottom - scaled(8);
  QColor ground = c.paper;
  ground.setAlphaF(0.82f);
  p.fillRect(QRectF(tx - 2, ty - scaled(12), songTextWidth(text, 14, true) + 4, scaled(16)), ground);
  drawSongText(p, QPointF(tx, ty), text, 14, true, c.ink);
  if (!s.strip.isNull()) { // a fine line leads to the strip
    p.setPen(QPen(c.ink, 1));
    const QRect to = s.strip;
    p.drawLine(QPointF(b, to.top() > ty ? bottom : top),
               QPointF(to.left(), to.top() > ty ? to.top() + scaled(10) : to.bottom() - scaled(10)));
  }
}

/// While something is dragged: what it stands in line with, the attacks of its row, its edge under the lens.
void paintDragMarks(QPainter& p, const ScorePicture& s) {
  const Palette& c = paper();
  const int bottom = s.page.bottom();
  for (const AlignmentMark& m : s.alignments) {
    const double x = s.axis.xOf(m.at);
    p.setPen(QPen(c.ink, 1, Qt::DashLine));
    p.drawLine(QPointF(x, Page::rulerHeight()), QPointF(x, bottom));
    const double w = songTextWidth(m.what, 13, true) + scaled(8);
    const QRectF card(x + 3, Page::rulerHeight() + 2, w, scaled(17));
    p.fillRect(card, c.card);
    drawSongText(p, QPointF(card.left() + scaled(4), card.bottom() - scaled(4)), m.what, 13, true, c.ink);
  }
  if (!s.lens) return;
  const QRect staff = s.page.staffOf(s.lens->row);
  const TempoMap& map = s.map();
  p.setPen(QPen(c.quiet, 1.2));
  for (const Frames& f : s.lens->onsets) {
    const double x = s.axis.xOf(map.beatAt(f));
    if (x < s.axis.x0 || x > s.page.width()) continue;
    p.drawLine(QPointF(x, staff.bottom() - scaled(5)), QPointF(x, staff.bottom() + 1));
  }
  paintMagnifier(p, s.lens->box, s.plan, s.lens->onsets, s.lens->row, s.lens->at);
}

} // namespace

void paintMarks(QPainter& p, const ScorePicture& s, const QRect& dirty, const std::function<void(QPainter&)>& open) {
  const Palette& c = paper();
  p.save();
  p.setClipRect(QRect(Page::marginWidth(), 0, s.page.width(), s.page.height()).intersected(dirty));
  const int top = Page::rulerHeight(), bottom = s.page.bottom();
  // Landings: the current one a strong double line, the others quiet.
  for (const Landing& l : s.song().allLandings()) {
    const double x = s.axis.xOf(l.at);
    if (x < -20 || x > s.page.width() + 20) continue;
    const bool current = s.landing && l.id == s.landing->id;
    const double from = current ? scaled(4) : top, thick = current ? 2.6 : 1.2;
    p.fillRect(QRectF(x - thick / 2, from, thick, bottom - from), c.ochre);
    if (current) p.fillRect(QRectF(x + 4, scaled(24), 1.1, bottom - scaled(24)), c.ochre);
  }
  p.setPen(QPen(c.quiet, 1.2, Qt::DotLine));
  for (const FoundSection& f : s.proposed)
    if (const double x = s.axis.xOf(f.at); x > -2 && x < s.page.width() + 2)
      p.drawLine(QPointF(x, top), QPointF(x, bottom));
  p.save();
  if (s.page.scrollY > 0) // what lies scrolled under the ruler does not reach into it
    p.setClipRect(QRect(Page::marginWidth(), top, s.page.width(), s.page.height()).intersected(dirty));
  paintTies(p, s);
  paintPending(p, s);
  paintPieces(p, s);
  paintCovered(p, s, dirty);
  if (open) {
    p.save();
    p.setClipRect(s.page.openArea().adjusted(0, -2, scaled(14), 2), Qt::IntersectClip);
    open(p);
    p.restore();
  }
  if (s.openings) s.openings->paint(p, s.page, s.axis, *s.plan, s.hotOpening);
  paintOrnaments(p, s, dirty);
  paintSelection(p, s);
  if (s.caret) paintCaret(p, s);
  p.restore();
  paintDragMarks(p, s);
  // The playhead.
  const double x = s.playheadX;
  QPainterPath flag;
  flag.moveTo(x - scaled(6), Page::rulerHeight() - scaled(17));
  flag.lineTo(x + scaled(6), Page::rulerHeight() - scaled(17));
  flag.lineTo(x, Page::rulerHeight() - scaled(8));
  flag.closeSubpath();
  p.setPen(Qt::NoPen);
  p.setBrush(c.ink);
  p.drawPath(flag);
  p.setPen(QPen(c.ink, 1.2));
  p.drawLine(QPointF(x, Page::rulerHeight() - scaled(12)), QPointF(x, bottom));
  p.restore();
}

} // namespace ivrin::app

#include "app/score/ornament_hand.h"

#include "app/theme/type.h"
#include "app/words/ornament_look.h"
#include "song/edits.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kReach = 6;           // pixels
constexpr double kMagnetPixels = 4;    // how near a line draws what is dragged
constexpr double kHeardSeconds = 0.02; // how far a phrase's edge may lie from where it was heard
const Beats kLeast(kTicksPerQuarter / 64);

} // namespace

std::vector<PieceBox> OrnamentHand::pieces(const std::vector<RowBox>& rows, const TimeAxis& axis) const {
  std::vector<PieceBox> all;
  for (const auto& o : session_.song().ornaments)
    for (std::size_t i = 0; i < o->source.size(); ++i) {
      const SourcePiece& s = o->source[i];
      for (const RowBox& r : rows)
        if (r.id == s.row.value_or(o->on))
          all.push_back(
              {o->id, i,
               QRectF(axis.xOf(s.start), r.staffTop, axis.xOf(s.start + s.length) - axis.xOf(s.start), r.staffHeight)});
    }
  return all;
}

Hold OrnamentHand::under(QPointF p, const OrnamentLayout& layout, const std::vector<PieceBox>& pieces,
                         const std::string& hot) const {
  // The bracket lies close under its sign and is the smaller of the two: it comes first.
  if (const OrnamentBox* b = layout.box(hot);
      b && p.y() > b->sign.bottom() && std::abs(p.y() - b->bracketY) <= kReach + 2) {
    const Ornament* o = session_.song().ornament(hot);
    const auto near = [&](double x) { return std::abs(p.x() - x) <= kReach; };
    const Kind* kind = o ? allKinds().find(o->kind) : nullptr;
    if (kind && session_.plan()) {
      const Placed placed{*o, session_.plan()->context()};
      if (near(b->begin)) return {Grip::begin, hot, 0};
      if (near(b->end)) return {Grip::end, hot, 0};
      if (b->landingX && near(*b->landingX) && kind->withLandingAt(placed, o->span().end))
        return {Grip::landing, hot, 0};
      if (near(b->tailX) && kind->withTailEnd(placed, o->span().end)) return {Grip::tail, hot, 0};
      if (near(b->leadX) && kind->withLeadBegin(placed, o->start)) return {Grip::lead, hot, 0};
    }
    if (p.x() > b->begin && p.x() < b->end) return {Grip::body, hot, 0};
  }
  if (const OrnamentBox* b = layout.at(p))
    return {!b->number.isEmpty() && b->number.contains(p) ? Grip::order : Grip::body, b->id, 0};
  for (const PieceBox& box : pieces) { // a source elsewhere is taken by its edges, or by its upper rim
    if (!box.rect.adjusted(-kReach, -kReach, kReach, 0).contains(p)) continue;
    if (std::abs(p.x() - box.rect.left()) <= kReach) return {Grip::pieceBegin, box.ornament, box.piece};
    if (std::abs(p.x() - box.rect.right()) <= kReach) return {Grip::pieceEnd, box.ornament, box.piece};
    if (p.y() <= box.rect.top() + 2 * kReach) return {Grip::piece, box.ornament, box.piece};
  }
  return {};
}

Qt::CursorShape OrnamentHand::cursorFor(Grip g) {
  switch (g) {
  case Grip::none:
    return Qt::ArrowCursor;
  case Grip::body:
    return Qt::PointingHandCursor;
  case Grip::order:
    return Qt::SizeVerCursor;
  case Grip::piece:
    return Qt::SizeAllCursor;
  default:
    return Qt::SizeHorCursor;
  }
}

/// Landings and the edges of all other ornaments and of the dragged rows' phrases.
std::vector<AlignmentMark> OrnamentHand::lines() const {
  std::vector<AlignmentMark> all;
  for (const Landing& l : session_.song().allLandings()) all.push_back({l.at, QString::fromStdString(l.name)});
  std::set<std::string> rows;
  for (const auto& o : session_.song().ornaments) {
    if (o->id == hold_.ornament || together_.contains(o->id)) {
      rows.insert(o->on);
      continue;
    }
    const QString name = kindWord(o->kind);
    all.push_back({o->start, name});
    all.push_back({o->span().end, name});
  }
  const TempoMap& map = session_.plan()->map();
  for (const std::string& row : rows)
    for (const FrameRange& phrase : session_.rows().phrases(row)) {
      all.push_back({map.beatAt(phrase.begin), QObject::tr("phrase"), true});
      all.push_back({map.beatAt(phrase.end), QObject::tr("phrase"), true});
    }
  return all;
}

void OrnamentHand::take(const Hold& hold, QPointF at, std::set<std::string> together, const TimeAxis&) {
  hold_ = hold;
  press_ = at;
  before_ = session_.song();
  together_ = std::move(together);
  marks_.clear();
  edge_.reset();
  lines_ = lines();
}

/// On the grid unless free; a line within a few pixels draws it, grid or not.
Beats OrnamentHand::settled(Beats b, const Move& m, const TimeAxis& axis) {
  if (m.free) return b;
  const AlignmentMark* best = nullptr;
  for (const AlignmentMark& l : lines_)
    if (std::abs((l.at - b).quarters()) * axis.pxPerBeat <= kMagnetPixels &&
        (!best || std::abs((l.at - b).ticks) < std::abs((best->at - b).ticks)))
      best = &l;
  if (m.grid.ticks <= 0) return best ? best->at : b;
  const TempoMap& map = session_.plan()->map();
  // What was only heard is no nearer than some milliseconds: where the grid lies there too, the grid is meant.
  if (best && best->heard) {
    const Beats there = snapToGrid(best->at, m.grid, map);
    const double apart = static_cast<double>((map.frameAt(there) - map.frameAt(best->at)).count);
    if (std::abs(apart) <= kHeardSeconds * map.sampleRate()) return there;
  }
  return best ? best->at : snapToGrid(b, m.grid, map);
}

void OrnamentHand::align(const std::vector<Beats>& edges) {
  marks_.clear();
  for (const Beats& e : edges)
    for (const AlignmentMark& l : lines_)
      if (std::abs((l.at - e).ticks) <= 1 &&
          std::none_of(marks_.begin(), marks_.end(), [&](const auto& k) { return k.at == l.at; }))
        marks_.push_back(l);
}

void OrnamentHand::drag(const Move& m, const TimeAxis& axis) {
  const Ornament* was = before_.ornament(hold_.ornament);
  if (!was || !session_.plan()) return;
  Ornament o = *was;
  const QString name = kindWord(o.kind);
  const Kind& kind = *allKinds().find(o.kind);
  const Beats moved = Beats::ofQuarters((m.to.x() - press_.x()) / axis.pxPerBeat);
  edge_.reset();
  QString what;
  Song next = before_;
  const auto piece = [&]() -> SourcePiece& { return o.source[hold_.piece]; };
  switch (hold_.grip) {
  case Grip::none:
    return;
  case Grip::body: {
    if (m.elsewhere) { // the ornament stays, its source goes
      SourcePiece s{m.row.empty() || m.row == o.on ? std::nullopt : std::optional(m.row), was->start, was->length, 0};
      s.start = settled(was->start + moved, m, axis);
      const bool home = !s.row && s.start == was->start;
      o.source.clear();
      if (!home) o.source.push_back(s);
      what = QObject::tr("change source of %1").arg(name);
      next = withOrnamentReplaced(before_, o);
      align({s.start, s.start + s.length});
      break;
    }
    const Beats to = settled(was->start + moved, m, axis), by = to - was->start;
    if (together_.size() > 1) {
      next = withOrnamentsShifted(before_, {together_.begin(), together_.end()}, by);
      what = QObject::tr("move %n ornament(s)", nullptr, static_cast<int>(together_.size()));
    } else {
      o.start = to;
      if (!m.row.empty()) o.on = m.row;
      next = withOrnamentReplaced(before_, o);
      what = QObject::tr("move %1").arg(name);
    }
    align({to, to + was->length});
    break;
  }
  case Grip::begin: {
    const Beats end = was->span().end;
    o.start = std::min(settled(was->start + moved, m, axis), end - kLeast);
    o.length = end - o.start;
    edge_ = {o.on, o.start};
    what = QObject::tr("change source of %1").arg(name);
    next = withOrnamentReplaced(before_, o);
    align({o.start});
    break;
  }
  case Grip::end: {
    o.length = std::max(settled(was->span().end + moved, m, axis) - o.start, kLeast);
    edge_ = {o.on, o.span().end};
    what = QObject::tr("change source of %1").arg(name);
    next = withOrnamentReplaced(before_, o);
    align({o.span().end});
    break;
  }
  case Grip::tail:
  case Grip::lead:
  case Grip::landing: {
    const Beats at = settled(axis.beatAt(m.to.x()), m, axis);
    const Placed placed{*was, session_.plan()->context()};
    const auto made = hold_.grip == Grip::tail   ? kind.withTailEnd(placed, at)
                      : hold_.grip == Grip::lead ? kind.withLeadBegin(placed, at)
                                                 : kind.withLandingAt(placed, at);
    if (!made) return;
    what = (hold_.grip == Grip::tail   ? QObject::tr("change tail of %1")
            : hold_.grip == Grip::lead ? QObject::tr("change lead-in of %1")
                                       : QObject::tr("change landing offset of %1"))
               .arg(name);
    next = withOrnamentReplaced(before_, *made);
    align({at});
    break;
  }
  case Grip::order:
    if (!m.orderAt) return;
    next = withOrnamentAt(before_, o.id, *m.orderAt);
    what = QObject::tr("change order of %1").arg(name);
    break;
  case Grip::piece:
    piece().start = settled(was->source[hold_.piece].start + moved, m, axis);
    if (!m.row.empty()) piece().row = m.row == o.on ? std::nullopt : std::optional(m.row);
    // Back on the ornament's own stretch it is the plain source again.
    if (o.source.size() == 1 && !piece().row && piece().start == o.start && piece().length == o.length &&
        piece().sendDb == 0)
      o.source.clear();
    what = QObject::tr("change source of %1").arg(name);
    next = withOrnamentReplaced(before_, o);
    break;
  case Grip::pieceBegin: {
    const Beats end = piece().start + piece().length;
    piece().start = std::min(settled(piece().start + moved, m, axis), end - kLeast);
    piece().length = end - piece().start;
    edge_ = {piece().row.value_or(o.on), piece().start};
    what = QObject::tr("change source of %1").arg(name);
    next = withOrnamentReplaced(before_, o);
    break;
  }
  case Grip::pieceEnd:
    piece().length = std::max(settled(piece().start + piece().length + moved, m, axis) - piece().start, kLeast);
    edge_ = {piece().row.value_or(o.on), piece().start + piece().length};
    what = QObject::tr("change source of %1").arg(name);
    next = withOrnamentReplaced(before_, o);
    break;
  }
  session_.edit(what, std::move(next), "hand-" + hold_.ornament + std::to_string(static_cast<int>(hold_.grip)));
}

void OrnamentHand::letGo() {
  session_.settle();
  hold_ = {};
  marks_.clear();
  edge_.reset();
  together_.clear();
}

} // namespace ivrin::app

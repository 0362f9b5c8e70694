// The mouse in the score: selecting, taking hold of ornaments, dragging, dropping a sign.
#include "app/openrow/open_row.h"
#include "app/score/magnifier.h"
#include "app/score/modifiers.h"
#include "app/score/score_view.h"
#include "app/score/sign_strip.h"
#include "app/session/landing_edits.h"
#include "app/theme/ornament_look.h"
#include "app/theme/type.h"
#include "song/edits.h"
#include "time/note_value.h"

#include <QApplication>
#include <QContextMenuEvent>
#include <QDropEvent>
#include <QMimeData>
#include <QMouseEvent>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kDragFrom = 3;  // pixels before a press becomes a drag
constexpr int kEdgeReach = 6; // how near an edge of the selection is grabbed
constexpr double kOnsetReachPixels = 40;

} // namespace

// ---------------------------------------------------------------- where things are

Beats ScoreView::snapped(double x, Qt::KeyboardModifiers m) const {
  const Beats b = axis().beatAt(x);
  if (!session_.plan()) return b;
  if (seeksAttack(m))
    return nearestOnset(session_, caretRow_, b, Beats::ofQuarters(kOnsetReachPixels / axis().pxPerBeat));
  if (leavesGrid(m) || grid_.ticks == 0) return b;
  return snapToGrid(b, handGrid(), session_.plan()->map());
}

/// The landing whose mark in the ruler lies under the point.
std::string ScoreView::landingUnder(QPointF p) const {
  if (p.y() >= rulerHeight() * 0.6 || p.x() < axis().x0) return {};
  std::string found;
  for (const Landing& l : session_.song().allLandings()) {
    const bool section = std::any_of(session_.song().sections.begin(), session_.song().sections.end(),
                                     [&](const Landing& s) { return s.id == l.id; });
    const double x = axis().xOf(l.at), name = songTextWidth(QString::fromStdString(l.name), 16, true);
    const double right = section ? x + scaled(20) : x + scaled(10) + name;
    if (p.x() >= x - 3 && p.x() <= right) found = l.id;
  }
  return found;
}

std::optional<GridMark> ScoreView::gridMarkUnder(QPointF p) const {
  if (p.y() >= rulerHeight() || p.x() < axis().x0 || !session_.plan()) return std::nullopt;
  for (const GridMark& m : gridMarks(session_.song(), axis(), width()))
    if (m.box.contains(p)) return m;
  return std::nullopt;
}

/// Bar 1 anywhere, or onto an attack; a tempo on beats; a meter on bar lines.
Beats ScoreView::gridMarkPlace(QPointF p, Qt::KeyboardModifiers m) const {
  const Beats at = axis().beatAt(p.x());
  const TempoMap& map = session_.plan()->map();
  const MeterEntry& meter = map.meterAt(at);
  switch (gridMark_->kind) {
  case GridMark::Kind::barOne: {
    const Beats attack = nearestOnset(session_, caretRow_, at, Beats::ofQuarters(kOnsetReachPixels / axis().pxPerBeat));
    return leavesGrid(m) ? at : attack;
  }
  case GridMark::Kind::tempo:
    return leavesGrid(m) ? at : snapToGrid(at, meter.beatLength(), map);
  case GridMark::Kind::meter:
    return snapToGrid(at, meter.barLength(), map);
  }
  return at;
}

std::optional<std::size_t> ScoreView::orderUnder(double y) const {
  // The number is dragged over the lanes of what it overlaps: the lane under the mouse tells the new place.
  const OrnamentBox* own = marks_.box(hand_.hold().ornament);
  const Ornament* o = session_.song().ornament(hand_.hold().ornament);
  if (!own || !o) return std::nullopt;
  for (const OrnamentBox& b : marks_.boxes()) {
    const Ornament* other = session_.plan()->ornament(b.id);
    if (!other || other->on != o->on || b.lanes != own->lanes) continue;
    if (b.tailX < own->leadX || b.leadX > own->tailX) continue;
    if (y >= b.bandTop && y < b.bandTop + b.bandHeight) return b.order;
  }
  return std::nullopt;
}

std::optional<std::pair<std::string, Beats>> ScoreView::magnified() const {
  if (hand_.holding()) return hand_.edge();
  if (gridMarkAt_ && gridMark_->kind == GridMark::Kind::barOne) return {{caretRow_, *gridMarkAt_}};
  if (selection_ && drag_ == Drag::edgeBegin) return {{selection_->row, selection_->begin}};
  if (selection_ && drag_ == Drag::edgeEnd) return {{selection_->row, selection_->end}};
  if (selection_ && drag_ == Drag::select && moved_) // the edge that moves is the one away from the press
    return {{selection_->row,
             std::abs(axis().xOf(selection_->begin) - press_.x()) < std::abs(axis().xOf(selection_->end) - press_.x())
                 ? selection_->end
                 : selection_->begin}};
  if (drag_ == Drag::handle) {
    const Ornament* o = session_.song().ornament(open_);
    if (o && openHand_.held() == QLatin1String("begin")) return {{o->on, o->start}};
    if (o && openHand_.held() == QLatin1String("end")) return {{o->on, o->span().end}};
  }
  return std::nullopt;
}

QRectF ScoreView::magnifierRect() const {
  const auto at = magnified();
  if (!at) return {};
  const QRect staff = staffOf(at->first);
  const QSizeF size = magnifierSize();
  double x = axis().xOf(at->second) - size.width() / 2, y = staff.top() - size.height() - scaled(14);
  if (y < rulerHeight()) y = staff.bottom() + scaled(14);
  if (y + size.height() > height()) y = staff.top() + scaled(4);
  x = std::clamp(x, axis().x0 + 4, std::max(axis().x0 + 4, width() - size.width() - 6));
  return {QPointF(x, y), size};
}

void ScoreView::setHot(const std::string& id) {
  if (hot_ == id) return;
  hot_ = id;
  update();
}

// ---------------------------------------------------------------- pressing

void ScoreView::mousePressEvent(QMouseEvent* e) {
  if (!session_.isOpen()) return;
  press_ = e->position();
  moved_ = false;
  if (e->button() == Qt::MiddleButton) {
    drag_ = Drag::pan;
    return;
  }
  if (e->button() != Qt::LeftButton) return;
  setFocus();
  anchor_.reset();
  if (const auto was = std::exchange(doubleClicked_, std::nullopt);
      was && e->timestamp() - was->first < static_cast<quint64>(QApplication::doubleClickInterval()) &&
      (press_ - was->second).manhattanLength() < kDragFrom)
    if (const RowBox* r = page_.rowAt(e->pos().y()); r && selectSaidAt(r->id, axis().beatAt(press_.x()), true)) return;
  if (!open_.empty() && openArea().contains(e->pos())) {
    openHand_.stopWalking();
    if (openHand_.press(press_, e->modifiers(), handGrid(), canvas())) {
      drag_ = Drag::handle;
      return;
    }
  }
  if (const Hold hold = hand_.under(press_, marks_, pieceBoxes(), hot_)) {
    const bool marks = (e->modifiers() & Qt::ShiftModifier) && hold.grip == Grip::body; // unless it is dragged
    if (hold.grip == Grip::body && !marks && !marked_.contains(hold.ornament)) mark({});
    marksWhenClicked_ = marks;
    drag_ = Drag::hand;
    hand_.take(hold, press_, marked_.contains(hold.ornament) ? marked_ : std::set<std::string>{hold.ornament}, axis());
    return;
  }
  if (press_.y() < rulerHeight()) {
    dragLanding_ = landingUnder(press_);
    gridMark_ = gridMarkUnder(press_);
    if (!dragLanding_.empty())
      drag_ = Drag::landing;
    else if (gridMark_)
      drag_ = Drag::gridMark;
    else
      emit seekRequested(snapped(press_.x(), e->modifiers()));
    return;
  }
  if (showsOpenings_)
    if (const Opening* o = openings_.under(press_, page_, axis(), session_.song())) return takeOpening(*o);
  mark({});
  if (selection_) {
    const QRect staff = page_.staffOf(selection_->rows());
    if (staff.adjusted(0, -8, 0, 8).contains(e->pos())) {
      if (std::abs(press_.x() - axis().xOf(selection_->begin)) <= kEdgeReach) drag_ = Drag::edgeBegin;
      if (std::abs(press_.x() - axis().xOf(selection_->end)) <= kEdgeReach) drag_ = Drag::edgeEnd;
      if (drag_ != Drag::none) {
        strip_->hide();
        update();
        return;
      }
    }
  }
  if (const RowBox* r = page_.rowAt(e->pos().y()); r && press_.x() >= axis().x0) {
    drag_ = Drag::select;
    caretRow_ = anchorRow_ = r->id;
  }
}

// ---------------------------------------------------------------- moving

void ScoreView::hover(QPointF at) {
  Qt::CursorShape shape = Qt::ArrowCursor;
  bool other = false;
  if (!open_.empty() && openArea().contains(at.toPoint()) && session_.plan())
    other = openHand_.hover(at, canvas(), shape);
  else
    other = openHand_.leave();
  // The bracket of an ornament is shown while the mouse is on its sign or on the bracket itself.
  const Hold hold = hand_.under(at, marks_, pieceBoxes(), hot_);
  const OrnamentBox* hot = marks_.box(hot_);
  const bool onBracket = hot && at.x() >= hot->leadX - 8 && at.x() <= hot->tailX + 8 && at.y() >= hot->sign.top() - 4 &&
                         at.y() <= hot->bracketY + 8;
  if (hold && hold.grip != Grip::piece && hold.grip != Grip::pieceBegin && hold.grip != Grip::pieceEnd)
    setHot(hold.ornament);
  else if (!onBracket)
    setHot({});
  if (hold) {
    shape = OrnamentHand::cursorFor(hold.grip);
    const Ornament* o = session_.song().ornament(hold.ornament);
    const Kind* k = o ? allKinds().find(o->kind) : nullptr;
    if (k)
      setToolTip(
          hold.grip == Grip::order
              ? tr("Number %1 in the order of its row; drag to change it").arg(orderOnRow(session_.song(), o->id) + 1)
              : QString::fromStdString(k->table().name + (o->name.empty() ? "" : " “" + o->name + "”")));
  } else {
    setToolTip({});
  }
  if (shape == Qt::ArrowCursor && (!landingUnder(at).empty() || gridMarkUnder(at))) shape = Qt::SizeHorCursor;
  const bool mayOpen = showsOpenings_ && !hold && (open_.empty() || !openArea().contains(at.toPoint()));
  setHotOpening(mayOpen ? openings_.under(at, page_, axis(), session_.song()) : nullptr);
  if (hotOpening_) shape = Qt::PointingHandCursor;
  if (selection_ && page_.staffOf(selection_->rows()).contains(at.toPoint()) &&
      (std::abs(at.x() - axis().xOf(selection_->begin)) <= kEdgeReach ||
       std::abs(at.x() - axis().xOf(selection_->end)) <= kEdgeReach))
    shape = Qt::SizeHorCursor;
  setCursor(shape);
  if (other) update(openArea());
}

void ScoreView::dragSelection(QPointF at, Qt::KeyboardModifiers m) {
  if (drag_ == Drag::select) {
    const Beats a = snapped(press_.x(), m), b = snapped(at.x(), m);
    const RowBox* under = page_.rowAt(std::clamp(static_cast<int>(at.y()), rulerHeight(), height() - 1));
    if (a == b)
      select(std::nullopt);
    else
      select(Selection{anchorRow_, std::min(a, b), std::max(a, b),
                       under && under->id != anchorRow_ ? page_.between(anchorRow_, under->id)
                                                        : std::vector<std::string>()});
    return;
  }
  Selection s = *selection_;
  (drag_ == Drag::edgeBegin ? s.begin : s.end) = snapped(at.x(), m);
  if (s.end < s.begin) {
    std::swap(s.begin, s.end);
    drag_ = drag_ == Drag::edgeBegin ? Drag::edgeEnd : Drag::edgeBegin;
  }
  if (s.begin < s.end) select(s);
}

void ScoreView::mouseMoveEvent(QMouseEvent* e) {
  const QPointF at = e->position();
  if (drag_ == Drag::none) {
    if (session_.isOpen()) hover(at);
    return;
  }
  if (drag_ == Drag::pan) {
    scrollBy(press_.x() - at.x());
    press_ = at;
    return;
  }
  if (!moved_ && (at - press_).manhattanLength() < kDragFrom) return;
  if (!std::exchange(moved_, true) && drag_ == Drag::handle) emit handleHeld(true);
  const bool free = leavesGrid(e->modifiers());
  switch (drag_) {
  case Drag::select:
  case Drag::edgeBegin:
  case Drag::edgeEnd:
    dragSelection(at, e->modifiers());
    break;
  case Drag::handle:
    if (session_.song().ornament(open_)) openHand_.drag(at, e->modifiers(), handGrid(), canvas());
    break;
  case Drag::hand: {
    // Onto another row once the mouse is well inside it.
    const RowBox* r = page_.rowAt(static_cast<int>(at.y()));
    const bool across = r && std::abs(at.y() - press_.y()) > r->height / 2.0;
    hand_.drag({at, across ? r->id : std::string(), orderUnder(at.y()), handGrid(), free,
                static_cast<bool>(e->modifiers() & Qt::ControlModifier)},
               axis());
    break;
  }
  case Drag::landing:
    moveLanding(session_, dragLanding_, landingPlace(session_, axis().beatAt(at.x()), free, handGrid()));
    break;
  case Drag::gridMark:
    gridMarkAt_ = gridMarkPlace(at, e->modifiers());
    update();
    break;
  case Drag::none:
  case Drag::pan:
    break;
  }
}

// ---------------------------------------------------------------- letting go

void ScoreView::mouseReleaseEvent(QMouseEvent* e) {
  const Drag was = std::exchange(drag_, Drag::none);
  if (was == Drag::hand) {
    const Hold hold = hand_.hold();
    hand_.letGo();
    update();
    if (!moved_ && marksWhenClicked_) { // marked with others, or no longer
      std::set<std::string> now = marked_;
      if (!now.erase(hold.ornament)) now.insert(hold.ornament);
      mark(std::move(now));
    } else if (!moved_ && hold.grip == Grip::body) {
      openOrnament(hold.ornament);
    }
    return;
  }
  if (was == Drag::handle) {
    openHand_.letGo();
    if (moved_) emit handleHeld(false);
    update();
    return;
  }
  if (was == Drag::gridMark) {
    const GridMark mark = *std::exchange(gridMark_, std::nullopt);
    const auto to = std::exchange(gridMarkAt_, std::nullopt);
    update();
    if (!to)
      emit gridMarkClicked(mark);
    else if (*to != mark.at)
      emit gridMarkMoved(mark, *to);
    return;
  }
  if (was == Drag::landing) {
    session_.settle();
    if (!moved_) goToLanding(dragLanding_);
    return;
  }
  if (was == Drag::select && !moved_) { // a click: the place to play from
    select(std::nullopt);
    caret_ = snapped(press_.x(), e->modifiers());
    emit seekRequested(caret_);
    return;
  }
  if (was != Drag::none && was != Drag::pan && selection_) {
    caret_ = selection_->begin;
    showStrip();
    update();
    emit selectionChanged();
  }
}

void ScoreView::mouseDoubleClickEvent(QMouseEvent* e) {
  if (!session_.isOpen()) return;
  if (e->position().y() >= rulerHeight()) { // on a row: the word there; a third click: its phrase
    const RowBox* r = page_.rowAt(e->pos().y());
    if (e->button() != Qt::LeftButton || !r || e->position().x() < axis().x0 ||
        (!open_.empty() && openArea().contains(e->pos())) || hand_.under(e->position(), marks_, pieceBoxes(), hot_))
      return;
    doubleClicked_ = {e->timestamp(), e->position()};
    if (!selectSaidAt(r->id, axis().beatAt(e->position().x()), false))
      emit session_.notice(session_.rows().heard(r->id) ? tr("Nothing is said there.") : nothingHeard(), false);
    return;
  }
  // On the ruler: the nearest landing becomes the one that bars are counted to.
  const auto all = session_.song().allLandings();
  const Landing* best = nullptr;
  for (const Landing& l : all)
    if (!best || std::abs(axis().xOf(l.at) - e->position().x()) < std::abs(axis().xOf(best->at) - e->position().x()))
      best = &l;
  if (best) goToLanding(best->id);
}

void ScoreView::wheelEvent(QWheelEvent* e) {
  const QPoint pixels = e->pixelDelta();
  const double dy = pixels.isNull() ? e->angleDelta().y() / 120.0 * 60 : pixels.y(),
               dx = pixels.isNull() ? e->angleDelta().x() / 120.0 * 60 : pixels.x();
  if (e->modifiers() == Qt::NoModifier && !open_.empty() && openArea().contains(e->position().toPoint()) &&
      session_.plan() && dy != 0 && openHand_.wheel(e->position(), 0, canvas())) {
    wheeled_ += dy / 60; // a step of the wheel is one, a touchpad's many small ones add up
    for (; std::abs(wheeled_) >= 1; wheeled_ -= wheeled_ > 0 ? 1 : -1)
      openHand_.wheel(e->position(), wheeled_ > 0 ? 1 : -1, canvas());
  } else if (e->modifiers() & Qt::ControlModifier) {
    zoom(std::pow(1.25, dy / 60), e->position().x());
  } else if ((e->modifiers() & Qt::ShiftModifier) && page_.contentHeight > height() - rulerHeight()) {
    scrollY_ -= static_cast<int>(dy != 0 ? dy : dx);
    layOut();
    update();
  } else {
    scrollBy(-(dy + dx));
  }
  e->accept();
}

void ScoreView::contextMenuEvent(QContextMenuEvent* e) {
  if (!session_.isOpen() || e->pos().x() < axis().x0) return;
  if (e->pos().y() < rulerHeight()) return emit rulerMenuWanted(axis().beatAt(e->pos().x()), e->globalPos());
  if (!showsOpenings_) return;
  if (const Opening* o = openings_.under(QPointF(e->pos()), page_, axis(), session_.song())) {
    if (const auto next = session_.song().landingAfter(o->place.begin)) emit recipesWanted(next->id);
  }
}

void ScoreView::takeOpening(Opening o) {
  if (o.suits.empty()) return;
  const BeatRange source =
      sourceOf(o, session_.plan()->map(), session_.rows().phrases(o.row), session_.rows().onsets(o.row));
  selectOnRow(o.row, source);
  session_.placing().place(o.suits.front(), {o.row}, source);
}

void ScoreView::leaveEvent(QEvent*) {
  setHot({});
  setHotOpening(nullptr);
  if (openHand_.leave()) update(openArea());
}

// ---------------------------------------------------------------- a sign dropped on a row

void ScoreView::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasFormat(QString::fromLatin1(SignStrip::kMime)))
    e->acceptProposedAction();
  else
    e->ignore(); // files are the window's
}

void ScoreView::dragMoveEvent(QDragMoveEvent* e) {
  if (page_.rowAt(e->position().toPoint().y()))
    e->acceptProposedAction();
  else
    e->ignore();
}

void ScoreView::dropEvent(QDropEvent* e) {
  const RowBox* r = page_.rowAt(e->position().toPoint().y());
  const QByteArray kind = e->mimeData()->data(QString::fromLatin1(SignStrip::kMime));
  if (!r || kind.isEmpty() || !selection_) return;
  // On the selection itself: there. Elsewhere: a stretch as long, from where it was dropped.
  Selection s = *selection_;
  const auto rows = s.rows();
  const Beats at = axis().beatAt(e->position().x());
  if (std::find(rows.begin(), rows.end(), r->id) == rows.end() || at < s.begin || at >= s.end) {
    const Beats begin = snapped(e->position().x(), {});
    s = Selection{r->id, begin, begin + (selection_->end - selection_->begin)};
    select(s);
  }
  e->acceptProposedAction();
  placeOnSelection(QString::fromUtf8(kind));
}

} // namespace ivrin::app

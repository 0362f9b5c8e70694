#include "app/score/score_mouse.h"

#include "app/axis/modifiers.h"
#include "app/score/magnifier.h"
#include "app/score/score_view.h"
#include "app/score/sign_strip.h"
#include "app/theme/type.h"
#include "song/edits.h"

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

} // namespace

ScoreMouse::ScoreMouse(ScoreView& view)
    : view_(view)
    , session_(view.session()) {}

// ---------------------------------------------------------------- where things are

std::string ScoreMouse::landingUnder(QPointF p) const {
  if (p.y() >= Page::rulerHeight() * 0.6 || p.x() < view_.axis().x0) return {};
  std::string found;
  const Song& song = session_.song();
  for (const Landing& l : song.allLandings()) {
    const bool section =
        std::any_of(song.sections.begin(), song.sections.end(), [&](const Landing& s) { return s.id == l.id; });
    const double x = view_.axis().xOf(l.at), name = songTextWidth(QString::fromStdString(l.name), 16, true);
    const double right = section ? x + scaled(20) : x + scaled(10) + name;
    if (p.x() >= x - 3 && p.x() <= right) found = l.id;
  }
  return found;
}

std::optional<GridMark> ScoreMouse::gridMarkUnder(QPointF p) const {
  if (p.y() >= Page::rulerHeight() || p.x() < view_.axis().x0 || !session_.plan()) return std::nullopt;
  for (const GridMark& m : gridMarks(session_.song(), view_.axis(), view_.width()))
    if (m.box.contains(p)) return m;
  return std::nullopt;
}

std::optional<std::pair<std::string, Beats>> ScoreMouse::magnified() const {
  return tool_ ? tool_->magnified() : std::nullopt;
}

QRectF ScoreMouse::magnifierRect() const {
  const auto at = magnified();
  if (!at) return {};
  const QRect staff = view_.staffOf(at->first);
  const QSizeF size = magnifierSize();
  const TimeAxis& axis = view_.axis();
  double x = axis.xOf(at->second) - size.width() / 2, y = staff.top() - size.height() - scaled(14);
  if (y < Page::rulerHeight()) y = staff.bottom() + scaled(14);
  if (y + size.height() > view_.height()) y = staff.top() + scaled(4);
  x = std::clamp(x, axis.x0 + 4, std::max(axis.x0 + 4, view_.width() - size.width() - 6));
  return {QPointF(x, y), size};
}

void ScoreMouse::setHot(const std::string& id) {
  if (hot_ == id) return;
  hot_ = id;
  view_.update();
}

// ---------------------------------------------------------------- pressing

void ScoreMouse::press(const QMouseEvent& e) {
  if (!session_.isOpen()) return;
  release(e); // another button, while one is held
  press_ = e.position();
  moved_ = false;
  if (e.button() == Qt::MiddleButton) tool_ = panTool(view_, press_);
  if (e.button() != Qt::LeftButton) return;
  view_.setFocus();
  view_.caret().forgetAnchor();
  if (!thirdClick(e)) tool_ = toolFor(e);
}

/// A click on the word that was double-clicked: its phrase.
bool ScoreMouse::thirdClick(const QMouseEvent& e) {
  const auto was = std::exchange(doubleClicked_, std::nullopt);
  if (!was || e.timestamp() - was->first >= static_cast<quint64>(QApplication::doubleClickInterval()) ||
      (press_ - was->second).manhattanLength() >= kDragFrom)
    return false;
  const RowBox* r = view_.page().rowAt(e.pos().y());
  return r && view_.caret().selectSaidAt(r->id, view_.axis().beatAt(press_.x()), true);
}

/// What lies on top comes first: the open row, ornaments, the ruler, openings, the selection, rows.
std::unique_ptr<ScoreTool> ScoreMouse::toolFor(const QMouseEvent& e) {
  OpenedOrnament& opened = view_.opened();
  if (opened.isOpen() && view_.openArea().contains(e.pos())) {
    opened.hand().stopWalking();
    if (opened.hand().press(press_, e.modifiers(), view_.handGrid(), opened.canvas())) return handleTool(view_);
  }
  if (const Hold hold = view_.ornamentHand().under(press_, view_.layoutOfOrnaments(), view_.pieceBoxes(), hot_)) {
    const bool marks = (e.modifiers() & Qt::ShiftModifier) && hold.grip == Grip::body; // unless it is dragged
    if (hold.grip == Grip::body && !marks && !view_.hand().marked().contains(hold.ornament)) view_.hand().mark({});
    return gripTool(view_, hold, press_, marks);
  }
  if (press_.y() < Page::rulerHeight()) return rulerTool(press_, e.modifiers());
  if (const Opening* o = view_.openings().under(press_)) {
    view_.openings().take(*o);
    return nullptr;
  }
  view_.hand().mark({});
  if (auto edge = edgeUnder(press_)) {
    view_.selected().hideStrip();
    view_.update();
    return edge;
  }
  const RowBox* r = view_.page().rowAt(e.pos().y());
  if (!r || press_.x() < view_.axis().x0) return nullptr;
  view_.caret().setRow(r->id);
  return selectTool(view_, press_, r->id);
}

std::unique_ptr<ScoreTool> ScoreMouse::rulerTool(QPointF at, Qt::KeyboardModifiers keys) {
  if (const std::string landing = landingUnder(at); !landing.empty()) return landingTool(view_, landing);
  if (const auto mark = gridMarkUnder(at)) return gridMarkTool(view_, *mark);
  emit view_.seekRequested(view_.snapped(at.x(), keys));
  return nullptr;
}

std::unique_ptr<ScoreTool> ScoreMouse::edgeUnder(QPointF at) {
  const auto& s = view_.selection();
  if (!s || !view_.page().staffOf(s->rows()).adjusted(0, -8, 0, 8).contains(at.toPoint())) return nullptr;
  if (std::abs(at.x() - view_.axis().xOf(s->end)) <= kEdgeReach) return edgeTool(view_, false);
  if (std::abs(at.x() - view_.axis().xOf(s->begin)) <= kEdgeReach) return edgeTool(view_, true);
  return nullptr;
}

// ---------------------------------------------------------------- moving

void ScoreMouse::move(const QMouseEvent& e) {
  if (!session_.isOpen()) return;
  const QPointF at = e.position();
  if (!tool_) {
    hover(at);
    return;
  }
  if (!tool_->atOnce() && !moved_ && (at - press_).manhattanLength() < kDragFrom) return;
  moved_ = true;
  tool_->drag(at, e.modifiers());
}

void ScoreMouse::hover(QPointF at) {
  Qt::CursorShape shape = Qt::ArrowCursor;
  OpenedOrnament& opened = view_.opened();
  const bool inOpen = opened.isOpen() && view_.openArea().contains(at.toPoint());
  const bool other =
      inOpen && session_.plan() ? opened.hand().hover(at, opened.canvas(), shape) : opened.hand().leave();
  const Hold hold = view_.ornamentHand().under(at, view_.layoutOfOrnaments(), view_.pieceBoxes(), hot_);
  hoverOrnament(at, hold);
  if (hold) shape = OrnamentHand::cursorFor(hold.grip);
  if (shape == Qt::ArrowCursor && (!landingUnder(at).empty() || gridMarkUnder(at))) shape = Qt::SizeHorCursor;
  view_.openings().setHot(hold || inOpen ? nullptr : view_.openings().under(at));
  if (view_.openings().hot()) shape = Qt::PointingHandCursor;
  if (const auto& s = view_.selection(); s && view_.page().staffOf(s->rows()).contains(at.toPoint()) &&
                                         (std::abs(at.x() - view_.axis().xOf(s->begin)) <= kEdgeReach ||
                                          std::abs(at.x() - view_.axis().xOf(s->end)) <= kEdgeReach))
    shape = Qt::SizeHorCursor;
  view_.setCursor(shape);
  if (other) view_.update(view_.openArea());
}

/// The bracket of an ornament is shown while the mouse is on its sign or on the bracket itself, and its name is told.
void ScoreMouse::hoverOrnament(QPointF at, const Hold& hold) {
  const OrnamentBox* hot = view_.layoutOfOrnaments().box(hot_);
  const bool onBracket = hot && at.x() >= hot->leadX - 8 && at.x() <= hot->tailX + 8 && at.y() >= hot->sign.top() - 4 &&
                         at.y() <= hot->bracketY + 8;
  if (hold && hold.grip != Grip::piece && hold.grip != Grip::pieceBegin && hold.grip != Grip::pieceEnd)
    setHot(hold.ornament);
  else if (!onBracket)
    setHot({});
  if (!hold) {
    view_.setToolTip({});
    return;
  }
  const Ornament* o = session_.song().ornament(hold.ornament);
  const Kind* k = o ? allKinds().find(o->kind) : nullptr;
  if (!k) return;
  view_.setToolTip(hold.grip == Grip::order
                       ? tr("Number %1 in the processing order of its row. Drag to change it.")
                             .arg(orderOnRow(session_.song(), o->id) + 1)
                       : QString::fromStdString(k->table().name + (o->name.empty() ? "" : " “" + o->name + "”")));
}

// ---------------------------------------------------------------- letting go

void ScoreMouse::release(const QMouseEvent& e) {
  if (const auto was = std::move(tool_)) {
    was->letGo(moved_, e.modifiers());
    view_.opened().letGo();
  }
}

void ScoreMouse::doubleClick(const QMouseEvent& e) {
  if (!session_.isOpen()) return;
  const QPointF at = e.position();
  if (at.y() >= Page::rulerHeight()) { // on a row: the word there; a third click: its phrase
    const RowBox* r = view_.page().rowAt(e.pos().y());
    if (e.button() != Qt::LeftButton || !r || at.x() < view_.axis().x0 ||
        (view_.opened().isOpen() && view_.openArea().contains(e.pos())) ||
        view_.ornamentHand().under(at, view_.layoutOfOrnaments(), view_.pieceBoxes(), hot_))
      return;
    doubleClicked_ = {e.timestamp(), at};
    if (!view_.caret().selectSaidAt(r->id, view_.axis().beatAt(at.x()), false))
      emit session_.notice(session_.rows().heard(r->id)
                               ? tr("No word was found here. Drag over the row to select by hand.")
                               : view_.caret().nothingHeard(),
                           false);
    return;
  }
  // On the ruler: the nearest landing becomes the one that bars are counted to.
  const auto all = session_.song().allLandings();
  const TimeAxis& axis = view_.axis();
  const auto best = std::min_element(all.begin(), all.end(), [&](const Landing& a, const Landing& b) {
    return std::abs(axis.xOf(a.at) - at.x()) < std::abs(axis.xOf(b.at) - at.x());
  });
  if (best != all.end()) view_.goToLanding(std::string(best->id));
}

void ScoreMouse::wheel(QWheelEvent& e) {
  e.accept();
  const QPoint pixels = e.pixelDelta();
  const double dy = pixels.isNull() ? e.angleDelta().y() / 120.0 * 60 : pixels.y(),
               dx = pixels.isNull() ? e.angleDelta().x() / 120.0 * 60 : pixels.x();
  OpenedOrnament& opened = view_.opened();
  if (e.modifiers() == Qt::NoModifier && opened.isOpen() && view_.openArea().contains(e.position().toPoint()) &&
      session_.plan() && dy != 0 && opened.hand().wheel(e.position(), 0, opened.canvas())) {
    wheeled_ += dy / 60; // a step of the wheel is one, a touchpad's many small ones add up
    for (; std::abs(wheeled_) >= 1; wheeled_ -= wheeled_ > 0 ? 1 : -1)
      opened.hand().wheel(e.position(), wheeled_ > 0 ? 1 : -1, opened.canvas());
  } else if (e.modifiers() & Qt::ControlModifier) {
    view_.zoom(std::pow(1.25, dy / 60), e.position().x());
  } else if ((e.modifiers() & Qt::ShiftModifier) && view_.page().contentHeight > view_.height() - Page::rulerHeight()) {
    view_.scrollRows(-static_cast<int>(dy != 0 ? dy : dx));
  } else {
    view_.scrollBy(-(dy + dx));
  }
}

void ScoreMouse::contextMenu(const QContextMenuEvent& e) {
  if (!session_.isOpen() || e.pos().x() < view_.axis().x0) return;
  if (e.pos().y() < Page::rulerHeight())
    return emit view_.rulerMenuWanted(view_.axis().beatAt(e.pos().x()), e.globalPos());
  if (const Opening* o = view_.openings().under(QPointF(e.pos())))
    if (const auto next = session_.song().landingAfter(o->place.begin)) emit view_.recipesWanted(next->id);
}

void ScoreMouse::leave() {
  setHot({});
  view_.openings().setHot(nullptr);
  if (view_.opened().hand().leave()) view_.update(view_.openArea());
}

void ScoreMouse::drop(QDropEvent& e) {
  const RowBox* r = view_.page().rowAt(e.position().toPoint().y());
  const QByteArray kind = e.mimeData()->data(QString::fromLatin1(SignStrip::kMime));
  const auto& selected = view_.selection();
  if (!r || kind.isEmpty() || !selected) return;
  // On the selection itself: there. Elsewhere: a stretch as long, from where it was dropped.
  const Selection s = *selected;
  const auto rows = s.rows();
  const Beats at = view_.axis().beatAt(e.position().x());
  if (std::find(rows.begin(), rows.end(), r->id) == rows.end() || at < s.begin || at >= s.end) {
    const Beats begin = view_.snapped(e.position().x(), {});
    view_.select(Selection{r->id, begin, begin + (s.end - s.begin)});
  }
  e.acceptProposedAction();
  view_.placeOnSelection(QString::fromUtf8(kind));
}

} // namespace ivrin::app

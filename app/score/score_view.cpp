#include "app/score/score_view.h"
#include "app/theme/ornament_look.h"

#include "app/openrow/open_row.h"
#include "app/score/row_head.h"
#include "app/score/sign_strip.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "song/edits.h"
#include "time/note_value.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kMargin = 112, kRightMargin = 14;
constexpr double kMostPxPerBeat = 60000, kLeastPxPerBeat = 1.5;
constexpr int kDragFrom = 3;  // pixels before a press becomes a drag
constexpr int kEdgeReach = 6; // how near an edge of the selection is grabbed
constexpr int kEaseMs = 180;
constexpr int kOpenHeight = 356, kFoldedLeast = 24, kFoldedMost = 44, kRowLeast = 34, kRowMost = 104;

} // namespace

ScoreView::ScoreView(Session& session, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , waves_(session)
    , strip_(new SignStrip(this))
    , grid_(kTicksPerQuarter / 4)
    , ease_(new QVariantAnimation(this)) {
  setAttribute(Qt::WA_OpaquePaintEvent);
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAccessibleName(tr("Score"));
  setAccessibleDescription(
      tr("Arrow keys move by the grid and between rows, Shift selects, Return opens the ornament there."));
  strip_->hide();
  connect(strip_, &SignStrip::picked, this, &ScoreView::placeOnSelection);
  ease_->setDuration(kEaseMs);
  ease_->setEasingCurve(QEasingCurve::InOutCubic);
  connect(&session_, &Session::opened, this, &ScoreView::rebuild);
  connect(&session_, &Session::songChanged, this, &ScoreView::refresh);
  for (auto signal : {&Session::planChanged, &Session::printsAdvanced, &Session::rowPeaksReady, &Session::factsChanged})
    connect(&session_, signal, this, [this] {
      waves_.refresh();
      update();
    });
  connect(&session_, &Session::placed, this, [this](const QString& id) {
    select(std::nullopt);
    openOrnament(id.toStdString());
    emit auditionRequested();
  });
}

ScoreView::~ScoreView() = default;

int ScoreView::rulerHeight() const {
  return scaled(42);
}
int ScoreView::marginWidth() const {
  return scaled(kMargin);
}
QRect ScoreView::stavesRect() const {
  return {scaled(kMargin), rulerHeight(), width() - scaled(kMargin), height() - rulerHeight()};
}

void ScoreView::rebuild() {
  closeOrnament();
  qDeleteAll(heads_);
  heads_.clear();
  rows_.clear();
  selection_.reset();
  strip_->hide();
  for (const std::string& id : session_.song().rowsInScoreOrder()) {
    rows_.push_back({id, 0, 0, false, 0, 0});
    heads_.push_back(new RowHead(session_, id, this));
    heads_.back()->show();
  }
  if (!rows_.empty()) caretRow_ = rows_.front().id;
  homeWanted_ = true;
  if (isVisible()) goHome();
  layOut();
  refresh();
}

void ScoreView::goHome() {
  homeWanted_ = false;
  axis_.x0 = scaled(kMargin);
  axis_.width = std::max(100, width() - scaled(kMargin) - scaled(kRightMargin));
  // The page opens where most is tied to a landing, else at the first landing after bar 1, else at the song's begin.
  landing_.reset();
  std::ptrdiff_t most = 0;
  for (const Landing& l : session_.song().allLandings()) {
    const auto& all = session_.song().ornaments;
    const auto tied = std::count_if(all.begin(), all.end(), [&](const auto& o) { return o->landing == l.id; });
    if (!landing_ || tied > most || (most == 0 && landing_->at.ticks <= 0)) {
      landing_ = l;
      most = std::max<std::ptrdiff_t>(most, tied);
    }
  }
  axis_.pxPerBeat = axis_.width / 36.0;
  axis_.left = landing_ ? landing_->at.quarters() - 21 : -0.5;
}

void ScoreView::refresh() {
  std::vector<std::string> now;
  for (const auto& r : rows_) now.push_back(r.id);
  if (now != session_.song().rowsInScoreOrder()) {
    rebuild();
    return;
  }
  for (RowHead* h : heads_) h->refresh();
  if (landing_) { // it may have moved or gone
    landing_ = session_.song().landingById(landing_->id);
    if (!landing_) chooseLanding();
  }
  if (!open_.empty()) {
    if (const Ornament* o = session_.song().ornament(open_))
      openRow_->setOrnament(*o);
    else
      closeOrnament();
  }
  update();
  emit viewChanged();
}

void ScoreView::layOut() {
  axis_.x0 = scaled(kMargin);
  axis_.width = std::max(100, width() - scaled(kMargin) - scaled(kRightMargin));
  const int n = static_cast<int>(rows_.size());
  if (n == 0) return;
  const int room = height() - rulerHeight();
  const std::string openOn = open_.empty()                     ? std::string()
                             : session_.song().ornament(open_) ? session_.song().ornament(open_)->on
                                                               : std::string();
  const bool opened = !openOn.empty();
  const int openHeight =
      opened ? std::max(scaled(kOpenHeight), std::min(room - (n - 1) * scaled(kFoldedMost), scaled(520))) : 0;
  const int others = opened ? n - 1 : n;
  const int each =
      others == 0 ? 0
      : opened    ? std::clamp((room - openHeight) / std::max(1, others), scaled(kFoldedLeast), scaled(kFoldedMost))
                  : std::clamp(room / others, scaled(kRowLeast), scaled(kRowMost));
  contentHeight_ = openHeight + each * others;
  scrollY_ = std::clamp(scrollY_, 0, std::max(0, contentHeight_ - room));
  int y = rulerHeight() - scrollY_;
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    RowBox& r = rows_[i];
    r.open = opened && r.id == openOn;
    r.y = y;
    r.height = r.open ? openHeight : each;
    const int pad = r.open ? 0 : std::max(2, r.height / 9);
    r.staffTop = r.open ? y + openRow_->titleHeight() : y + pad;
    r.staffHeight = r.open ? openHeight - openRow_->titleHeight() - openRow_->panelHeight() : r.height - 2 * pad;
    heads_[i]->setGeometry(0, r.open ? r.staffTop : r.y + 1, scaled(kMargin),
                           r.open ? std::min(r.staffHeight, scaled(70)) : r.height - 2);
    heads_[i]->setFolded(opened && !r.open);
    heads_[i]->setVisible(r.y + r.height > rulerHeight());
    if (r.open) openRow_->place(QRect(0, r.y, width(), r.height));
    y += r.height;
  }
  if (strip_->isVisible()) showStrip();
}

void ScoreView::resizeEvent(QResizeEvent*) {
  if (homeWanted_) goHome();
  layOut();
  emit viewChanged();
}

QRect ScoreView::staffOf(const std::string& row) const {
  for (const RowBox& r : rows_)
    if (r.id == row) return {scaled(kMargin), r.staffTop, static_cast<int>(axis_.width), r.staffHeight};
  return {};
}

QRect ScoreView::openArea() const {
  for (const RowBox& r : rows_)
    if (r.open) return staffOf(r.id);
  return {};
}

const ScoreView::RowBox* ScoreView::rowAt(int y) const {
  for (const RowBox& r : rows_)
    if (y >= r.y && y < r.y + r.height && y >= rulerHeight()) return &r;
  return nullptr;
}

// ---------------------------------------------------------------- travelling

void ScoreView::chooseLanding() {
  const auto all = session_.song().allLandings();
  landing_.reset();
  const double centre = (axis_.left + axis_.right()) / 2;
  for (const Landing& l : all)
    if (!landing_ || std::abs(l.at.quarters() - centre) < std::abs(landing_->at.quarters() - centre)) landing_ = l;
}

void ScoreView::goToLanding(int step) {
  const auto all = session_.song().allLandings();
  if (all.empty()) return;
  std::size_t at = 0;
  for (std::size_t i = 0; i < all.size(); ++i)
    if (landing_ && all[i].id == landing_->id) at = i;
  at = static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(at) + step, 0,
                                                           static_cast<std::ptrdiff_t>(all.size()) - 1));
  landing_ = all[at];
  const double span = axis_.width / axis_.pxPerBeat, left = landing_->at.quarters() - span * 0.6;
  showRange(left, left + span, true);
}

void ScoreView::centreOn(Beats b) {
  const double span = axis_.width / axis_.pxPerBeat;
  axis_.left = b.quarters() - span / 2;
  chooseLanding();
  layOut();
  update();
  emit viewChanged();
}

void ScoreView::showRange(double begin, double end, bool eased) {
  const TimeAxis from = axis_;
  TimeAxis to = axis_;
  to.pxPerBeat = std::clamp(axis_.width / std::max(end - begin, 1e-3), kLeastPxPerBeat, kMostPxPerBeat);
  to.left = begin;
  ease_->stop();
  ease_->disconnect(this);
  const auto apply = [this](const TimeAxis& a) {
    axis_.left = a.left;
    axis_.pxPerBeat = a.pxPerBeat;
    if (landing_ && (landing_->at.quarters() < a.left || landing_->at.quarters() > a.right()) &&
        !session_.song().ornament(open_))
      chooseLanding();
    layOut();
    update();
    emit viewChanged();
  };
  if (!eased || !isVisible() || ease_->duration() == 0) {
    apply(to);
    return;
  }
  ease_->setStartValue(0.0);
  ease_->setEndValue(1.0);
  connect(ease_, &QVariantAnimation::valueChanged, this, [from, to, apply](const QVariant& v) {
    const double u = v.toDouble();
    TimeAxis a = to;
    // Zoom geometrically and keep the edges travelling straight.
    a.pxPerBeat = from.pxPerBeat * std::pow(to.pxPerBeat / from.pxPerBeat, u);
    const double rightFrom = from.left + from.width / from.pxPerBeat, rightTo = to.left + to.width / to.pxPerBeat;
    const double scale =
        std::abs(rightTo - to.left - (rightFrom - from.left)) < 1e-9
            ? u
            : (a.width / a.pxPerBeat - (rightFrom - from.left)) / ((rightTo - to.left) - (rightFrom - from.left));
    a.left = from.left + (to.left - from.left) * (u >= 1 ? 1 : scale);
    apply(a);
  });
  ease_->start();
}

void ScoreView::zoom(double factor, double atX) {
  const double beat = axis_.quartersAt(atX);
  axis_.pxPerBeat = std::clamp(axis_.pxPerBeat * factor, kLeastPxPerBeat, kMostPxPerBeat);
  axis_.left = beat - (atX - axis_.x0) / axis_.pxPerBeat;
  layOut();
  update();
  emit viewChanged();
}

void ScoreView::scrollBy(double pixels) {
  // Whole device pixels, so that what is on screen can be moved as it is.
  const double ratio = devicePixelRatioF();
  const double wanted = pixels + scrollRest_, whole = std::round(wanted * ratio) / ratio;
  scrollRest_ = wanted - whole;
  if (whole == 0) return;
  axis_.left += whole / axis_.pxPerBeat;
  const bool simple =
      !openRow_ && !strip_->isVisible() && std::abs(whole) < axis_.width / 2 && whole == std::floor(whole);
  if (simple) {
    scroll(static_cast<int>(-whole), 0, QRect(scaled(kMargin), 0, width() - scaled(kMargin), height()));
    playheadDrawn_ -= whole;
  } else {
    layOut();
    update();
  }
  emit viewChanged();
}

// ---------------------------------------------------------------- selecting and opening

Beats ScoreView::snapped(double x, Qt::KeyboardModifiers m) const {
  const Beats b = axis_.beatAt(x);
  if ((m & Qt::AltModifier) || grid_.ticks == 0 || !session_.plan()) return b;
  return snapToGrid(b, grid_, session_.plan()->map());
}

void ScoreView::select(std::optional<Selection> s) {
  selection_ = std::move(s);
  if (selection_) caretRow_ = selection_->row;
  strip_->setVisible(false);
  if (selection_ && drag_ == Drag::none) showStrip();
  update();
  emit selectionChanged();
}

void ScoreView::showStrip() {
  if (!selection_) return;
  const QRect staff = staffOf(selection_->row);
  strip_->adjustSize();
  const int right = static_cast<int>(axis_.xOf(selection_->end));
  int x = std::clamp(right + scaled(58), scaled(kMargin) + 4,
                     std::max(scaled(kMargin) + 4, width() - strip_->width() - scaled(10)));
  int y = staff.bottom() + scaled(8);
  if (y + strip_->height() > height() - 4) y = staff.top() - strip_->height() - scaled(8);
  strip_->move(x, y);
  strip_->show();
  strip_->raise();
}

void ScoreView::placeOnSelection(const QString& kind) {
  if (!selection_ || selection_->end <= selection_->begin) return;
  session_.place(kind.toStdString(), selection_->row, selection_->range());
}

void ScoreView::openOrnament(const std::string& id) {
  const Ornament* o = session_.song().ornament(id);
  if (!o || !session_.plan()) return;
  if (open_.empty()) formerAxis_ = axis_;
  strip_->hide();
  selection_.reset();
  session_.choose(id);
  open_ = id;
  caretRow_ = o->on;
  // Bars are counted to what it is tied to, else to the next landing after its source begins.
  if (o->landing)
    landing_ = session_.song().landingById(*o->landing);
  else
    for (const Landing& l : session_.song().allLandings())
      if (l.at > o->start) {
        landing_ = l;
        break;
      }
  drawing_ = openDrawing(o->kind);
  if (!openRow_) {
    openRow_ = new OpenRow(session_, this);
    connect(openRow_, &OpenRow::auditionRequested, this, &ScoreView::auditionRequested);
    connect(openRow_, &OpenRow::closeRequested, this, &ScoreView::closeOrnament);
    openRow_->show();
  }
  openRow_->setOrnament(*o);
  // From lead-in to tail, with a beat of air.
  const auto node = session_.plan()->node(id);
  const TempoMap& map = session_.plan()->map();
  double begin = o->start.quarters(), end = o->span().end.quarters();
  if (node) {
    begin = std::min(begin, map.quartersAt(node->extent().begin));
    if (node->print && node->print->complete())
      end = std::max(end, map.quartersAt(node->extent().end));
    else if (const auto loop = node->kind->loopFigures({*o, map}); loop && loop->diesAt)
      end = std::max(end, loop->diesAt->quarters());
  }
  const double air = std::max(0.04 * (end - begin), std::min(1.0, 0.25 * (end - begin)));
  layOut();
  showRange(begin - air, end + air, true);
  emit openChanged();
}

void ScoreView::closeOrnament() {
  if (open_.empty()) return;
  open_.clear();
  drawing_.reset();
  handle_.clear();
  hoverHandle_.clear();
  delete openRow_;
  openRow_ = nullptr;
  session_.choose({});
  layOut();
  showRange(formerAxis_.left, formerAxis_.right(), true);
  setFocus();
  emit openChanged();
}

OpenCanvas ScoreView::canvas() const {
  return {axis_, QRectF(openArea()), session_, *session_.song().ornament(open_), session_.plan()->node(open_)};
}

QRectF ScoreView::handleRect(const QString& name) const {
  if (open_.empty()) return {};
  for (const OpenHandle& h : drawing_->handles(canvas()))
    if (h.name == name) return h.rect;
  return {};
}

std::vector<ScoreView::SignPlace> ScoreView::signs() const {
  std::vector<SignPlace> all;
  for (const auto& o : session_.song().ornaments) {
    if (o->id == open_) continue;
    for (const RowBox& r : rows_) {
      if (r.id != o->on || r.open) continue;
      const double w = r.height < scaled(40) ? scaled(18) : scaled(22), h = w * 16 / 22;
      QRectF rect(axis_.xOf(o->start), r.y + std::max(1.0, r.height * 0.04), w, h);
      for (const SignPlace& other : all) // several at one place stand side by side
        while (rect.intersects(other.rect)) rect.translate(w * 1.15, 0);
      all.push_back({o->id, rect});
    }
  }
  return all;
}

QRectF ScoreView::signOf(const std::string& ornament) const {
  for (const SignPlace& s : signs())
    if (s.ornament == ornament) return s.rect;
  return {};
}

void ScoreView::setCaret(Beats b) {
  caret_ = b;
  update();
}

void ScoreView::moveCaret(int rows, int steps, bool extend) {
  if (rows_.empty() || !session_.plan()) return;
  std::size_t at = 0;
  for (std::size_t i = 0; i < rows_.size(); ++i)
    if (rows_[i].id == caretRow_) at = i;
  at = static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(at) + rows, 0,
                                                           static_cast<std::ptrdiff_t>(rows_.size()) - 1));
  caretRow_ = rows_[at].id;
  if (extend && !anchor_) anchor_ = selection_ ? selection_->begin : caret_;
  if (extend && selection_ && !(caret_ == selection_->begin)) caret_ = selection_->end;
  const Beats step = grid_.ticks > 0 ? grid_ : Beats(kTicksPerQuarter / 16);
  caret_ = snapToGrid(caret_ + step * steps, step, session_.plan()->map());
  if (extend) {
    const Beats a = std::min(*anchor_, caret_), b = std::max(*anchor_, caret_);
    select(b > a ? std::optional(Selection{caretRow_, a, b}) : std::nullopt);
  } else {
    anchor_.reset();
    select(std::nullopt);
    emit seekRequested(caret_);
  }
  if (caret_.quarters() < axis_.left || caret_.quarters() > axis_.right()) centreOn(caret_);
}

std::string ScoreView::ornamentAtCaret() const {
  if (!open_.empty()) return open_;
  const Ornament* best = nullptr;
  for (const auto& o : session_.song().ornaments)
    if (o->on == caretRow_ && (!best || std::abs((o->start - caret_).ticks) < std::abs((best->start - caret_).ticks)))
      best = o.get();
  return best ? best->id : std::string();
}

void ScoreView::keyPressEvent(QKeyEvent* e) {
  const bool extend = e->modifiers() & Qt::ShiftModifier;
  if (!(e->modifiers() & (Qt::ControlModifier | Qt::AltModifier))) switch (e->key()) {
    case Qt::Key_Left:
      moveCaret(0, -1, extend);
      return;
    case Qt::Key_Right:
      moveCaret(0, 1, extend);
      return;
    case Qt::Key_Up:
      moveCaret(-1, 0, false);
      return;
    case Qt::Key_Down:
      moveCaret(1, 0, false);
      return;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (const std::string id = ornamentAtCaret(); !id.empty()) openOrnament(id);
      return;
    default:
      break;
    }
  QWidget::keyPressEvent(e);
}

// ---------------------------------------------------------------- playing

double ScoreView::playheadX() const {
  if (!session_.isOpen()) return -10;
  return axis_.xOf(session_.plan()->map().beatAt(session_.player().position()));
}

void ScoreView::tick() {
  if (!session_.isOpen()) return;
  const double x = playheadX();
  if (x == playheadDrawn_) return;
  if (session_.player().playing() && drag_ == Drag::none && !openRow_ && (x > axis_.x0 + axis_.width || x < axis_.x0)) {
    axis_.left = axis_.quartersAt(x) - 0.12 * axis_.width / axis_.pxPerBeat;
    chooseLanding();
    layOut();
    update();
    emit viewChanged();
    return;
  }
  updatePlayhead(x);
}

void ScoreView::updatePlayhead(double x) {
  for (const double at : {playheadDrawn_, x}) update(QRect(static_cast<int>(at) - scaled(8), 0, scaled(17), height()));
}

// ---------------------------------------------------------------- mouse

void ScoreView::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || !session_.isOpen()) return;
  setFocus();
  press_ = e->position();
  moved_ = false;
  anchor_.reset();
  if (!open_.empty() && openArea().contains(e->pos())) {
    for (const OpenHandle& h : drawing_->handles(canvas()))
      if (h.rect.adjusted(-4, -4, 4, 4).contains(press_)) {
        drag_ = Drag::handle;
        handle_ = h.name;
        pressOrnament_ = *session_.song().ornament(open_);
        return;
      }
  }
  for (const SignPlace& s : signs())
    if (s.rect.adjusted(-3, -4, 3, 4).contains(press_)) { // dragged it moves, clicked it opens
      drag_ = Drag::move;
      pressOrnament_ = *session_.song().ornament(s.ornament);
      return;
    }
  if (press_.y() < rulerHeight()) {
    emit seekRequested(snapped(press_.x(), e->modifiers()));
    return;
  }
  if (selection_) {
    const QRect staff = staffOf(selection_->row);
    if (staff.adjusted(0, -8, 0, 8).contains(e->pos())) {
      if (std::abs(press_.x() - axis_.xOf(selection_->begin)) <= kEdgeReach) drag_ = Drag::edgeBegin;
      if (std::abs(press_.x() - axis_.xOf(selection_->end)) <= kEdgeReach) drag_ = Drag::edgeEnd;
      if (drag_ != Drag::none) {
        strip_->hide();
        return;
      }
    }
  }
  if (const RowBox* r = rowAt(e->pos().y()); r && press_.x() >= axis_.x0) {
    drag_ = Drag::select;
    caretRow_ = r->id;
  }
}

void ScoreView::mouseMoveEvent(QMouseEvent* e) {
  const QPointF at = e->position();
  if (drag_ == Drag::none) {
    QString over;
    Qt::CursorShape shape = Qt::ArrowCursor;
    if (!open_.empty() && openArea().contains(e->pos()) && session_.plan())
      for (const OpenHandle& h : drawing_->handles(canvas()))
        if (h.rect.adjusted(-4, -4, 4, 4).contains(at)) {
          over = h.name;
          shape = h.cursor;
        }
    for (const SignPlace& s : signs())
      if (s.rect.adjusted(-3, -4, 3, 4).contains(at)) {
        shape = Qt::PointingHandCursor;
        const Ornament* o = session_.song().ornament(s.ornament);
        const Kind* k = o ? allKinds().find(o->kind) : nullptr;
        if (k) setToolTip(QString::fromStdString(k->table().name + (o->name.empty() ? "" : " “" + o->name + "”")));
      }
    if (shape == Qt::ArrowCursor) setToolTip({});
    if (selection_ && staffOf(selection_->row).contains(e->pos()) &&
        (std::abs(at.x() - axis_.xOf(selection_->begin)) <= kEdgeReach ||
         std::abs(at.x() - axis_.xOf(selection_->end)) <= kEdgeReach))
      shape = Qt::SizeHorCursor;
    setCursor(shape);
    if (over != hoverHandle_) {
      hoverHandle_ = over;
      update(openArea());
    }
    return;
  }
  if (!moved_ && (at - press_).manhattanLength() < kDragFrom) return;
  moved_ = true;
  switch (drag_) {
  case Drag::select: {
    const Beats a = snapped(press_.x(), e->modifiers()), b = snapped(at.x(), e->modifiers());
    if (a == b)
      select(std::nullopt);
    else
      select(Selection{caretRow_, std::min(a, b), std::max(a, b)});
    break;
  }
  case Drag::edgeBegin:
  case Drag::edgeEnd: {
    Selection s = *selection_;
    (drag_ == Drag::edgeBegin ? s.begin : s.end) = snapped(at.x(), e->modifiers());
    if (s.end < s.begin) {
      std::swap(s.begin, s.end);
      drag_ = drag_ == Drag::edgeBegin ? Drag::edgeEnd : Drag::edgeBegin;
    }
    if (s.begin < s.end) select(s);
    break;
  }
  case Drag::handle: {
    if (const auto next =
            drawing_->drag(handle_, press_, at, e->modifiers() & Qt::AltModifier, grid_, canvas(), *pressOrnament_)) {
      const QString name = kindWord(next->kind);
      session_.edit(tr("%1 of %2").arg(drawing_->wordFor(handle_), name), withOrnamentReplaced(session_.song(), *next),
                    "handle-" + open_ + handle_.toStdString());
    }
    break;
  }
  case Drag::move:
    dragOrnament(at, e->modifiers());
    break;
  default:
    break;
  }
}

void ScoreView::dragOrnament(QPointF to, Qt::KeyboardModifiers m) {
  Ornament o = *pressOrnament_;
  o.start = snapped(axis_.xOf(pressOrnament_->start) + to.x() - press_.x(), m);
  // Onto another row once the mouse is well inside it; a source elsewhere stays where it is.
  if (const RowBox* r = rowAt(static_cast<int>(to.y())); r && std::abs(to.y() - press_.y()) > r->height / 2)
    o.on = r->id;
  const QString name = kindWord(o.kind);
  session_.edit(tr("move of %1").arg(name), withOrnamentReplaced(session_.song(), o), "move-" + o.id);
}

void ScoreView::nudge(const std::string& id, int steps) {
  const Ornament* found = session_.song().ornament(id);
  if (!found || !session_.plan()) return;
  Ornament o = *found;
  const Beats step = grid_.ticks > 0 ? grid_ : Beats(kTicksPerQuarter / 16);
  o.start = o.start + step * steps;
  const QString name = kindWord(o.kind);
  session_.edit(tr("move of %1").arg(name), withOrnamentReplaced(session_.song(), o), "nudge-" + o.id);
}

void ScoreView::mouseReleaseEvent(QMouseEvent* e) {
  const Drag was = std::exchange(drag_, Drag::none);
  if (was == Drag::move) {
    session_.settle();
    if (!moved_) openOrnament(pressOrnament_->id);
    return;
  }
  if (was == Drag::handle) {
    session_.settle();
    handle_.clear();
    update(openArea());
    return;
  }
  if (was == Drag::select && !moved_) { // a click: the place to play from
    select(std::nullopt);
    caret_ = snapped(press_.x(), e->modifiers());
    emit seekRequested(caret_);
    return;
  }
  if (was != Drag::none && selection_) {
    caret_ = selection_->begin;
    showStrip();
    update();
    emit selectionChanged();
  }
}

void ScoreView::mouseDoubleClickEvent(QMouseEvent* e) {
  if (e->position().y() >= rulerHeight() || !session_.isOpen()) return;
  // On the ruler: the nearest landing becomes the one that bars are counted to.
  const auto all = session_.song().allLandings();
  const Landing* best = nullptr;
  for (const Landing& l : all)
    if (!best || std::abs(axis_.xOf(l.at) - e->position().x()) < std::abs(axis_.xOf(best->at) - e->position().x()))
      best = &l;
  if (!best) return;
  landing_ = *best;
  goToLanding(0);
}

void ScoreView::wheelEvent(QWheelEvent* e) {
  const QPoint pixels = e->pixelDelta();
  const double dy = pixels.isNull() ? e->angleDelta().y() / 120.0 * 60 : pixels.y(),
               dx = pixels.isNull() ? e->angleDelta().x() / 120.0 * 60 : pixels.x();
  if (e->modifiers() & Qt::ControlModifier) {
    zoom(std::pow(1.25, dy / 60), e->position().x());
  } else if ((e->modifiers() & Qt::ShiftModifier) && contentHeight_ > height() - rulerHeight()) {
    scrollY_ -= static_cast<int>(dy != 0 ? dy : dx);
    layOut();
    update();
  } else {
    scrollBy(-(dy + dx));
  }
  e->accept();
}

void ScoreView::leaveEvent(QEvent*) {
  if (hoverHandle_.isEmpty()) return;
  hoverHandle_.clear();
  update(openArea());
}

} // namespace ivrin::app

#include "app/score/score_view.h"

#include "app/faces/face.h"
#include "app/theme/ornament_look.h"

#include "app/openrow/curve_lane.h"
#include "app/openrow/open_row.h"
#include "app/score/row_head.h"
#include "app/score/sign_strip.h"
#include "app/theme/ink_button.h"
#include "app/theme/type.h"
#include "song/edits.h"
#include "time/note_value.h"

#include <QElapsedTimer>
#include <QKeyEvent>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kMargin = 112;
constexpr int kEaseMs = 180, kFoldAfterMs = 260;
constexpr int kDrawingLeast = 96, kThinnestStaff = 18, kRowsBeside = 6; // beside an open row
constexpr int kOpenHeight = 372, kFoldedLeast = 24, kFoldedMost = 44, kRowLeast = 34, kRowMost = 104;
constexpr double kLearnMs = 5; // of looking at prints out of view, at a time

} // namespace

std::vector<std::string> Selection::rows() const {
  std::vector<std::string> all{row};
  all.insert(all.end(), more.begin(), more.end());
  return all;
}

ScoreView::ScoreView(Session& session, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , waves_(session)
    , strip_(new SignStrip(this))
    , hand_(session)
    , grid_(kTicksPerQuarter / 4)
    , ease_(new QVariantAnimation(this)) {
  setAttribute(Qt::WA_OpaquePaintEvent);
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAcceptDrops(true);
  setAccessibleName(tr("Score"));
  setAccessibleDescription(
      tr("Arrow keys move by the grid and between rows, Shift selects, Return opens the ornament there."));
  gridMark_ = new InkButton(tr("grid 1/16"), this);
  gridMark_->setTextPx(12);
  gridMark_->setFocusPolicy(Qt::TabFocus);
  gridMark_->setObjectName(QStringLiteral("grid"));
  gridMark_->setToolTip(tr("What selections, edges and moves snap to; Alt leaves it, Alt and Shift find the attack"));
  strip_->hide();
  connect(strip_, &SignStrip::picked, this, &ScoreView::placeOnSelection);
  ease_->setDuration(kEaseMs);
  ease_->setEasingCurve(QEasingCurve::InOutCubic);
  connect(&session_, &Session::opened, this, &ScoreView::rebuild);
  connect(&session_, &Session::songChanged, this, &ScoreView::refresh);
  for (auto signal : {&Session::planChanged, &Session::printsAdvanced, &Session::rowPeaksReady, &Session::factsChanged})
    connect(&session_, signal, this, [this] {
      waves_.refresh();
      learnOrnaments();
      update();
    });
  learnTimer_.setSingleShot(true);
  connect(&learnTimer_, &QTimer::timeout, this, &ScoreView::learnNow);
  foldTimer_.setSingleShot(true);
  foldTimer_.setInterval(kFoldAfterMs);
  connect(&foldTimer_, &QTimer::timeout, this, &ScoreView::foldNow);
  connect(&session_, &Session::placed, this, [this](const QString& id) {
    select(std::nullopt);
    openOrnament(id.toStdString());
    emit auditionRequested();
  });
}

void ScoreView::learnNow() {
  learnOrnaments();
  update();
}

void ScoreView::foldNow() {
  std::set<std::string> now;
  for (const RowBox& r : rows_)
    if (foldsQuiet_ && isQuiet(r.id)) now.insert(r.id);
  if (now == quiet_) return;
  quiet_ = std::move(now);
  layOut();
  update();
}

ScoreView::~ScoreView() {
  delete openRow_;
}

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
  marked_.clear();
  quiet_.clear();
  hot_.clear();
  std::erase_if(folded_, [&](const std::string& id) { return !session_.song().hasRow(id); });
  for (const std::string& id : session_.song().rowsInScoreOrder()) {
    rows_.push_back({id, 0, 0, false, 0, 0});
    heads_.push_back(new RowHead(session_, id, this));
    connect(heads_.back(), &RowHead::foldRequested, this, [this, id] { toggleFold(id); });
    heads_.back()->show();
  }
  if (!rows_.empty()) caretRow_ = rows_.front().id;
  homeWanted_ = true;
  if (isVisible()) goHome();
  layOut();
  refresh();
}

void ScoreView::refresh() {
  std::vector<std::string> now;
  for (const auto& r : rows_) now.push_back(r.id);
  if (now != session_.song().rowsInScoreOrder()) {
    rebuild();
    return;
  }
  for (RowHead* h : heads_) h->refresh();
  if (std::erase_if(marked_, [&](const std::string& id) { return !session_.song().ornament(id); }) > 0)
    emit markedChanged();
  if (landing_) { // it may have moved or gone
    landing_ = session_.song().landingById(landing_->id);
    if (!landing_) chooseLanding();
  }
  if (!open_.empty()) {
    if (const Ornament* o = session_.song().ornament(open_)) {
      openRow_->setOrnament(*o);
      if (lane_) lane_->setOrnament(*o);
    } else {
      closeOrnament();
    }
  }
  learnOrnaments();
  update();
  emit viewChanged();
}

/// Lanes of the ornaments. Prints in view are looked at now; the rest a little at a time.
void ScoreView::learnOrnaments() {
  if (!session_.plan()) return;
  const TempoMap& map = session_.plan()->map();
  const FrameRange seen{map.frameAt(axis_.beatAt(0)), map.frameAt(axis_.beatAt(width()))};
  QElapsedTimer spent;
  spent.start();
  bool left = false;
  marks_.learn(*session_.plan(), [&](const OrnamentNode& node) -> std::optional<FrameRange> {
    if (!node.print || !node.print->complete()) return std::nullopt;
    if (intersect(node.print->extent(), seen).empty() && static_cast<double>(spent.nsecsElapsed()) > kLearnMs * 1e6 &&
        !waves_.knowsHeard(node)) {
      left = true;
      return std::nullopt;
    }
    return waves_.heard(node);
  });
  marks_.place(rows_, axis_);
  if (left) learnTimer_.start(0);
}

void ScoreView::axisMoved() {
  marks_.place(rows_, axis_);
  placeLane();
  if (!open_.empty()) openRow_->placeAnswers();
  if (foldsQuiet_) foldTimer_.start();
}

bool ScoreView::isQuiet(const std::string& row) const {
  if (row == caretRow_ || row == kMixRow) return false;
  if (selection_) {
    const auto rows = selection_->rows();
    if (std::find(rows.begin(), rows.end(), row) != rows.end()) return false;
  }
  const TempoMap& map = session_.plan()->map();
  const FrameRange seen{map.frameAt(axis_.beatAt(axis_.x0)), map.frameAt(axis_.beatAt(axis_.x0 + axis_.width))};
  for (const auto& o : session_.song().ornaments) {
    if (o->on != row) continue;
    const auto node = session_.plan()->node(o->id);
    if (!intersect(node ? node->extent() : map.frames(o->span()), seen).empty()) return false;
  }
  return true;
}

bool ScoreView::folded(const std::string& row) const {
  return folded_.contains(row) || (foldsQuiet_ && quiet_.contains(row));
}

void ScoreView::toggleFold(const std::string& row) {
  if (!folded_.erase(row)) folded_.insert(row);
  layOut();
  update();
}

void ScoreView::setFoldsQuiet(bool on) {
  foldsQuiet_ = on;
  if (on) foldTimer_.start(0);
  quiet_.clear();
  layOut();
  update();
}

void ScoreView::layOut() {
  fitAxis();
  const int n = static_cast<int>(rows_.size());
  if (n == 0) return;
  const int room = height() - rulerHeight();
  const Ornament* opened = open_.empty() ? nullptr : session_.song().ornament(open_);
  // The open row takes what the others leave, but never less than its numbers and a drawing that can be handled. A few
  // of the others stay beside it; what there is no room for is scrolled to.
  const int openLeast = opened ? openRow_->titleHeight() + openRow_->panelHeight() + scaled(kDrawingLeast) : 0;
  const int openMost = room - std::min(n - 1, kRowsBeside) * scaled(kThinnestStaff);
  const int openHeight =
      opened ? std::max(openLeast, std::min({std::max(scaled(kOpenHeight), room - (n - 1) * scaled(kFoldedMost)),
                                             openMost, scaled(540)}))
             : 0;
  // Beside an open row all are folded; else the folded ones are thin and the others share what is left.
  const int folds = static_cast<int>(
      opened ? n - 1 : std::count_if(rows_.begin(), rows_.end(), [&](const RowBox& r) { return folded(r.id); }));
  const int whole = opened ? 0 : n - folds;
  const int thin =
      opened ? std::clamp((room - openHeight) / std::max(1, folds), scaled(kThinnestStaff), scaled(kFoldedMost))
             : std::clamp(room / n, scaled(kFoldedLeast), scaled(30));
  const int each = whole == 0 ? 0
                              : std::clamp((room - folds * thin) / whole, scaled(kRowLeast),
                                           folds > 0 ? scaled(150) : scaled(kRowMost));
  contentHeight_ = openHeight + folds * thin + each * whole;
  scrollY_ = std::clamp(scrollY_, 0, std::max(0, contentHeight_ - room));
  int y = rulerHeight() - scrollY_;
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    RowBox& r = rows_[i];
    r.open = opened && r.id == opened->on;
    const bool isThin = opened ? !r.open : folded(r.id);
    r.y = y;
    r.height = r.open ? openHeight : isThin ? thin : each;
    const int pad = r.open ? 0 : std::max(2, r.height / 9);
    r.staffTop = r.open ? y + openRow_->titleHeight() : y + pad;
    r.staffHeight = r.open ? openHeight - openRow_->titleHeight() - openRow_->panelHeight() : r.height - 2 * pad;
    heads_[i]->setGeometry(0, r.open ? r.staffTop : r.y + 1, scaled(kMargin),
                           r.open ? std::min(r.staffHeight, scaled(70)) : r.height - 2);
    heads_[i]->setFolded(isThin);
    heads_[i]->setVisible(r.y + r.height > rulerHeight());
    if (r.open) openRow_->place(QRect(0, r.y, width(), r.height));
    y += r.height;
  }
  gridMark_->setGeometry(scaled(30), rulerHeight() - scaled(24), gridMark_->sizeHint().width(), scaled(20));
  if (strip_->isVisible()) showStrip();
  axisMoved();
}

void ScoreView::resizeEvent(QResizeEvent*) {
  if (homeWanted_) goHome();
  layOut();
  emit viewChanged();
}

void ScoreView::setGrid(Beats step, const QString& name) {
  grid_ = step;
  gridMark_->setText(tr("grid %1").arg(name));
  gridMark_->setAccessibleName(tr("Grid of %1").arg(name));
  gridMark_->resize(gridMark_->sizeHint().width(), gridMark_->height());
  placeLane();
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

const RowBox* ScoreView::rowAt(int y) const {
  for (const RowBox& r : rows_)
    if (y >= r.y && y < r.y + r.height && y >= rulerHeight()) return &r;
  return nullptr;
}

// ---------------------------------------------------------------- selecting and opening

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
  const QRect staff = staffOfSelection();
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

QRect ScoreView::staffOfSelection() const {
  QRect all = staffOf(selection_->row);
  for (const std::string& r : selection_->more) all = all.united(staffOf(r));
  return all;
}

void ScoreView::placeOnSelection(const QString& kind) {
  if (!selection_ || selection_->end <= selection_->begin) return;
  session_.place(kind.toStdString(), selection_->rows(), selection_->range());
}

void ScoreView::openOrnament(const std::string& id) {
  const Ornament* o = session_.song().ornament(id);
  if (!o || !session_.plan()) return;
  if (open_.empty()) formerAxis_ = axis_;
  openCurve({});
  strip_->hide();
  setHot({});
  mark({});
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
  drawing_ = faceOf(o->kind)->drawing();
  if (!openRow_) {
    openRow_ = new OpenRow(session_, this);
    connect(openRow_, &OpenRow::auditionRequested, this, &ScoreView::auditionRequested);
    connect(openRow_, &OpenRow::aloneRequested, this, &ScoreView::aloneRequested);
    connect(openRow_, &OpenRow::closeRequested, this, &ScoreView::closeOrnament);
    connect(openRow_, &OpenRow::curveRequested, this, &ScoreView::openCurve);
  }
  openRow_->show();
  openRow_->setOrnament(*o);
  // From lead-in to tail, with a beat of air.
  const auto node = session_.plan()->node(id);
  const TempoMap& map = session_.plan()->map();
  double begin = o->start.quarters(), end = o->span().end.quarters();
  if (node) {
    begin = std::min(begin, map.quartersAt(node->extent().begin));
    if (node->print && node->print->complete())
      end = std::max(end, map.quartersAt(node->extent().end));
    else if (const auto loop = node->kind->loopFigures({*o, session_.plan()->context()}); loop && loop->diesAt)
      end = std::max(end, loop->diesAt->quarters());
  }
  const double air = std::max(0.04 * (end - begin), std::min(1.0, 0.25 * (end - begin)));
  layOut();
  bringIntoView(o->on);
  showRange(begin - air, end + air, true);
  emit openChanged();
}

void ScoreView::closeOrnament() {
  if (open_.empty()) return;
  openCurve({});
  open_.clear();
  drawing_.reset();
  handle_.clear();
  hoverHandle_.clear();
  openRow_->hide();
  session_.choose({});
  layOut();
  showRange(formerAxis_.left, formerAxis_.right(), true);
  setFocus();
  emit openChanged();
}

OpenCanvas ScoreView::canvas() const {
  return {axis_, QRectF(openArea()), session_, *session_.song().ornament(open_), session_.plan()->node(open_), &waves_};
}

QRectF ScoreView::handleRect(const QString& name) const {
  if (open_.empty()) return {};
  for (const OpenHandle& h : drawing_->handles(canvas()))
    if (h.name == name) return h.rect;
  return {};
}

QRectF ScoreView::signOf(const std::string& ornament) const {
  const OrnamentBox* b = marks_.box(ornament);
  return b ? b->sign : QRectF();
}

void ScoreView::openCurve(const std::string& key) {
  if (lane_) {
    lane_->hide();
    lane_->deleteLater();
    lane_ = nullptr;
    if (openRow_) {
      openRow_->setCurveShown({});
      openRow_->renewAnswers();
    }
    setFocus();
    update();
  }
  const Ornament* o = session_.song().ornament(open_);
  const Kind* kind = o ? allKinds().find(o->kind) : nullptr;
  const SettingSpec* spec = kind && !key.empty() ? kind->table().find(key) : nullptr;
  if (!spec || !spec->curve) return;
  lane_ = new CurveLane(session_, *spec, this);
  lane_->setOrnament(*o);
  connect(lane_, &CurveLane::closeRequested, this, [this] { openCurve({}); });
  openRow_->setCurveShown(key);
  openRow_->renewAnswers();
  placeLane();
  lane_->show();
  lane_->setFocus();
  update();
}

void ScoreView::placeLane() {
  if (!lane_) return;
  lane_->setGrid(grid_);
  lane_->place(openArea(), axis_);
}

void ScoreView::setCaret(Beats b) {
  caret_ = b;
  update();
}

std::vector<std::string> ScoreView::rowsBetween(const std::string& a, const std::string& b) const {
  std::vector<std::string> all;
  bool inside = false;
  for (const RowBox& r : rows_) {
    const bool edge = r.id == a || r.id == b;
    if (edge || inside) all.push_back(r.id);
    if (edge && a != b) inside = !inside;
  }
  std::erase(all, a); // `a` stands first
  return all;
}

void ScoreView::moveCaret(int rows, int steps, bool extend) {
  if (rows_.empty() || !session_.plan()) return;
  std::size_t at = 0;
  for (std::size_t i = 0; i < rows_.size(); ++i)
    if (rows_[i].id == caretRow_) at = i;
  at = static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(at) + rows, 0,
                                                           static_cast<std::ptrdiff_t>(rows_.size()) - 1));
  if (extend && !anchor_) {
    anchor_ = selection_ ? selection_->begin : caret_;
    anchorRow_ = selection_ ? selection_->row : caretRow_;
  }
  caretRow_ = rows_[at].id;
  if (extend && selection_ && !(caret_ == selection_->begin)) caret_ = selection_->end;
  const Beats step = grid_.ticks > 0 ? grid_ : Beats(kTicksPerQuarter / 16);
  if (steps != 0) {
    const Beats moved = snapToGrid(caret_ + step * steps, step, session_.plan()->map());
    // A grid that does not divide the bar begins again at its line: never stand still.
    caret_ = moved == caret_ ? caret_ + step * steps : moved;
  }
  if (extend) {
    const Beats a = std::min(*anchor_, caret_), b = std::max(*anchor_, caret_);
    const std::string row = caretRow_;
    select(b > a ? std::optional(Selection{anchorRow_, a, b, rowsBetween(anchorRow_, caretRow_)}) : std::nullopt);
    caretRow_ = row;
  } else {
    anchor_.reset();
    select(std::nullopt);
    emit seekRequested(caret_);
  }
  if (caret_.quarters() < axis_.left || caret_.quarters() > axis_.right()) centreOn(caret_);
  bringIntoView(caretRow_);
}

void ScoreView::bringIntoView(const std::string& row) {
  const auto r = std::find_if(rows_.begin(), rows_.end(), [&](const RowBox& b) { return b.id == row; });
  if (r == rows_.end()) return;
  const int over = r->y - rulerHeight(), under = r->y + r->height - height();
  if (over >= 0 && under <= 0) return;
  scrollY_ += over < 0 ? over : std::min(under, over); // one too high for the window shows its top
  layOut();
  update();
}

void ScoreView::mark(std::set<std::string> ids) {
  if (ids == marked_) return;
  marked_ = std::move(ids);
  update();
  emit markedChanged();
}

std::vector<std::string> ScoreView::inHand() const {
  if (!marked_.empty()) return {marked_.begin(), marked_.end()};
  const std::string id = ornamentAtCaret();
  return id.empty() ? std::vector<std::string>() : std::vector<std::string>{id};
}

namespace {

QString wordsFor(const Song& song, const std::vector<std::string>& ids) {
  return ids.size() == 1 ? kindWord(song.ornament(ids.front())->kind) : QObject::tr("%1 ornaments").arg(ids.size());
}

} // namespace

void ScoreView::nudge(int steps) {
  const auto ids = inHand();
  if (ids.empty()) return;
  const Beats step = grid_.ticks > 0 ? grid_ : Beats(kTicksPerQuarter / 16);
  session_.edit(tr("move of %1").arg(wordsFor(session_.song(), ids)),
                withOrnamentsShifted(session_.song(), ids, step * steps), "nudge-" + ids.front());
}

void ScoreView::nudgeFrames(int frames) {
  const auto ids = inHand();
  if (ids.empty()) return;
  // By whole frames of the first one; the others keep their distance in beats.
  const TempoMap& map = session_.plan()->map();
  const Beats start = session_.song().ornament(ids.front())->start;
  const Beats to = map.beatAt(map.frameAt(start) + Frames(frames));
  session_.edit(tr("move of %1").arg(wordsFor(session_.song(), ids)),
                withOrnamentsShifted(session_.song(), ids, to - start), "nudge-frames-" + ids.front());
}

void ScoreView::reorder(int steps) {
  const std::string id = marked_.size() == 1 ? *marked_.begin() : ornamentAtCaret();
  const Ornament* o = session_.song().ornament(id);
  if (!o) return;
  const auto now = static_cast<int>(orderOnRow(session_.song(), id));
  const QString name = kindWord(o->kind);
  session_.edit(tr("order of %1").arg(name),
                withOrnamentAt(session_.song(), id, static_cast<std::size_t>(std::max(0, now + steps))), {});
  session_.settle();
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
      moveCaret(-1, 0, extend && selection_);
      return;
    case Qt::Key_Down:
      moveCaret(1, 0, extend && selection_);
      return;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (tries_.running()) {
        tries_.keep();
        return;
      }
      if (const std::string id = ornamentAtCaret(); !id.empty()) openOrnament(id);
      return;
    default:
      break;
    }
  QWidget::keyPressEvent(e);
}

} // namespace ivrin::app

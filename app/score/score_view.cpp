#include "app/score/score_view.h"

#include "app/axis/modifiers.h"
#include "app/score/magnifier.h"
#include "app/score/press_on_score.h"
#include "app/score/score_objects.h"
#include "app/score/sign_strip.h"
#include "app/session/landing_edits.h"
#include "app/theme/focus_frame.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "time/note_value.h"

#include <QKeyEvent>
#include <QMimeData>
#include <QPaintEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kOnsetReachPixels = 40;

} // namespace

ScoreView::ScoreView(Session& session, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , travel_(this)
    , ornamentHand_(session)
    , caret_(*this)
    , inHand_(*this)
    , heads_(*this)
    , folds_(*this)
    , openings_(*this)
    , snapGrid_(*this)
    , opened_(*this)
    , playhead_(*this)
    , mouse_(*this)
    , selected_(*this) {
  setAttribute(Qt::WA_OpaquePaintEvent);
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAcceptDrops(true);
  makeScoreReadable();
  setAccessibleName(tr("Score"));
  setAccessibleDescription(
      tr("The arrow keys move by the grid and between rows, Shift selects, Return opens the ornament at the cursor."));
  connect(&travel_, &ScoreTravel::moved, this, [this] {
    // Bars are counted to a landing in view; an open ornament keeps its own.
    const auto& l = travel_.landing();
    if (l && (l->at.quarters() < axis().left || l->at.quarters() > axis().right()) && !opened_.ornament())
      travel_.chooseLanding(session_.song());
    viewMoved();
  });
  connect(&session_, &Session::opened, this, &ScoreView::rebuild);
  connect(&session_, &Session::songChanged, this, &ScoreView::refresh);
  connect(&session_.findings(), &SongFindings::openingsReady, this, [this] { openings_.renew(); });
  connect(&session_, &Session::planChanged, this, &ScoreView::soundsAnew);
  connect(&session_, &Session::printsAdvanced, this, &ScoreView::soundsAnew);
  connect(&session_.rows(), &RowFacts::peaksReady, this, &ScoreView::soundsAnew);
  connect(&session_.rows(), &RowFacts::chosenChanged, this, &ScoreView::soundsAnew);
  learnTimer_.setSingleShot(true);
  connect(&learnTimer_, &QTimer::timeout, this, &ScoreView::learnNow);
  connect(&session_.placing(), &Placing::pendingChanged, this, &ScoreView::updateStaves);
  connect(&session_.placing(), &Placing::placed, this, [this](const QString& id) {
    select(std::nullopt);
    opened_.open(id.toStdString());
    emit auditionRequested();
  });
}

ScoreView::~ScoreView() = default;

// ---------------------------------------------------------------- the song has changed

void ScoreView::soundsAnew() {
  if (session_.plan()) waves_.show({session_.plan(), session_.audio(), session_.rows().peaks()});
  learnOrnaments();
  update();
}

void ScoreView::learnNow() {
  learnOrnaments();
  update();
}

void ScoreView::rebuild() {
  caret_.setRow({});
  makeRows();
  homeWanted_ = true;
  opened_.warmSoon();
  if (isVisible()) goHome();
  layOut();
  refresh();
}

/// Rows have come, gone or changed places; the view stays where it is.
void ScoreView::makeRows() {
  opened_.close();
  selected_.drop();
  inHand_.forget();
  mouse_.setHot({});
  folds_.renewRows();
  heads_.make();
  if (std::find(rows().begin(), rows().end(), caret_.row()) == rows().end())
    caret_.setRow(rows().empty() ? std::string() : rows().front());
  openings_.renew();
}

void ScoreView::refresh() {
  if (rows() != session_.song().rowsInScoreOrder()) {
    makeRows();
    layOut();
  }
  heads_.refresh();
  inHand_.renew();
  travel_.renewLanding(session_.song());
  openings_.refresh();
  opened_.refresh();
  learnOrnaments();
  update();
  emit viewChanged();
}

/// Lanes of the ornaments. Prints in view are looked at now; the rest a little at a time.
void ScoreView::learnOrnaments() {
  if (!session_.plan()) return;
  std::int64_t frames = RowWaves::kAtOnce;
  bool left = false;
  marks_.learn(*session_.plan(), [&](const OrnamentNode& node) -> std::optional<FrameRange> {
    if (!node.print || !node.print->complete()) return std::nullopt;
    const auto heard = waves_.heard(node, frames);
    left = left || !heard;
    return heard;
  });
  marks_.place(page_.rows, axis());
  if (left) learnTimer_.start(0); // goes on
}

// ---------------------------------------------------------------- the page

void ScoreView::axisMoved() {
  snapGrid_.show();
  marks_.place(page_.rows, axis());
  opened_.axisMoved();
  folds_.viewMoved();
}

void ScoreView::layOut() {
  PageSpec spec{size(), rows(), {}, std::nullopt, scrollY_};
  for (const std::string& id : rows())
    if (folds_.folded(id)) spec.folded.insert(id);
  if (const Ornament* o = opened_.ornament()) spec.open = {o->on, opened_.titleHeight(), opened_.panelHeight()};
  page_ = layOutPage(spec);
  scrollY_ = page_.scrollY;
  const QRect staves = page_.staves();
  travel_.fit(staves.left(), page_.rows.empty() ? staves.width() : staffOf(rows().front()).width());
  heads_.place(page_);
  for (const RowBox& r : page_.rows)
    if (r.open) opened_.place(QRect(0, r.y, width(), r.height));
  if (page_.rows.empty()) return;
  snapGrid_.place();
  selected_.placeStrip();
  axisMoved();
}

void ScoreView::resizeEvent(QResizeEvent*) {
  if (homeWanted_) goHome();
  layOut();
  emit viewChanged();
}

void ScoreView::setGrid(Beats step, const QString& name) {
  snapGrid_.set(step, name);
  opened_.placeLane();
}

Beats ScoreView::attackNear(Beats at) const {
  return nearestOnset(session_, caret_.row(), at, Beats::ofQuarters(kOnsetReachPixels / axis().pxPerBeat));
}

Beats ScoreView::snapped(double x, Qt::KeyboardModifiers m) const {
  const Beats b = axis().beatAt(x);
  if (!session_.plan()) return b;
  if (seeksAttack(m)) return attackNear(b);
  if (leavesGrid(m) || grid().ticks == 0) return b;
  return snapToGrid(b, handGrid(), session_.plan()->map());
}

QRectF ScoreView::signOf(const std::string& ornament) const {
  const OrnamentBox* b = marks_.box(ornament);
  return b ? b->sign : QRectF();
}

void ScoreView::setProposed(const std::set<std::string>& ornaments) {
  proposed_ = ornaments;
  update();
}

void ScoreView::placeOnSelection(const QString& kind) {
  pressOnScore(*this, kind.toStdString());
}

// ---------------------------------------------------------------- painting

void ScoreView::paintEvent(QPaintEvent* e) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setRenderHint(QPainter::TextAntialiasing);
  const QRect dirty = e->rect();
  if (!session_.isOpen() || rows().empty()) {
    p.fillRect(dirty, paper().paper);
    return;
  }
  if (dirty == rect()) playhead_.put();
  const ScorePicture now = pictureOf(*this);
  if (!paintStaves(p, now, waves_, staffPaint_, dirty.intersected(page_.staves()))) learnTimer_.start(0);
  paintRuler(p, now, dirty);
  paintMargin(p, now, dirty);
  std::function<void(QPainter&)> open;
  if (opened_.isDrawn()) open = [this](QPainter& on) { opened_.paint(on); };
  paintMarks(p, now, dirty, open);
  if (hasFocus() && opened_.isDrawn()) paintFocusFrame(p, openArea()); // the keys move the ornament
}

// ---------------------------------------------------------------- travelling

/// All but the margin: the row heads stay as they are while the view travels.
void ScoreView::updateStaves() {
  update(QRect(Page::marginWidth(), 0, width() - Page::marginWidth(), height()));
}

void ScoreView::viewMoved() {
  layOut();
  playhead_.put();
  updateStaves();
  emit viewChanged();
}

void ScoreView::goHome() {
  homeWanted_ = false;
  layOut();
  travel_.goHome(session_.song());
}

void ScoreView::centreOnLanding() {
  travelled();
  travel_.goToLanding(session_.song(), 0);
}

void ScoreView::goToLanding(const std::string& id) {
  const auto l = session_.song().landingById(id);
  if (!l) return;
  travel_.setLanding(l);
  centreOnLanding();
}

void ScoreView::countTo(const std::string& landing) {
  if (const auto l = session_.song().landingById(landing)) travel_.setLanding(l);
  viewMoved();
}

void ScoreView::centreOn(Beats b) {
  travelled();
  travel_.centreOn(b);
  travel_.chooseLanding(session_.song());
  viewMoved();
}

void ScoreView::showRange(double begin, double end, bool eased) {
  travel_.showRange(begin, end, eased && isVisible());
}

void ScoreView::bringIntoView(const std::string& row) {
  scrollRows(page_.scrollTo(row) - scrollY_);
}

void ScoreView::scrollRows(int pixels) {
  if (pixels == 0) return;
  scrollY_ += pixels;
  layOut();
  update();
}

bool ScoreView::atRest() const {
  return !travel_.easing() && !folds_.waiting() && !learnTimer_.isActive();
}

void ScoreView::comeToRest() {
  while (!atRest()) {
    if (travel_.easing()) travel_.endEasing();
    if (folds_.waiting()) folds_.foldNow();
    while (learnTimer_.isActive()) {
      learnTimer_.stop();
      learnNow();
    }
  }
}

void ScoreView::zoom(double factor, double atX) {
  travelled();
  travel_.zoom(factor, atX);
}

void ScoreView::scrollBy(double pixels) {
  travelled();
  const double whole = travel_.scrollBy(pixels, devicePixelRatioF());
  if (whole == 0) return;
  const bool simple = !opened_.isOpen() && selected_.stripArea().isNull() && std::abs(whole) < axis().width / 2 &&
                      whole == std::floor(whole);
  if (!simple) return viewMoved();
  scroll(static_cast<int>(-whole), 0, QRect(Page::marginWidth(), 0, width() - Page::marginWidth(), height()));
  playhead_.scrolled(whole);
  // What stands still on the page, and went along.
  update(QRect(Page::marginWidth(), 0, scaled(70), Page::rulerHeight()));
  if (hasFocus())
    if (const QRect staff = page_.staffOf(caret_.row()); !staff.isNull()) {
      const QRect bar(Page::marginWidth(), staff.top() - 1, scaled(4) + 2, staff.height() + 2);
      update(bar);
      update(bar.translated(static_cast<int>(-whole), 0));
    }
  axisMoved();
  emit viewChanged();
}

/// The view goes where the hand wants it: what plays does not take it away again.
void ScoreView::travelled() {
  if (session_.isOpen() && session_.player().playing()) playhead_.setFollows(false);
}

void ScoreView::tick() {
  if (!playhead_.tick()) return;
  travel_.turnPageTo(axis().quartersAt(playhead_.wanted()));
  travel_.chooseLanding(session_.song());
  viewMoved();
}

ViewState ScoreView::viewState() const {
  const TimeAxis& a = opened_.isOpen() ? opened_.formerAxis() : axis();
  return {a.left,       a.pxPerBeat,     landing() ? landing()->id : std::string(),
          opened_.id(), folds_.byHand(), folds_.foldsQuiet()};
}

void ScoreView::restore(const ViewState& v) {
  if (!session_.isOpen()) return;
  homeWanted_ = false;
  folds_.restore(v.folded, v.foldsQuiet);
  layOut();
  travel_.restore(v.left, v.pxPerBeat);
  travel_.setLanding(session_.song().landingById(v.landing));
  if (!landing()) travel_.chooseLanding(session_.song());
  layOut();
  update();
  emit viewChanged();
  if (session_.song().ornament(v.open)) opened_.open(v.open);
}

// ---------------------------------------------------------------- events

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

void ScoreView::keyPressEvent(QKeyEvent* e) {
  const bool extend = e->modifiers() & Qt::ShiftModifier;
  if (e->modifiers() == Qt::NoModifier && opened_.arrowed(*e)) return;
  if (!(e->modifiers() & (Qt::ControlModifier | Qt::AltModifier))) switch (e->key()) {
    case Qt::Key_Left:
      return caret_.move(0, -1, extend);
    case Qt::Key_Right:
      return caret_.move(0, 1, extend);
    case Qt::Key_Up:
      return caret_.move(-1, 0, extend && selection());
    case Qt::Key_Down:
      return caret_.move(1, 0, extend && selection());
    case Qt::Key_Return:
    case Qt::Key_Enter:
      return opened_.enter();
    default:
      break;
    }
  QWidget::keyPressEvent(e);
}

} // namespace ivrin::app

#include "app/score/score_view.h"

#include "app/faces/face.h"
#include "app/score/score_objects.h"
#include "app/theme/ornament_look.h"

#include "app/openrow/curve_lane.h"
#include "app/openrow/open_row.h"
#include "app/score/row_head.h"
#include "app/score/sign_strip.h"
#include "app/session/as_text.h"
#include "app/theme/ink_button.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "manners/manners.h"
#include "song/edits.h"
#include "time/note_value.h"

#include <QKeyEvent>
#include <QPaintEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kFoldAfterMs = 260, kWarmAfterMs = 400;

} // namespace

ScoreView::ScoreView(Session& session, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , travel_(this)
    , hand_(session)
    , openHand_(session)
    , strip_(new SignStrip(this))
    , grid_(kTicksPerQuarter / 4) {
  setAttribute(Qt::WA_OpaquePaintEvent);
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAcceptDrops(true);
  makeScoreReadable();
  setAccessibleName(tr("Score"));
  setAccessibleDescription(
      tr("Arrow keys move by the grid and between rows, Shift selects, Return opens the ornament there."));
  gridButton_ = new InkButton(tr("grid 1/16"), this);
  gridButton_->setTextPx(12);
  gridButton_->setFocusPolicy(Qt::TabFocus);
  gridButton_->setObjectName(QStringLiteral("grid"));
  gridButton_->setToolTip(tr(
      "What selections, edges and moves snap to, coarser where it could not be seen; Shift leaves it, Ctrl and Shift "
      "find the attack"));
  strip_->hide();
  connect(strip_, &SignStrip::picked, this, &ScoreView::placeOnSelection);
  connect(&travel_, &ScoreTravel::moved, this, [this] {
    // Bars are counted to a landing in view; an open ornament keeps its own.
    const auto& l = travel_.landing();
    if (l && (l->at.quarters() < axis().left || l->at.quarters() > axis().right()) && !session_.song().ornament(open_))
      travel_.chooseLanding(session_.song());
    viewMoved();
  });
  connect(&session_, &Session::opened, this, &ScoreView::rebuild);
  connect(&session_, &Session::songChanged, this, &ScoreView::refresh);
  connect(&session_.findings(), &SongFindings::openingsReady, this, &ScoreView::renewOpenings);
  const auto soundsAnew = [this] {
    showWaves();
    learnOrnaments();
    update();
  };
  connect(&session_, &Session::planChanged, this, soundsAnew);
  connect(&session_, &Session::printsAdvanced, this, soundsAnew);
  connect(&session_.rows(), &RowFacts::peaksReady, this, soundsAnew);
  connect(&session_.rows(), &RowFacts::chosenChanged, this, soundsAnew);
  warmTimer_.setSingleShot(true);
  connect(&warmTimer_, &QTimer::timeout, this, &ScoreView::warmOpenRow);
  learnTimer_.setSingleShot(true);
  connect(&learnTimer_, &QTimer::timeout, this, &ScoreView::learnNow);
  foldTimer_.setSingleShot(true);
  foldTimer_.setInterval(kFoldAfterMs);
  connect(&foldTimer_, &QTimer::timeout, this, &ScoreView::foldNow);
  connect(&session_.placing(), &Placing::placed, this, [this](const QString& id) {
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
  for (const std::string& id : rows_)
    if (foldsQuiet_ && isQuiet(id)) now.insert(id);
  if (now == quiet_) return;
  quiet_ = std::move(now);
  layOut();
  update();
}

ScoreView::~ScoreView() {
  delete openRow_;
}

void ScoreView::showWaves() {
  if (session_.plan()) waves_.show({session_.plan(), session_.audio(), session_.rows().peaks()});
}

/// Another song.
void ScoreView::rebuild() {
  caretRow_.clear();
  makeRows();
  homeWanted_ = true;
  warmTimer_.start(kWarmAfterMs);
  if (isVisible()) goHome();
  layOut();
  refresh();
}

/// Rows have come, gone or changed places; the view stays where it is.
void ScoreView::makeRows() {
  closeOrnament();
  for (RowHead* h : heads_) { // one of them may have told of it
    h->hide();
    h->deleteLater();
  }
  heads_.clear();
  rows_.clear();
  selection_.reset();
  strip_->hide();
  marked_.clear();
  quiet_.clear();
  hot_.clear();
  std::erase_if(folded_, [&](const std::string& id) { return !session_.song().hasRow(id); });
  for (const std::string& id : session_.song().rowsInScoreOrder()) {
    rows_.push_back(id);
    heads_.push_back(new RowHead(session_, id, this));
    connect(heads_.back(), &RowHead::foldRequested, this, [this, id] { toggleFold(id); });
    connect(heads_.back(), &RowHead::fileWanted, this, [this, id] { emit fileWanted(id); });
    connect(heads_.back(), &RowHead::chosen, this, [this, id] {
      setFocus();
      caretRow_ = id;
      update();
    });
    connect(heads_.back(), &RowHead::menuWanted, this, [this, id](const QPoint& at) {
      caretRow_ = id;
      update();
      emit rowMenuWanted(at);
    });
    connect(heads_.back(), &RowHead::dragged, this,
            [this, id](const QPoint& at, bool dropped) { dragRow(id, at, dropped); });
    heads_.back()->show();
  }
  if (std::find(rows_.begin(), rows_.end(), caretRow_) == rows_.end())
    caretRow_ = rows_.empty() ? std::string() : rows_.front();
  renewOpenings();
}

void ScoreView::dragRow(const std::string& row, QPoint globalAt, bool dropped) {
  std::set<std::string> buses;
  if (session_.song().stem(row))
    for (const Bus& b : session_.song().buses) buses.insert(b.id);
  const auto to = rowDropAt(page_, mapFromGlobal(globalAt).y(), buses);
  rowDrop_ = dropped ? std::nullopt : to;
  update();
  if (!dropped || !to) return;
  caretRow_ = row;
  QMetaObject::invokeMethod( // the head that was let go is still telling it
      this, [this, row, to = *to] { emit rowDropped(row, to.before, to.ontoBus); }, Qt::QueuedConnection);
}

void ScoreView::refresh() {
  if (rows_ != session_.song().rowsInScoreOrder()) {
    makeRows();
    layOut();
  }
  for (RowHead* h : heads_) h->refresh();
  if (std::erase_if(marked_, [&](const std::string& id) { return !session_.song().ornament(id); }) > 0)
    emit markedChanged();
  travel_.renewLanding(session_.song());
  if (showsOpenings_ && !session_.findings().openings()) renewOpenings();
  if (!open_.empty()) {
    if (const Ornament* o = session_.song().ornament(open_)) {
      openRow_->setOrnament(*o);
      if (lane_ && !lane_->setOrnament(*o)) closeCurve();
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

void ScoreView::axisMoved() {
  showGrid();
  marks_.place(page_.rows, axis());
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
  const FrameRange seen{map.frameAt(axis().beatAt(axis().x0)), map.frameAt(axis().beatAt(axis().x0 + axis().width))};
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
  PageSpec spec{size(), rows_, {}, std::nullopt, scrollY_};
  for (const std::string& id : rows_)
    if (folded(id)) spec.folded.insert(id);
  if (const Ornament* opened = open_.empty() ? nullptr : session_.song().ornament(open_))
    spec.open = {opened->on, openRow_->titleHeight(), openRow_->panelHeight()};
  page_ = layOutPage(spec);
  scrollY_ = page_.scrollY;
  const QRect staves = page_.staves();
  travel_.fit(staves.left(), page_.rows.empty() ? staves.width() : staffOf(rows_.front()).width());
  for (std::size_t i = 0; i < page_.rows.size(); ++i) {
    const RowBox& r = page_.rows[i];
    heads_[i]->setGeometry(0, r.open ? r.staffTop : r.y + 1, Page::marginWidth(),
                           r.open ? std::min(r.staffHeight, scaled(70)) : r.height - 2);
    heads_[i]->setFolded(r.thin);
    heads_[i]->setVisible(r.y + r.height > Page::rulerHeight());
    if (r.open) openRow_->place(QRect(0, r.y, width(), r.height));
  }
  if (page_.rows.empty()) return;
  gridButton_->setGeometry(scaled(30), Page::rulerHeight() - scaled(24), gridButton_->sizeHint().width(), scaled(20));
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
  gridName_ = name;
  showGrid();
  placeLane();
}

Beats ScoreView::handGrid() const {
  constexpr double kFinest = 6; // pixels between two places that a hand tells apart
  if (grid_.ticks == 0 || !session_.plan()) return grid_;
  const MeterEntry& meter = session_.plan()->map().meterAt(axis().beatAt(axis().x0));
  Beats step = grid_;
  while (step.quarters() * axis().pxPerBeat < kFinest && step < meter.barLength())
    step = step * 2 <= meter.beatLength() ? step * 2
           : step < meter.beatLength()    ? meter.beatLength()
                                          : meter.barLength();
  return step;
}

/// The mark at the margin's head says what snaps now.
void ScoreView::showGrid() {
  const Beats step = handGrid();
  QString name = gridName_;
  if (step != grid_) {
    const MeterEntry& meter = session_.plan()->map().meterAt(axis().beatAt(axis().x0));
    // A coarser one of the same form: 1/16t, 1/8t.
    const auto value = NoteValue::parse(gridName_.toStdString());
    NoteValue coarser = value.value_or(NoteValue{});
    coarser.number = std::max(1, static_cast<int>(coarser.number * grid_.ticks / step.ticks));
    name = step == meter.barLength() ? tr("1 bar") : step == meter.beatLength() ? tr("1 beat") : asText(coarser.text());
  }
  if (gridButton_->text() == tr("grid %1").arg(name)) return;
  gridButton_->setText(tr("grid %1").arg(name));
  gridButton_->setAccessibleName(tr("Grid of %1").arg(name));
  gridButton_->resize(gridButton_->sizeHint().width(), gridButton_->height());
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
  const QRect staff = page_.staffOf(selection_->rows());
  strip_->adjustSize();
  const int right = static_cast<int>(axis().xOf(selection_->end));
  int x = std::clamp(right + scaled(58), Page::marginWidth() + 4,
                     std::max(Page::marginWidth() + 4, width() - strip_->width() - scaled(10)));
  int y = staff.bottom() + scaled(8);
  if (y + strip_->height() > height() - 4) y = staff.top() - strip_->height() - scaled(8);
  strip_->move(x, y);
  strip_->show();
  strip_->raise();
}

void ScoreView::placeOnSelection(const QString& kind) {
  if (selection_ && selection_->end > selection_->begin) {
    session_.placing().place(kind.toStdString(), selection_->rows(), selection_->range());
    return;
  }
  if (const Ornament* o = openOfKind(kind.toStdString())) {
    session_.placing().place(o->kind, {o->on}, o->span());
    return;
  }
  if (const Manners* m = mannersOf(kind.toStdString()); m && placeAfterOpen(*m)) return;
  if (const auto stretch = stretchAtLanding(kind.toStdString())) {
    session_.placing().place(kind.toStdString(), {caretRow_}, *stretch);
  } else {
    emit session_.notice(
        tr("Nothing is selected: drag over a row, or hold Shift with the arrow keys, then press it again."), false);
  }
}

/// False where the kind does not follow another one, or none is open.
bool ScoreView::placeAfterOpen(const Manners& m) {
  const Ornament* open = session_.song().ornament(open_);
  if (!open || !session_.plan()) return false;
  const auto after = m.stretchAfter(*open, session_.plan()->context(), session_.song());
  if (!after) return false;
  if (after->length().ticks > 0)
    session_.placing().placeAfter(std::string(m.kind()), *open, *after);
  else
    emit session_.notice(
        tr("The %1 is done where it lands: nothing is left to be silent until then.").arg(kindWord(open->kind)), false);
  return true;
}

std::optional<BeatRange> ScoreView::stretchAtLanding(const std::string& kind) const {
  const Manners* m = mannersOf(kind);
  const auto& landing = travel_.landing();
  return m && landing && session_.plan() ? m->stretchAt(session_.plan()->map(), landing->at) : std::nullopt;
}

const Ornament* ScoreView::openOfKind(const std::string& kind) const {
  const Ornament* o = session_.song().ornament(open_);
  return o && o->kind == kind ? o : nullptr;
}

ScorePicture ScoreView::picture() const {
  ScorePicture s{page_, axis(), devicePixelRatioF(), session_.plan(), marks_.shared(), travel_.landing(), open_};
  if (const auto& f = session_.rows().chosen(); f && f->ornament == open_) {
    s.collisions = f->collisions;
    s.over = f->over;
  }
  s.hot = hot_;
  s.marked = marked_;
  s.pieces = pieceBoxes();
  s.proposed = session_.findings().proposedSections();
  s.proposedOrnaments = proposedOrnaments_;
  if (showsOpenings_) s.openings = &openings_;
  s.hotOpening = hotOpening_;
  s.selection = selection_;
  if (strip_->isVisible()) s.strip = strip_->geometry();
  if (hasFocus() && open_.empty()) s.caret = {caretRow_, selection_ ? std::nullopt : std::optional(caret_)};
  s.alignments = hand_.marks();
  s.rowDrop = rowDrop_;
  s.gridDrag = gridMarkAt_;
  if (const auto at = magnified()) s.lens = {at->first, at->second, magnifierRect(), session_.rows().onsets(at->first)};
  s.playheadX = playheadAt_;
  return s;
}

void ScoreView::paintEvent(QPaintEvent* e) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setRenderHint(QPainter::TextAntialiasing);
  const QRect dirty = e->rect();
  if (!session_.isOpen() || rows_.empty()) {
    p.fillRect(dirty, paper().paper);
    return;
  }
  if (dirty == rect()) playheadAt_ = playheadX();
  const ScorePicture now = picture();
  if (!paintStaves(p, now, waves_, staffPaint_, dirty.intersected(page_.staves()))) learnTimer_.start(0);
  paintRuler(p, now, dirty);
  paintMargin(p, now, dirty);
  std::function<void(QPainter&)> open;
  if (!open_.empty() && session_.song().ornament(open_) && !lane_)
    open = [this](QPainter& on) {
      const OpenCanvas c = canvas();
      openHand_.drawing()->paint(on, c);
      paintHandles(on, openHand_.handles(c), openHand_.active());
    };
  paintMarks(p, now, dirty, open);
}

void ScoreView::setProposed(const std::set<std::string>& ornaments) {
  proposedOrnaments_ = ornaments;
  update();
}

void ScoreView::setShowsOpenings(bool on) {
  showsOpenings_ = on;
  renewOpenings();
}

/// Those there are; they are listened for again where the song has moved on under them.
void ScoreView::renewOpenings() {
  hotOpening_ = nullptr;
  const std::vector<Opening>* all = session_.findings().openings();
  std::vector<Opening> shown;
  if (all && showsOpenings_)
    std::copy_if(all->begin(), all->end(), std::back_inserter(shown),
                 [](const Opening& o) { return o.score >= kWorthShowing; });
  openings_.show(std::move(shown), session_.plan() ? session_.plan()->map() : TempoMap());
  if (!all && showsOpenings_) session_.findings().lookForOpenings();
  update();
}

void ScoreView::setHotOpening(const Opening* o) {
  if (std::exchange(hotOpening_, o) != o) updateStaves();
}

QRectF ScoreView::signOf(const std::string& ornament) const {
  const OrnamentBox* b = marks_.box(ornament);
  return b ? b->sign : QRectF();
}

// ---------------------------------------------------------------- travelling

/// All but the margin: the row heads stay as they are while the view travels.
void ScoreView::updateStaves() {
  update(QRect(Page::marginWidth(), 0, width() - Page::marginWidth(), height()));
}

void ScoreView::viewMoved() {
  layOut();
  playheadAt_ = playheadX();
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

bool ScoreView::atRest() const {
  return !travel_.easing() && !foldTimer_.isActive() && !learnTimer_.isActive();
}

void ScoreView::comeToRest() {
  while (!atRest()) {
    if (travel_.easing()) travel_.endEasing();
    if (foldTimer_.isActive()) {
      foldTimer_.stop();
      foldNow();
    }
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
  const bool simple =
      open_.empty() && !strip_->isVisible() && std::abs(whole) < axis().width / 2 && whole == std::floor(whole);
  if (!simple) return viewMoved();
  scroll(static_cast<int>(-whole), 0, QRect(Page::marginWidth(), 0, width() - Page::marginWidth(), height()));
  playheadAt_ -= whole;
  // What stands still on the page, and went along.
  update(QRect(Page::marginWidth(), 0, scaled(70), rulerHeight()));
  if (hasFocus())
    if (const QRect staff = page_.staffOf(caretRow_); !staff.isNull()) {
      const QRect bar(Page::marginWidth(), staff.top() - 1, scaled(4) + 2, staff.height() + 2);
      update(bar);
      update(bar.translated(static_cast<int>(-whole), 0));
    }
  axisMoved();
  emit viewChanged();
}

double ScoreView::playheadX() const {
  if (!session_.isOpen()) return -10;
  return axis().xOf(session_.plan()->map().beatAt(session_.player().position()));
}

void ScoreView::setFollows(bool on) {
  if (std::exchange(follows_, on) != on) emit followsChanged(on);
}

/// The view goes where the hand wants it: what plays does not take it away again.
void ScoreView::travelled() {
  if (session_.isOpen() && session_.player().playing()) setFollows(false);
}

void ScoreView::tick() {
  if (!session_.isOpen()) return;
  const bool playing = session_.player().playing();
  if (playing && !wasPlaying_) setFollows(true);
  wasPlaying_ = playing;
  const double x = playheadX();
  if (playing && follows_ && drag_ == Drag::none && open_.empty() && (x > axis().x0 + axis().width || x < axis().x0)) {
    travel_.turnPageTo(axis().quartersAt(x));
    travel_.chooseLanding(session_.song());
    return viewMoved();
  }
  if (x != playheadAt_) updatePlayhead(x);
}

void ScoreView::updatePlayhead(double x) {
  for (const double at : {std::exchange(playheadAt_, x), x})
    update(QRect(static_cast<int>(at) - scaled(8), 0, scaled(17), height()));
}

ViewState ScoreView::viewState() const {
  const TimeAxis& a = open_.empty() ? axis() : formerAxis_;
  return {a.left, a.pxPerBeat, landing() ? landing()->id : std::string(), open_, folded_, foldsQuiet_};
}

void ScoreView::restore(const ViewState& v) {
  if (!session_.isOpen()) return;
  homeWanted_ = false;
  folded_ = v.folded;
  foldsQuiet_ = v.foldsQuiet;
  layOut();
  travel_.restore(v.left, v.pxPerBeat);
  travel_.setLanding(session_.song().landingById(v.landing));
  if (!landing()) travel_.chooseLanding(session_.song());
  layOut();
  update();
  emit viewChanged();
  if (session_.song().ornament(v.open)) openOrnament(v.open);
}

} // namespace ivrin::app

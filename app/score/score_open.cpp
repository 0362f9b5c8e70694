// The score with an ornament opened in its row: its drawing's handles, walked and moved by keys, and the curve over it.
#include "app/score/score_view.h"

#include "app/faces/face.h"
#include "app/openrow/curve_lane.h"
#include "app/openrow/open_row.h"
#include "app/score/score_objects.h"
#include "app/score/sign_strip.h"
#include "finish/finisher.h"
#include "manners/manners.h"

#include <QKeyEvent>

#include <algorithm>

namespace ivrin::app {

void ScoreView::openOrnament(const std::string& id) {
  const Ornament* o = session_.song().ornament(id);
  if (!o || !session_.plan()) return;
  if (open_.empty()) formerAxis_ = axis();
  closeCurve();
  strip_->hide();
  setHot({});
  mark({});
  selection_.reset();
  session_.choose(id);
  open_ = id;
  caretRow_ = o->on;
  // Bars are counted to what it is tied to, else to the next landing after its source begins.
  if (o->landing)
    travel_.setLanding(session_.song().landingById(*o->landing));
  else if (const auto next = session_.song().landingAfter(o->start))
    travel_.setLanding(next);
  openHand_.open(faceOf(o->kind)->drawing());
  makeOpenRow();
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
  readOrnament(*this, id);
  emit openChanged();
}

void ScoreView::makeOpenRow() {
  if (openRow_) return;
  openRow_ = new OpenRow(session_, this);
  connect(openRow_, &OpenRow::auditionRequested, this, &ScoreView::auditionRequested);
  connect(openRow_, &OpenRow::aloneRequested, this, &ScoreView::aloneRequested);
  connect(openRow_, &OpenRow::closeRequested, this, &ScoreView::closeOrnament);
  connect(openRow_, &OpenRow::curveRequested, this, &ScoreView::openCurve);
}

/// The first row that is opened comes up as fast as all others: its frame is made, and its letters are drawn once, when
/// the window has nothing else to do.
void ScoreView::warmOpenRow() {
  if (!session_.isOpen() || !open_.empty() || session_.song().ornaments.empty()) return;
  makeOpenRow();
  openRow_->warm(*session_.song().ornaments.front(), width());
}

void ScoreView::closeOrnament() {
  if (open_.empty()) return;
  closeCurve();
  open_.clear();
  openHand_.open(nullptr);
  openRow_->hide();
  session_.choose({});
  layOut();
  showRange(formerAxis_.left, formerAxis_.right(), true);
  setFocus();
  emit openChanged();
}

OpenCanvas ScoreView::canvas() const {
  return {axis(),  QRectF(openArea()), session_, *session_.song().ornament(open_), session_.plan()->node(open_),
          &waves_, openHand_.cell()};
}

QRectF ScoreView::handleRect(const QString& name) const {
  const auto all = openHandles();
  const OpenHandle* h = handleNamed(all, name);
  return h ? h->rect : QRectF();
}

std::vector<OpenHandle> ScoreView::openHandles() const {
  return open_.empty() ? std::vector<OpenHandle>() : openHand_.handles(canvas());
}

bool ScoreView::walkHandles(int step) {
  if (open_.empty() || lane_ || !session_.plan()) return false;
  setFocus();
  const OpenCanvas c = canvas();
  if (!openHand_.walk(step, c)) return false;
  emit session_.notice(tr("%1 \u2013 the arrow keys move it").arg(openHand_.said(c)), false);
  update(openArea());
  readHandle(*this, openHand_.active());
  return true;
}

bool ScoreView::stepHandle(const QString& name, int step) {
  if (open_.empty() || !session_.plan() || !openHand_.walkTo(name, canvas())) return false;
  const bool moved = openHand_.arrow(0, step, grid_, canvas()) || openHand_.arrow(step, 0, grid_, canvas());
  update(openArea());
  readHandle(*this, name);
  return moved;
}

QString ScoreView::saidOf(const std::string& ornament) const {
  const Ornament* o = session_.song().ornament(ornament);
  const Face* face = o ? faceOf(o->kind) : nullptr;
  bool warns = false;
  return face ? sentenceOf(*face->drawing(), {axis(), QRectF(), session_, *o, session_.plan()->node(ornament)}, warns)
              : QString();
}

bool ScoreView::stopWalking() {
  if (!openHand_.walking()) return false;
  openHand_.stopWalking();
  session_.settle();
  update(openArea());
  return true;
}

/// An arrow key that moves the handle which was walked to.
bool ScoreView::arrowed(QKeyEvent* e) {
  if (open_.empty() || lane_ || !openHand_.walking()) return false;
  const int k = e->key(),
            right = k == Qt::Key_Right  ? 1
                    : k == Qt::Key_Left ? -1
                                        : 0,
            up = k == Qt::Key_Up     ? 1
                 : k == Qt::Key_Down ? -1
                                     : 0;
  if (right == 0 && up == 0) return false;
  if (openHand_.arrow(right, up, grid_, canvas())) {
    emit session_.notice(openHand_.said(canvas()), false);
    readHandle(*this, openHand_.active());
    update(openArea());
  } else
    emit session_.notice(right != 0 ? tr("%1 goes up and down").arg(openHand_.said(canvas()))
                                    : tr("%1 goes to the left and right").arg(openHand_.said(canvas())),
                         false);
  return true;
}

void ScoreView::closeCurve() {
  if (!lane_) return;
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

void ScoreView::openCurve(const std::string& key, int finish) {
  CurveTarget target{open_, key, finish};
  const Ornament* o = session_.song().ornament(open_);
  if (o && finish >= 0 && finish < static_cast<int>(o->finish.size()))
    target.processor = o->finish[static_cast<std::size_t>(finish)].type;
  const bool again = lane_ && lane_->target() == target;
  closeCurve();
  if (again || !o || !target.spec(*o)) return;
  lane_ = new CurveLane(session_, target, *o, this);
  lane_->setOrnament(*o);
  connect(lane_, &CurveLane::closeRequested, this, &ScoreView::closeCurve);
  openRow_->setCurveShown(target);
  openRow_->renewAnswers();
  placeLane();
  lane_->show();
  lane_->setFocus();
  update();
}

/// The curves of the open ornament in turn, then none.
bool ScoreView::nextCurve() {
  const Ornament* o = session_.song().ornament(open_);
  if (!o) return false;
  std::vector<CurveTarget> all;
  const Manners* m = mannersOf(o->kind);
  for (const SettingSpec& s : allKinds().find(o->kind)->table().settings)
    if (s.curve && (!m || m->isHeard(o->settings, s.key))) all.push_back({open_, s.key, -1});
  for (std::size_t i = 0; i < o->finish.size(); ++i)
    if (const Finisher* f = findFinisher(o->finish[i].type))
      for (const SettingSpec& s : f->table().settings)
        if (s.curve) all.push_back({open_, s.key, static_cast<int>(i), o->finish[i].type});
  if (all.empty()) return false;
  // The processor that is open comes first.
  const int opened = openRow_->finish().opened();
  std::rotate(
      all.begin(),
      std::find_if(all.begin(), all.end(), [&](const CurveTarget& t) { return opened < 0 || t.finish == opened; }),
      all.end());
  auto next = all.begin();
  if (lane_) {
    next = std::find(all.begin(), all.end(), lane_->target());
    if (next != all.end()) ++next;
  }
  if (next == all.end())
    closeCurve();
  else
    openCurve(next->key, next->finish);
  return true;
}

void ScoreView::placeLane() {
  if (!lane_) return;
  lane_->setGrid(grid_);
  lane_->place(openArea(), axis());
}

} // namespace ivrin::app

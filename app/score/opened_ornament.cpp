#include "app/score/opened_ornament.h"

#include "app/faces/face.h"
#include "app/openrow/curve_lane.h"
#include "app/openrow/curve_tabs.h"
#include "app/openrow/open_row.h"
#include "app/score/score_objects.h"
#include "app/score/score_view.h"
#include "finish/finisher.h"
#include "manners/manners.h"

#include <QKeyEvent>
#include <QPainter>

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kWarmAfterMs = 400;
constexpr int kUnderRowHead = 58, kTabsLeft = 30; // where the tabs stand in the margin

} // namespace

OpenedOrnament::OpenedOrnament(ScoreView& view)
    : view_(view)
    , session_(view.session())
    , hand_(session_)
    , tries_(session_) {
  warmTimer_.setSingleShot(true);
  connect(&warmTimer_, &QTimer::timeout, this, &OpenedOrnament::warm);
}

OpenedOrnament::~OpenedOrnament() {
  delete row_;
}

const Ornament* OpenedOrnament::ornament() const {
  return id_.empty() ? nullptr : session_.song().ornament(id_);
}

void OpenedOrnament::open(const std::string& id) {
  const Ornament* o = session_.song().ornament(id);
  if (!o || !session_.plan()) return;
  if (id_.empty()) formerAxis_ = view_.axis();
  closeCurve();
  view_.hand().mark({});
  view_.selected().drop();
  view_.forgetHot();
  session_.choose(id);
  id_ = id;
  view_.caret().setRow(o->on);
  // Bars are counted to what it is tied to, else to the next landing after its source begins.
  if (o->landing)
    view_.setLanding(session_.song().landingById(*o->landing));
  else if (const auto next = session_.song().landingAfter(o->start))
    view_.setLanding(next);
  hand_.open(faceOf(o->kind)->drawing());
  makeRow();
  row_->setView(view_.axis(), view_.openArea());
  row_->show();
  row_->setOrnament(*o);
  view_.layOut();
  view_.bringIntoView(o->on);
  showWhole();
  readOrnament(view_, id);
  emit view_.openChanged();
}

std::pair<double, double> OpenedOrnament::reach(bool tail) const {
  const Ornament* o = ornament();
  const auto node = session_.plan()->node(id_);
  const TempoMap& map = session_.plan()->map();
  double begin = o->start.quarters(), end = o->span().end.quarters();
  if (!node) return {begin, end};
  begin = std::min(begin, map.quartersAt(node->extent().begin));
  if (!tail) return {begin, end};
  if (node->print && node->print->complete())
    end = std::max(end, map.quartersAt(node->extent().end));
  else if (const auto loop = node->kind->loopFigures({*o, session_.plan()->context()}); loop && loop->diesAt)
    end = std::max(end, loop->diesAt->quarters());
  return {begin, end};
}

/// From lead-in to tail, with a beat of air.
void OpenedOrnament::showWhole() {
  const auto [begin, end] = reach(true);
  const double air = std::max(0.04 * (end - begin), std::min(1.0, 0.25 * (end - begin)));
  view_.showRange(begin - air, end + air, true);
  whole_ = true;
}

void OpenedOrnament::keepWhole() {
  if (!whole_ || !ornament() || !session_.plan() || hand_.holding() || view_.mouse().tool()) return;
  const auto [begin, end] = reach(false);
  if (begin < view_.axis().left || end > view_.axis().right()) showWhole();
}

void OpenedOrnament::makeRow() {
  if (row_) return;
  row_ = new OpenRow(session_, tries_, {[](const std::string& kind) { return faceOf(kind)->drawing(); }, drawSign},
                     &view_);
  connect(row_, &OpenRow::auditionRequested, &view_, &ScoreView::auditionRequested);
  connect(row_, &OpenRow::aloneRequested, &view_, &ScoreView::aloneRequested);
  connect(row_, &OpenRow::closeRequested, this, &OpenedOrnament::close);
  connect(row_, &OpenRow::curveRequested, this, &OpenedOrnament::openCurve);
  connect(&row_->finish(), &FinishLine::openRequested, this, &OpenedOrnament::showTabs);
  tabs_ = new CurveTabs(&view_);
  connect(tabs_, &CurveTabs::wanted, this, [this](const std::string& key, int finish) {
    if (key.empty())
      closeCurve();
    else if (!lane_ || lane_->target().key != key || lane_->target().finish != finish)
      openCurve(key, finish);
    showTabs(); // what was pressed shows what is drawn, whichever that is
  });
}

void OpenedOrnament::warm() {
  if (!session_.isOpen() || !id_.empty() || session_.song().ornaments.empty()) return;
  makeRow();
  row_->warm(*session_.song().ornaments.front(), view_.width());
}

void OpenedOrnament::close() {
  if (id_.empty()) return;
  closeCurve();
  id_.clear();
  hand_.open(nullptr);
  row_->hide();
  tabs_->hide();
  session_.choose({});
  view_.layOut();
  view_.showRange(formerAxis_.left, formerAxis_.right(), true);
  view_.setFocus();
  emit view_.openChanged();
}

OpenCanvas OpenedOrnament::canvas() const {
  return {view_.axis(),
          QRectF(view_.openArea()),
          session_,
          *session_.song().ornament(id_),
          session_.plan()->node(id_),
          &view_.waves(),
          hand_.cell()};
}

void OpenedOrnament::paint(QPainter& p) const {
  const OpenCanvas c = canvas();
  hand_.drawing()->paint(p, c);
  paintHandles(p, hand_.handles(c), hand_.active(), c.area);
}

QRectF OpenedOrnament::handleRect(const QString& name) const {
  const auto all = handles();
  const OpenHandle* h = handleNamed(all, name);
  return h ? h->rect : QRectF();
}

std::vector<OpenHandle> OpenedOrnament::handles() const {
  return id_.empty() ? std::vector<OpenHandle>() : hand_.handles(canvas());
}

bool OpenedOrnament::walk(int step) {
  if (id_.empty() || lane_ || !session_.plan()) return false;
  view_.setFocus();
  const OpenCanvas c = canvas();
  if (!hand_.walk(step, c)) return false;
  emit session_.notice(tr("%1: the arrow keys move it.").arg(hand_.said(c)), false);
  view_.update(view_.openArea());
  readHandle(view_, hand_.active());
  return true;
}

bool OpenedOrnament::stepHandle(const QString& name, int step) {
  if (id_.empty() || !session_.plan() || !hand_.walkTo(name, canvas())) return false;
  const bool moved = hand_.arrow(0, step, view_.grid(), canvas()) || hand_.arrow(step, 0, view_.grid(), canvas());
  view_.update(view_.openArea());
  readHandle(view_, name);
  return moved;
}

bool OpenedOrnament::stopWalking() {
  if (!hand_.walking()) return false;
  hand_.stopWalking();
  session_.settle();
  view_.update(view_.openArea());
  return true;
}

bool OpenedOrnament::arrowed(const QKeyEvent& e) {
  if (id_.empty() || lane_ || !hand_.walking()) return false;
  const int k = e.key(),
            right = k == Qt::Key_Right  ? 1
                    : k == Qt::Key_Left ? -1
                                        : 0,
            up = k == Qt::Key_Up     ? 1
                 : k == Qt::Key_Down ? -1
                                     : 0;
  if (right == 0 && up == 0) return false;
  if (hand_.arrow(right, up, view_.grid(), canvas())) {
    emit session_.notice(hand_.said(canvas()), false);
    readHandle(view_, hand_.active());
    view_.update(view_.openArea());
  } else
    emit session_.notice(right != 0 ? tr("%1 moves up and down only.").arg(hand_.said(canvas()))
                                    : tr("%1 moves left and right only.").arg(hand_.said(canvas())),
                         false);
  return true;
}

void OpenedOrnament::closeCurve() {
  if (!lane_) return;
  lane_->hide();
  lane_->deleteLater();
  lane_ = nullptr;
  if (row_) {
    row_->setCurveShown({});
    row_->renewAnswers();
  }
  showTabs();
  view_.setFocus();
  view_.update();
}

void OpenedOrnament::openCurve(const std::string& key, int finish) {
  CurveTarget target{id_, key, finish};
  const Ornament* o = session_.song().ornament(id_);
  if (o && finish >= 0 && finish < static_cast<int>(o->finish.size()))
    target.processor = o->finish[static_cast<std::size_t>(finish)].type;
  const bool again = lane_ && lane_->target() == target;
  closeCurve();
  if (again || !o || !target.spec(*o)) return;
  lane_ = new CurveLane(session_, target, *o, &view_);
  lane_->setOrnament(*o);
  connect(lane_, &CurveLane::closeRequested, this, &OpenedOrnament::closeCurve);
  row_->setCurveShown(target);
  row_->renewAnswers();
  placeLane();
  showTabs();
  lane_->show();
  lane_->setFocus();
  view_.update();
}

std::vector<CurveTarget> OpenedOrnament::curves() const {
  const Ornament* o = ornament();
  std::vector<CurveTarget> all;
  if (!o) return all;
  const Manners* m = mannersOf(o->kind);
  for (const SettingSpec& s : allKinds().find(o->kind)->table().settings)
    if (s.curve && (!m || m->isHeard(o->settings, s.key))) all.push_back({id_, s.key, -1});
  for (std::size_t i = 0; i < o->finish.size(); ++i)
    if (const Finisher* f = findFinisher(o->finish[i].type))
      for (const SettingSpec& s : f->table().settings)
        if (s.curve) all.push_back({id_, s.key, static_cast<int>(i), o->finish[i].type});
  return all;
}

void OpenedOrnament::showTabs() {
  const Ornament* o = ornament();
  if (!o) return;
  std::vector<CurveTarget> shown = curves();
  std::erase_if(shown, [&](const CurveTarget& t) {
    if (t.finish < 0 || t.finish == row_->finish().opened() || (lane_ && lane_->target() == t)) return false;
    const auto& set = o->finish[static_cast<std::size_t>(t.finish)].settings;
    const auto value = set.find(t.key);
    return value == set.end() || !value->second.list();
  });
  const QRect area = view_.openArea();
  const int top = area.top() + scaled(kUnderRowHead);
  tabs_->setGeometry(scaled(kTabsLeft), top, area.left() - scaled(kTabsLeft), std::max(0, area.bottom() - top));
  tabs_->show(*o, shown, lane_ ? &lane_->target() : nullptr);
}

bool OpenedOrnament::nextCurve() {
  std::vector<CurveTarget> all = curves();
  if (all.empty()) return false;
  // The processor that is open comes first.
  const int opened = row_->finish().opened();
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

void OpenedOrnament::placeLane() {
  if (!lane_) return;
  lane_->setGrid(view_.grid());
  lane_->place(view_.openArea(), view_.axis());
}

void OpenedOrnament::refresh() {
  if (id_.empty()) return;
  const Ornament* o = ornament();
  if (!o) return close();
  row_->setOrnament(*o);
  if (lane_ && !lane_->setOrnament(*o)) closeCurve();
  showTabs();
  keepWhole();
}

void OpenedOrnament::enter() {
  if (tries_.running())
    tries_.keep();
  else if (isOpen())
    row_->focusNumbers();
  else if (const std::string at = view_.hand().atCaret(); !at.empty())
    open(at);
}

int OpenedOrnament::titleHeight() const {
  return row_->titleHeight();
}

int OpenedOrnament::panelHeight() const {
  return row_->panelHeight();
}

void OpenedOrnament::place(const QRect& row) {
  row_->place(row);
}

void OpenedOrnament::axisMoved() {
  placeLane();
  if (ornament() && session_.plan() && !view_.easing()) {
    const auto [begin, end] = reach(false);
    whole_ = begin >= view_.axis().left && end <= view_.axis().right();
  }
  if (id_.empty()) return;
  row_->setView(view_.axis(), view_.openArea());
  showTabs();
}

void OpenedOrnament::warmSoon() {
  warmTimer_.start(kWarmAfterMs);
}

QString saidOf(const ScoreView& view, const std::string& ornament) {
  const Session& session = view.session();
  const Ornament* o = session.song().ornament(ornament);
  const Face* face = o ? faceOf(o->kind) : nullptr;
  bool warns = false;
  return face ? sentenceOf(*face->drawing(),
                           {view.axis(), QRectF(), view.session(), *o, session.plan()->node(ornament)}, warns)
              : QString();
}

} // namespace ivrin::app

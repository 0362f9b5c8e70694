#include "app/openrow/curve_lane.h"

#include "app/axis/modifiers.h"
#include "app/theme/focus_frame.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "files/json.h"
#include "song/edits.h"
#include "song/settings/setting_text.h"
#include "time/note_value.h"

#include <QApplication>
#include <QClipboard>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace ivrin::app {
namespace {

constexpr double kReach = 8;
constexpr int kDrawsFrom = 4;                  // pixels before a press draws
constexpr double kStrokePixels = 2.5;          // how far what is kept of a stroke may lie from it
constexpr std::size_t kMostOfAStroke = 16;     // points
constexpr double kLeastGapBeats = 1.0 / 32;    // between points that are moved on the grid
constexpr int kLaneTop = 44, kLaneBottom = 22; // room for the numbers above, the beats below

} // namespace

CurveLane::CurveLane(Session& session, const CurveTarget& target, const Ornament& o, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , target_(target)
    , spec_(*target.spec(o))
    , plain_(new InkButton(tr("Remove curve"), this))
    , done_(new InkButton(tr("Done"), this)) {
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAccessibleName(tr("Curve of %1").arg(asWords(spec_.label)));
  setAccessibleDescription(tr("Tab goes through the points. The arrow keys move a point, Insert adds one, Delete "
                              "removes it, Ctrl+Up and Ctrl+Down bend the line before it."));
  beatSpec_ = {.key = "curve_beat",
               .label = QT_TRANSLATE_NOOP("core", "beat"),
               .min = -64,
               .max = 4096,
               .initial = 0.0,
               .meaning = QT_TRANSLATE_NOOP("core", "Beats from the start of the ornament."),
               .group = "curve",
               .step = 0.25};
  if (spec_.curveOverSpan)
    beatSpec_ = {.key = "curve_place",
                 .label = QT_TRANSLATE_NOOP("core", "position"),
                 .max = 1,
                 .initial = 0.0,
                 .meaning = QT_TRANSLATE_NOOP("core", "Position within the ornament, from 0 to 1."),
                 .group = "curve",
                 .percent = true,
                 .step = 0.05};
  valueSpec_ = {.key = "curve_value",
                .label = spec_.label,
                .unit = spec_.unit,
                .type = spec_.type,
                .min = spec_.min,
                .max = spec_.max,
                .initial = 0.0,
                .meaning = spec_.meaning,
                .group = "curve",
                .percent = spec_.percent,
                .step = spec_.step};
  bendSpec_ = {.key = "curve_bend",
               .label = QT_TRANSLATE_NOOP("core", "bend"),
               .min = -1,
               .max = 1,
               .initial = 0.0,
               .meaning = QT_TRANSLATE_NOOP("core", "Bend of the line before this point."),
               .group = "curve",
               .step = 0.05};
  const auto add = [&](const QString& name, const SettingSpec& s) {
    auto* f = new NumberField(s, this);
    fields_[name] = f;
    connect(f, &NumberField::changed, this, [this, name](const Value& v, bool merge) {
      const auto i = static_cast<std::size_t>(chosen_);
      if (i >= curve_.points().size()) return;
      const CurvePoint q = curve_.points()[i];
      if (name == QLatin1String("bend"))
        put(withBend(curve_, i, *v.number()), tr("bend"), merge);
      else if (name == QLatin1String("beat"))
        put(withPointMoved(curve_, i, *v.number(), q.y, limits()), tr("point"), merge);
      else
        put(withPointMoved(curve_, i, q.x, *v.number(), limits()), tr("point"), merge);
    });
    connect(f, &NumberField::settled, this, [this] { session_.settle(); });
    connect(f, &NumberField::refused, this, [this](const QString& why) { emit session_.notice(why, true); });
  };
  add(QStringLiteral("beat"), beatSpec_);
  add(QStringLiteral("value"), valueSpec_);
  add(QStringLiteral("bend"), bendSpec_);
  for (InkButton* b : {plain_, done_}) {
    b->setSerif(true);
    b->setTextPx(15);
  }
  plain_->setToolTip(tr("Removes the curve and keeps the value of the chosen point."));
  connect(plain_, &QAbstractButton::clicked, this, [this] {
    const double y = curve_.points()[static_cast<std::size_t>(chosen_)].y;
    chosen_ = 0;
    put(Curve(y), tr("Remove curve"), false);
  });
  done_->setToolTip(tr("Goes back to the drawing (Esc)."));
  connect(done_, &QAbstractButton::clicked, this, &CurveLane::closeRequested);
}

bool CurveLane::setOrnament(const Ornament& o) {
  if (!target_.spec(o)) return false;
  ornament_ = o;
  curve_ = target_.curve(o).by(spec_.unit == "Hz" ? session_.song().hzLaw : CurveLaw::linear);
  if (held_.part == Part::none) fitAxis();
  choose(std::clamp(chosen_, 0, static_cast<int>(curve_.points().size()) - 1));
  update();
  return true;
}

void CurveLane::fitAxis() {
  std::tie(low_, high_) = spec_.usual.value_or(std::pair(spec_.min, spec_.max));
  for (const CurvePoint& q : curve_.points()) { // a tenth of the usual range of room over what is used
    const double room = spec_.usual ? (spec_.usual->second - spec_.usual->first) / 10 : 0;
    if (q.y < low_) low_ = std::max(spec_.min, q.y - room);
    if (q.y > high_) high_ = std::min(spec_.max, q.y + room);
  }
}

void CurveLane::place(const QRect& area, const TimeAxis& axis) {
  axis_ = axis;
  setGeometry(area);
  layOutFields();
  update();
}

void CurveLane::resizeEvent(QResizeEvent*) {
  layOutFields();
}

void CurveLane::layOutFields() {
  int x = scaled(118);
  for (const QString& name : {QStringLiteral("beat"), QStringLiteral("value"), QStringLiteral("bend")}) {
    fields_[name]->setGeometry(x, scaled(3), scaled(92), scaled(36));
    x += scaled(96);
  }
  int right = width() - scaled(18);
  for (InkButton* b : {done_, plain_}) {
    const QSize s = b->sizeHint();
    right -= s.width();
    b->setGeometry(right, scaled(6), s.width(), std::max(scaled(22), s.height()));
    right -= scaled(14);
  }
}

// ---------------------------------------------------------------- places

double CurveLane::xOf(double beats) const {
  return axis_.xOf(ornament_.start + Beats::ofQuarters(beats * unit())) - x();
}
double CurveLane::beatsAt(double at) const {
  return (axis_.quartersAt(at + x()) - ornament_.start.quarters()) / unit();
}
double CurveLane::unit() const {
  return spec_.curveOverSpan ? ornament_.length.quarters() : 1;
}
double CurveLane::level(double value) const {
  if (spec_.unit == "Hz") return std::log(std::max(value, 1.0) / low_) / std::log(high_ / low_);
  return (value - low_) / (high_ - low_);
}
double CurveLane::valueOfLevel(double u) const {
  return spec_.unit == "Hz" ? low_ * std::pow(high_ / low_, u) : low_ + u * (high_ - low_);
}
double CurveLane::yOf(double value) const {
  const double top = scaled(kLaneTop), bottom = height() - scaled(kLaneBottom);
  return bottom - level(value) * (bottom - top);
}
double CurveLane::valueAt(double y) const {
  const double top = scaled(kLaneTop), bottom = height() - scaled(kLaneBottom);
  return valueOfLevel((bottom - y) / (bottom - top));
}

/// In the setting's steps; off the grid to a hundredth.
double CurveLane::snappedY(double value, bool free) const {
  if (free) return std::round(value * 100) / 100;
  const double step = spec_.step > 0 ? spec_.step : 1;
  return std::round(value / step) * step;
}

QPointF CurveLane::pointAt(int i) const {
  const CurvePoint& p = curve_.points()[static_cast<std::size_t>(i)];
  return {xOf(p.x), yOf(p.y)};
}

QPointF CurveLane::bendAt(int i) const {
  const auto& points = curve_.points();
  const double x = (points[static_cast<std::size_t>(i - 1)].x + points[static_cast<std::size_t>(i)].x) / 2;
  return {xOf(x), yOf(curve_.at(x))};
}

/// From a bar before the ornament to where its sound may last.
CurveLimits CurveLane::limits() const {
  if (spec_.curveOverSpan) return {0, 1, spec_.min, spec_.max};
  if (spec_.curveWithinSource) return {0, ornament_.length.quarters(), spec_.min, spec_.max};
  return {-64, 4096, spec_.min, spec_.max};
}

CurveLane::Under CurveLane::under(QPointF p) const {
  const int n = static_cast<int>(curve_.points().size());
  const auto near = [&](QPointF q) { return std::hypot(q.x() - p.x(), q.y() - p.y()) <= kReach; };
  for (int i = n - 1; i >= 0; --i)
    if (near(pointAt(i))) return {Part::point, i};
  for (int i = 1; i < n; ++i)
    if (curve_.points()[static_cast<std::size_t>(i)].x > curve_.points()[static_cast<std::size_t>(i - 1)].x &&
        near(bendAt(i)))
      return {Part::bend, i};
  if (p.y() > scaled(kLaneTop - 4)) return {Part::open, -1};
  return {};
}

// ---------------------------------------------------------------- changing

void CurveLane::put(Curve next, const QString& what, bool merge) {
  if (next == curve_) return;
  curve_ = next;
  const QString label = asWords(spec_.label), name = kindWord(ornament_.kind);
  session_.edit(tr("%1 of %2 curve of %3").arg(what, label, name),
                withOrnamentReplaced(session_.song(), target_.with(ornament_, next.value())),
                merge ? "curve-" + ornament_.id + spec_.key + std::to_string(target_.finish) : std::string());
  if (!merge) session_.settle();
  choose(std::clamp(chosen_, 0, static_cast<int>(curve_.points().size()) - 1));
  update();
}

void CurveLane::choose(int i) {
  chosen_ = i;
  const CurvePoint& p = curve_.points()[static_cast<std::size_t>(i)];
  const auto rounded = [](double v) { return std::round(v * 1000) / 1000; };
  fields_[QStringLiteral("beat")]->setValue(rounded(p.x));
  fields_[QStringLiteral("value")]->setValue(rounded(p.y));
  fields_[QStringLiteral("bend")]->setValue(rounded(p.bend));
  fields_[QStringLiteral("bend")]->setEnabled(i > 0);
  update();
}

double CurveLane::snappedX(QPointF at, bool free) const {
  const double x = beatsAt(at.x());
  if (free || grid_.ticks <= 0) return x;
  const Beats beat = ornament_.start + Beats::ofQuarters(x * unit());
  return (snapToGrid(beat, grid_, session_.plan()->map()) - ornament_.start).quarters() / unit();
}

void CurveLane::movePoint(QPointF to, bool free) {
  double x = snappedX(to, free);
  CurveLimits within = limits();
  if (!free) { // never onto a neighbour: the two could not be told apart any more
    const auto& points = pressCurve_.points();
    const auto i = static_cast<std::size_t>(held_.index);
    const double gap = kLeastGapBeats / unit();
    if (i > 0) within.xMin = std::max(within.xMin, points[i - 1].x + gap);
    if (i + 1 < points.size()) within.xMax = std::min(within.xMax, points[i + 1].x - gap);
    if (within.xMax < within.xMin) within.xMin = within.xMax = points[i].x;
    x = std::clamp(x, within.xMin, within.xMax);
  }
  put(withPointMoved(pressCurve_, static_cast<std::size_t>(held_.index), x, snappedY(valueAt(to.y()), free), limits()),
      tr("point"), true);
}

/// A click where there is no point: one more, on its height.
void CurveLane::addPoint(QPointF at, bool free) {
  Curve next = curve_;
  const CurveLimits l = limits();
  // A plain number becomes a curve from the ornament's start on.
  if (next.points().size() == 1) next = Curve(std::vector<CurvePoint>{{0, next.points().front().y, 0}});
  const double x = std::clamp(snappedX(at, free), l.xMin, l.xMax);
  for (std::size_t i = 0; i < next.points().size(); ++i) // one that stands there already is meant
    if (!free && std::abs(next.points()[i].x - x) < kLeastGapBeats / unit() / 2) {
      held_ = {Part::point, static_cast<int>(i)};
      pressCurve_ = next;
      movePoint(at, free);
      choose(static_cast<int>(i));
      return;
    }
  const auto made = insertPoint(next, x);
  put(withPointMoved(next, made, x, snappedY(valueAt(at.y()), free), l), tr("new point"), false);
  choose(static_cast<int>(made));
}

/// What was drawn, in few points.
void CurveLane::endStroke() {
  const double perPixel = 1 / (height() - scaled(kLaneTop + kLaneBottom) + 0.0);
  std::vector<CurvePoint> even = stroke_; // reduced as it is seen: by height on the axis
  for (CurvePoint& q : even) q.y = level(q.y);
  std::vector<CurvePoint> few = reducedStroke(even, kStrokePixels * perPixel, kMostOfAStroke);
  for (CurvePoint& q : few) {
    q.x = std::round(q.x * 1e4) / 1e4;
    q.y = std::clamp(snappedY(valueOfLevel(q.y), true), spec_.min, spec_.max);
  }
  stroke_.clear();
  put(withStroke(curve_, few, kLeastGapBeats / unit()), tr("drawn"), false);
}

void CurveLane::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  setFocus();
  session_.settle();
  held_ = under(e->position());
  press_ = e->position();
  stroke_.clear();
  if (held_.part == Part::point || held_.part == Part::bend) choose(held_.index);
  pressCurve_ = curve_;
  update();
}

void CurveLane::mouseMoveEvent(QMouseEvent* e) {
  if (held_.part == Part::none || !(e->buttons() & Qt::LeftButton)) {
    const Under now = under(e->position());
    setCursor(now.part == Part::point  ? Qt::SizeAllCursor
              : now.part == Part::bend ? Qt::SizeVerCursor
              : now.part == Part::open ? Qt::CrossCursor
                                       : Qt::ArrowCursor);
    if (now == hover_) return;
    hover_ = now;
    update();
    return;
  }
  if (held_.part == Part::point) {
    movePoint(e->position(), leavesGrid(e->modifiers()));
  } else if (held_.part == Part::bend) {
    const auto i = static_cast<std::size_t>(held_.index);
    const double mid = (pressCurve_.points()[i - 1].x + pressCurve_.points()[i].x) / 2;
    put(withBend(pressCurve_, i, bendThrough(pressCurve_, i, mid, valueAt(e->position().y()))), tr("bend"), true);
  } else if (!stroke_.empty() || (e->position() - press_).manhattanLength() >= kDrawsFrom) {
    const CurveLimits l = limits();
    const auto add = [&](QPointF at) {
      stroke_.push_back({std::clamp(beatsAt(at.x()), l.xMin, l.xMax),
                         std::clamp(valueAt(at.y()), std::max(low_, spec_.min), std::min(high_, spec_.max)), 0});
    };
    if (stroke_.empty()) add(press_);
    add(e->position());
    update();
  }
}

void CurveLane::mouseReleaseEvent(QMouseEvent* e) {
  if (held_.part == Part::open) {
    if (stroke_.size() > 1)
      endStroke();
    else
      addPoint(press_, leavesGrid(e->modifiers()));
  }
  held_ = {};
  stroke_.clear();
  fitAxis();
  session_.settle();
  update();
}

void CurveLane::mouseDoubleClickEvent(QMouseEvent* e) {
  const Under at = under(e->position());
  if (at.part == Part::point && curve_.points().size() > 1)
    put(withoutPoint(curve_, static_cast<std::size_t>(at.index)), tr("point"), false);
  if (at.part == Part::bend) put(withBend(curve_, static_cast<std::size_t>(at.index), 0), tr("bend"), false);
}

bool CurveLane::event(QEvent* e) {
  if (e->type() == QEvent::ShortcutOverride) { // what edits the curve is not for the window's actions
    const auto* k = static_cast<QKeyEvent*>(e);
    static const QList<int> ours{Qt::Key_Left,   Qt::Key_Right,  Qt::Key_Up,    Qt::Key_Down,
                                 Qt::Key_Delete, Qt::Key_Insert, Qt::Key_Escape};
    if (ours.contains(k->key()) || k->matches(QKeySequence::Copy) || k->matches(QKeySequence::Paste)) {
      e->accept();
      return true;
    }
  }
  if (e->type() == QEvent::KeyPress) { // Tab walks the points first, then goes on
    const auto* k = static_cast<QKeyEvent*>(e);
    const int n = static_cast<int>(curve_.points().size());
    if (k->key() == Qt::Key_Tab && chosen_ + 1 < n) {
      choose(chosen_ + 1);
      return true;
    }
    if (k->key() == Qt::Key_Backtab && chosen_ > 0) {
      choose(chosen_ - 1);
      return true;
    }
  }
  return QWidget::event(e);
}

void CurveLane::keyPressEvent(QKeyEvent* e) {
  const auto i = static_cast<std::size_t>(chosen_);
  const CurvePoint p = curve_.points()[i];
  const double step = (grid_.ticks > 0 ? grid_.quarters() : 0.0625) / unit(), up = spec_.step > 0 ? spec_.step : 1;
  const auto move = [&](double x, double y) {
    put(withPointMoved(curve_, i, p.x + x, p.y + y, limits()), tr("point"), true);
  };
  if (e->matches(QKeySequence::Copy)) {
    QApplication::clipboard()->setText(QString::fromStdString(compactJson(curve_.value())));
    return;
  }
  if (e->matches(QKeySequence::Paste)) {
    Problems problems;
    const auto v = parseJson(QApplication::clipboard()->text().toStdString(), problems);
    const auto pasted = v ? Curve::from(*v) : std::nullopt;
    if (pasted) checkSetting(spec_, *v, "clipboard", problems);
    if (!pasted || !problems.list.empty()) {
      emit session_.notice(tr("Paste failed: the clipboard has no curve for %1.").arg(asWords(spec_.label)), true);
      return;
    }
    chosen_ = 0;
    put(*pasted, tr("paste"), false);
    return;
  }
  const bool bends = e->modifiers() & Qt::ControlModifier;
  switch (e->key()) {
  case Qt::Key_Left:
    move(-step, 0);
    return;
  case Qt::Key_Right:
    move(step, 0);
    return;
  case Qt::Key_Up:
    bends ? put(withBend(curve_, i, p.bend + 0.05), tr("bend"), true) : move(0, up);
    return;
  case Qt::Key_Down:
    bends ? put(withBend(curve_, i, p.bend - 0.05), tr("bend"), true) : move(0, -up);
    return;
  case Qt::Key_Insert: { // half way to the next point, or a beat after the last
    Curve next = curve_;
    const double at = i + 1 < next.points().size() ? (p.x + next.points()[i + 1].x) / 2 : p.x + 1;
    const auto made = insertPoint(next, at);
    put(next, tr("new point"), false);
    choose(static_cast<int>(made));
    return;
  }
  case Qt::Key_Delete:
    if (curve_.points().size() > 1) put(withoutPoint(curve_, i), tr("point"), false);
    return;
  case Qt::Key_Escape:
    emit closeRequested();
    return;
  default:
    QWidget::keyPressEvent(e);
  }
}

void CurveLane::leaveEvent(QEvent*) {
  hover_ = {};
  update();
}

// ---------------------------------------------------------------- drawing

void CurveLane::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Palette& c = paper();
  QColor veil = c.card;
  veil.setAlphaF(0.62f); // the sound stays visible under the curve
  p.fillRect(rect(), veil);
  QColor head = c.card;
  head.setAlphaF(0.9f);
  p.fillRect(QRect(0, 0, width(), scaled(kLaneTop - 4)), head);
  drawSongText(p, QPointF(scaled(8), scaled(25)), asWords(spec_.label), 18, true, c.ink);
  const int hintLeft = fields_[QStringLiteral("bend")]->geometry().right() + scaled(12);
  if (curve_.points().size() < 2 && plain_->x() - hintLeft > scaled(190)) // until one stands
    drawSongText(p, QPointF(hintLeft, scaled(25)), tr("drag to draw, click to add a point"), 15, true, c.quiet);
  // The scale: the two limits, the middle, and the file's default.
  p.setFont(sans(11));
  const double middle = spec_.unit == "Hz" ? std::sqrt(low_ * high_) : (low_ + high_) / 2;
  std::vector<double> rungs{low_, middle, high_};
  for (const double v : rungs) {
    p.setPen(QPen(c.beatRule, 1));
    p.drawLine(QPointF(0, yOf(v)), QPointF(width(), yOf(v)));
    p.setPen(c.quiet);
    p.drawText(QRectF(width() - scaled(74), yOf(v) - scaled(15), scaled(70), scaled(14)),
               Qt::AlignRight | Qt::AlignBottom, QString::fromStdString(settingText(spec_, Value(v))));
  }
  p.setPen(QPen(c.quiet, 1, Qt::DotLine));
  p.drawLine(QPointF(xOf(0), scaled(kLaneTop)), QPointF(xOf(0), height() - scaled(4)));
  // The curve, a step a pixel, with jumps upright.
  QPainterPath path;
  const auto& points = curve_.points();
  path.moveTo(-2, yOf(points.front().y));
  path.lineTo(xOf(points.front().x), yOf(points.front().y));
  for (std::size_t i = 1; i < points.size(); ++i) {
    const double from = xOf(points[i - 1].x), to = xOf(points[i].x);
    for (double x = std::max(from + 1, -2.0); x < std::min<double>(to, width() + 2); x += 2)
      path.lineTo(x, yOf(curve_.at(beatsAt(x))));
    path.lineTo(to, yOf(points[i].y));
  }
  path.lineTo(width() + 2, yOf(points.back().y));
  p.setPen(QPen(c.ink, 2));
  p.setBrush(Qt::NoBrush);
  if (spec_.curveWithinSource) { // nothing is taken before the source nor after it
    const double from = xOf(0), to = xOf(ornament_.length.quarters());
    p.save();
    p.setClipRect(QRectF(from, 0, to - from, height()));
    p.drawPath(path);
    p.restore();
    for (const auto& [a, b] : {std::pair{-2.0, from}, {to, width() + 2.0}}) {
      const double edge = a < 0 ? b : a;
      p.drawLine(QPointF(a, yOf(0)), QPointF(b, yOf(0)));
      p.drawLine(QPointF(edge, yOf(0)), QPointF(edge, yOf(curve_.at(beatsAt(edge)))));
    }
  } else {
    p.drawPath(path);
  }
  if (stroke_.size() > 1) { // the pen, over what it will replace
    QPolygonF line;
    for (const CurvePoint& q : stroke_) line << QPointF(xOf(q.x), yOf(q.y));
    p.setPen(QPen(inkOf(ornament_), 2.4));
    p.drawPolyline(line);
  }
  const int n = static_cast<int>(points.size());
  for (int i = 1; i < n; ++i) { // where a line is bent: a small open ring
    if (points[static_cast<std::size_t>(i)].x <= points[static_cast<std::size_t>(i - 1)].x) continue;
    const bool live =
        (held_.part == Part::bend && held_.index == i) || (hover_.part == Part::bend && hover_.index == i);
    p.setPen(QPen(live ? c.ink : c.quiet, live ? 2 : 1.2));
    p.setBrush(c.card);
    p.drawEllipse(bendAt(i), scaled(3.5), scaled(3.5));
  }
  for (int i = 0; i < n; ++i) {
    const bool live = i == chosen_;
    p.setPen(QPen(c.ink, live ? 2.4 : 1.5));
    p.setBrush(live ? c.ink : c.card);
    const double r = scaled(live ? 5 : 4.5);
    p.drawEllipse(pointAt(i), r, r);
  }
  const QPointF at = pointAt(chosen_);
  p.setFont(sans(12.5, Weight::medium));
  p.setPen(c.ink);
  const QString text =
      QString::fromStdString(settingText(valueSpec_, Value(points[static_cast<std::size_t>(chosen_)].y)));
  const double w = QFontMetricsF(p.font()).horizontalAdvance(text);
  QRectF label(at.x() + scaled(9), at.y() - scaled(20), w + 4, scaled(16));
  if (label.right() > width() - scaled(80)) label.moveRight(at.x() - scaled(9));
  if (label.top() < scaled(kLaneTop)) label.moveTop(at.y() + scaled(6));
  p.drawText(label, Qt::AlignLeft | Qt::AlignVCenter, text);
  if (hasFocus()) paintFocusFrame(p, rect());
}

} // namespace ivrin::app

#include "app/openrow/curve_lane.h"

#include "app/score/modifiers.h"
#include "app/theme/ornament_look.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "song/edits.h"
#include "song/json.h"
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

namespace ivrin::app {
namespace {

constexpr double kReach = 8;
constexpr int kLaneTop = 44, kLaneBottom = 22; // room for the numbers above, the beats below

} // namespace

CurveLane::CurveLane(Session& session, const SettingSpec& spec, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , spec_(spec)
    , plain_(new InkButton(tr("one value"), this))
    , done_(new InkButton(tr("done"), this)) {
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAccessibleName(tr("Curve of %1").arg(QString::fromStdString(spec.label)));
  setAccessibleDescription(
      tr("Tab walks the points, arrow keys move the chosen one, Insert adds one, Delete removes it, "
         "brackets bend the line before it."));
  beatSpec_ = {.key = "curve_beat",
               .label = "beat",
               .min = -64,
               .max = 4096,
               .initial = 0.0,
               .meaning = "Beats from the ornament's start.",
               .group = "curve",
               .step = 0.25};
  if (spec.curveOverSpan)
    beatSpec_ = {.key = "curve_place",
                 .label = "place",
                 .max = 1,
                 .initial = 0.0,
                 .meaning = "Part of the span.",
                 .group = "curve",
                 .step = 0.05};
  valueSpec_ = {.key = "curve_value",
                .label = spec.label,
                .unit = spec.unit,
                .min = spec.min,
                .max = spec.max,
                .initial = 0.0,
                .meaning = spec.meaning,
                .group = "curve",
                .step = spec.step};
  bendSpec_ = {.key = "curve_bend",
               .label = "bend",
               .min = -1,
               .max = 1,
               .initial = 0.0,
               .meaning = "How the line before this point is bent.",
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
  plain_->setToolTip(tr("No curve any more: the chosen point's value throughout"));
  connect(plain_, &QAbstractButton::clicked, this, [this] {
    const double y = curve_.points()[static_cast<std::size_t>(chosen_)].y;
    chosen_ = 0;
    put(Curve(y), tr("one value"), false);
  });
  done_->setToolTip(tr("Back to the drawing (Esc)"));
  connect(done_, &QAbstractButton::clicked, this, &CurveLane::closeRequested);
}

void CurveLane::setOrnament(const Ornament& o) {
  ornament_ = o;
  const Kind* kind = allKinds().find(o.kind);
  Value v = settingOr(kind->table(), o.settings, spec_.key);
  if (v.isNull())
    v = spec_.key == "feedback_right_percent" ? settingOr(kind->table(), o.settings, "feedback_percent")
                                              : spec_.initial;
  curve_ = Curve::from(v).value_or(Curve(spec_.min));
  choose(std::clamp(chosen_, 0, static_cast<int>(curve_.points().size()) - 1));
  update();
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
double CurveLane::yOf(double value) const {
  const double top = scaled(kLaneTop), bottom = height() - scaled(kLaneBottom);
  return bottom - (value - spec_.min) / (spec_.max - spec_.min) * (bottom - top);
}
double CurveLane::valueAt(double y) const {
  const double top = scaled(kLaneTop), bottom = height() - scaled(kLaneBottom);
  return spec_.min + (bottom - y) / (bottom - top) * (spec_.max - spec_.min);
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
  if (std::abs(yOf(curve_.at(beatsAt(p.x()))) - p.y()) <= kReach) return {Part::line, -1};
  return {};
}

// ---------------------------------------------------------------- changing

void CurveLane::put(Curve next, const QString& what, bool merge) {
  if (next == curve_) return;
  curve_ = next;
  const QString label = QString::fromStdString(spec_.label), name = kindWord(ornament_.kind);
  session_.edit(tr("%1 of %2 curve of %3").arg(what, label, name),
                withSetting(session_.song(), ornament_.id, spec_.key, next.value()),
                merge ? "curve-" + ornament_.id + spec_.key : std::string());
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

void CurveLane::movePoint(QPointF to, bool free) {
  double beats = beatsAt(to.x()), value = valueAt(to.y());
  if (!free) {
    const Beats at = ornament_.start + Beats::ofQuarters(beats * unit());
    if (grid_.ticks > 0) beats = (snapToGrid(at, grid_, session_.plan()->map()) - ornament_.start).quarters() / unit();
    const double step = spec_.step > 0 ? spec_.step : 1;
    value = std::round(value / step) * step;
  } else {
    value = std::round(value * 100) / 100;
  }
  put(withPointMoved(pressCurve_, static_cast<std::size_t>(held_.index), beats, value, limits()), tr("point"), true);
}

void CurveLane::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  setFocus();
  held_ = under(e->position());
  if (held_.part == Part::line) { // a new point where the line is
    Curve next = curve_;
    double beats = beatsAt(e->position().x());
    if (!leavesGrid(e->modifiers()) && grid_.ticks > 0)
      beats = (snapToGrid(ornament_.start + Beats::ofQuarters(beats * unit()), grid_, session_.plan()->map()) -
               ornament_.start)
                  .quarters() /
              unit();
    // A plain number becomes a curve from the ornament's start on.
    if (next.points().size() == 1) next = Curve(std::vector<CurvePoint>{{0, next.points().front().y, 0}});
    const auto i = insertPoint(next, beats);
    session_.settle();
    put(next, tr("new point"), true);
    held_ = {Part::point, static_cast<int>(i)};
  }
  if (held_.part == Part::point) choose(held_.index);
  if (held_.part == Part::bend) choose(held_.index);
  pressCurve_ = curve_;
  update();
}

void CurveLane::mouseMoveEvent(QMouseEvent* e) {
  if (held_.part == Part::none || !(e->buttons() & Qt::LeftButton)) {
    const Under now = under(e->position());
    setCursor(now.part == Part::point  ? Qt::SizeAllCursor
              : now.part == Part::bend ? Qt::SizeVerCursor
              : now.part == Part::line ? Qt::CrossCursor
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
  }
}

void CurveLane::mouseReleaseEvent(QMouseEvent*) {
  held_ = {};
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
      emit session_.notice(
          tr("The clipboard holds no curve that %1 can have.").arg(QString::fromStdString(spec_.label)), true);
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
  drawSongText(p, QPointF(scaled(8), scaled(25)), QString::fromStdString(spec_.label), 18, true, c.ink);
  // The scale: the two limits, the middle, and the file's default.
  p.setFont(sans(11));
  std::vector<double> rungs{spec_.min, (spec_.min + spec_.max) / 2, spec_.max};
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
  p.drawPath(path);
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
  if (hasFocus()) {
    p.setPen(QPen(c.ink, 1, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    p.drawRect(rect().adjusted(0, 0, -1, -1));
  }
}

} // namespace ivrin::app

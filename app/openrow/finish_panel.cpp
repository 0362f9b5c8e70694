#include "app/openrow/finish_panel.h"

#include "app/openrow/columns.h"
#include "app/openrow/measures.h"
#include "app/openrow/picking.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "finish/finisher.h"
#include "song/edits.h"
#include "song/settings/setting_type.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kDrawing = 460;

} // namespace

FinishPanel::FinishPanel(Session& session, QWidget* parent)
    : QWidget(parent)
    , session_(session) {
  setMouseTracking(true);
  setObjectName(QStringLiteral("finish-panel"));
  hide();
  connect(&session_.rows(), &RowFacts::spectraChanged, this, [this] { update(); });
}

const Processor* FinishPanel::processor() const {
  return index_ >= 0 && index_ < static_cast<int>(ornament_.finish.size())
             ? &ornament_.finish[static_cast<std::size_t>(index_)]
             : nullptr;
}

FinishContext FinishPanel::context() const {
  const TempoMap& map = session_.plan()->map();
  const auto node = session_.plan()->node(ornament_.id);
  return finishContext(map, ornament_, node.get());
}

void FinishPanel::show(const Ornament& o, int index) {
  ornament_ = o;
  index_ = index;
  const Processor* p = processor();
  const Finisher* f = p ? findFinisher(p->type) : nullptr;
  if (!f) {
    hide();
    return;
  }
  if (type_ != p->type) build(f->table());
  for (NumberField* field : fields_) {
    field->setPlace(session_.plan()->map(), o.start);
    field->setValue(settingOr(f->table(), p->settings, field->spec().key));
  }
  setAccessibleName(asWords(f->table().name));
  layOut();
  QWidget::show();
  raise();
  if (finishShape(*p, context()).axis == FinishShape::Axis::frequency)
    session_.rows().wantSpectra(o.id, static_cast<std::size_t>(index));
  update();
}

void FinishPanel::setCurveShown(const std::string& key) {
  for (NumberField* field : fields_) field->setCurveShown(!key.empty() && field->spec().key == key);
}

void FinishPanel::build(const TableSpec& table) {
  retire(fields_);
  type_ = table.id;
  for (const SettingSpec& spec : table.settings) {
    if (spec.type->drawn()) continue; // drawn, not typed
    auto* f = new NumberField(spec, this);
    fields_.push_back(f);
    connect(f, &NumberField::changed, this, [this, &spec](const Value& v, bool merge) {
      const Processor* p = processor();
      if (!p) return;
      Settings s = p->settings;
      s[spec.key] = v;
      apply(std::move(s), asWords(spec.label), merge);
    });
    connect(f, &NumberField::curveRequested, this, [this, &spec] { emit curveRequested(spec.key); });
    connect(f, &NumberField::settled, this, [this] { session_.settle(); });
    connect(f, &NumberField::typed, this, &FinishPanel::typed);
    connect(f, &NumberField::refused, this, [this](const QString& why) { emit session_.notice(why, true); });
    connect(f, &NumberField::choiceRequested, this, [this, f] { offerPicks(f, session_); });
    f->show();
  }
  jumpByLetter(fields_, this, [this](const QString& words) { emit session_.notice(words, false); });
}

QRectF FinishPanel::drawing() const {
  return QRectF(scaled(kLabel) + scaled(4), scaled(6), scaled(kDrawing), height() - scaled(12));
}

void FinishPanel::layOut() {
  const int left = scaled(kLabel + kDrawing + 28), each = scaled(112);
  const int columns = std::max(1, (width() - left - scaled(8)) / each);
  std::vector<InColumn> line;
  for (std::size_t i = 0, y = 0; i < fields_.size(); ++i) {
    line.push_back({fields_[i], line.size()});
    if (static_cast<int>(line.size()) < columns && i + 1 < fields_.size()) continue;
    layInColumns(
        line,
        QRect(left, scaled(4) + static_cast<int>(y++) * scaled(kLine), width() - left - scaled(8), scaled(kLine - 3)),
        each);
    line.clear();
  }
}

NumberField* FinishPanel::field(const std::string& key) const {
  for (NumberField* f : fields_)
    if (f->spec().key == key) return f;
  return nullptr;
}

QPointF FinishPanel::unitOf(QPointF p) const {
  const QRectF d = drawing();
  return {(p.x() - d.left()) / d.width(), (d.bottom() - p.y()) / d.height()};
}

QPointF FinishPanel::placeOf(QPointF u) const {
  const QRectF d = drawing();
  return {d.left() + d.width() * u.x(), d.bottom() - d.height() * std::clamp(u.y(), 0.0, 1.0)};
}

QRectF FinishPanel::handleRect(const QString& name) const {
  if (const Processor* p = processor())
    for (const FinishHandle& h : finishShape(*p, context()).handles)
      if (h.name == name) {
        const QPointF at = placeOf(h.at);
        const double r = scaled(8);
        return {at.x() - r, at.y() - r, 2 * r, 2 * r};
      }
  return {};
}

QString FinishPanel::handleAt(QPointF at) const {
  const Processor* p = processor();
  if (!p) return {};
  QString best;
  double nearest = scaled(11);
  for (const FinishHandle& h : finishShape(*p, context()).handles) {
    const QPointF d = placeOf(h.at) - at;
    if (std::hypot(d.x(), d.y()) < nearest) {
      nearest = std::hypot(d.x(), d.y());
      best = h.name;
    }
  }
  return best;
}

namespace {

/// A line of the axis, 0..1 from the left, with its figure at the foot; strong where the eye should count from.
struct AxisLine {
  double at;
  QString figure;
  bool strong = false;
};

std::vector<AxisLine> axisOf(const FinishShape& s, const FinishContext& over) {
  std::vector<AxisLine> lines;
  switch (s.axis) {
  case FinishShape::Axis::frequency:
    for (const double hz : {50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10000.0})
      lines.push_back({unitOfHz(hz), hz < 1000 ? QString::number(hz) : QStringLiteral("%1k").arg(hz / 1000),
                       hz == 100 || hz == 1000 || hz == 10000});
    break;
  case FinishShape::Axis::level:
    for (const double db : {-48.0, -36.0, -24.0, -12.0})
      lines.push_back({(db + 60) / 60, QStringLiteral("\u2212%1").arg(-db, 0, 'f', 0)});
    break;
  case FinishShape::Axis::beats: {
    const double beats = over.length.quarters();
    const double step = beats > 40 ? 8 : beats > 16 ? 4 : beats > 3 ? 1 : 0.25;
    for (double b = std::ceil(over.from / step) * step; b < over.from + beats - 1e-6; b += step)
      lines.push_back({(b - over.from) / beats, QString::number(b).replace('-', QChar(0x2212)),
                       std::abs(b) < 1e-9}); // counted from the ornament's start
    break;
  }
  case FinishShape::Axis::time: {
    const double step = s.seconds > 6 ? 2 : s.seconds > 2.5 ? 1 : s.seconds > 0.9 ? 0.25 : 0.1;
    for (double t = step; t < s.seconds - 1e-6; t += step)
      lines.push_back({t / s.seconds, QStringLiteral("%1 s").arg(t)});
    break;
  }
  case FinishShape::Axis::none:
    break;
  }
  return lines;
}

/// A spectrum as an area over the foot of the drawing.
void paintSpectrum(QPainter& p, const QRectF& d, const std::vector<float>& db, QColor hue, float strength) {
  QPolygonF area;
  area << d.bottomLeft();
  for (std::size_t i = 0; i < db.size(); ++i) {
    const double u = (static_cast<double>(i) + 0.5) / static_cast<double>(db.size());
    area << QPointF(d.left() + d.width() * u,
                    d.bottom() - d.height() * std::clamp((static_cast<double>(db[i]) + 90) / 84, 0.0, 1.0));
  }
  area << d.bottomRight();
  hue.setAlphaF(strength);
  p.setPen(Qt::NoPen);
  p.setBrush(hue);
  p.drawPolygon(area);
}

} // namespace

void FinishPanel::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Palette& c = paper();
  p.fillRect(rect(), c.card);
  p.setPen(QPen(c.barRule, 1));
  p.drawLine(scaled(24), 0, width(), 0);
  const Processor* one = processor();
  const Finisher* f = one ? findFinisher(one->type) : nullptr;
  if (!f) return;
  const QRectF d = drawing();
  drawSongText(p, QPointF(scaled(34), scaled(24)), asWordsInside(f->table().name), 15, true, c.ink);
  p.fillRect(d, c.paper);
  p.setPen(QPen(c.beatRule, 1));
  p.drawRect(d);
  const FinishShape s = finishShape(*one, context());
  const std::vector<AxisLine> axis = axisOf(s, context());
  for (const AxisLine& line : axis) {
    const double x = d.left() + d.width() * line.at;
    p.setPen(QPen(line.strong ? c.barRule : c.beatRule, 1));
    p.drawLine(QPointF(x, d.top()), QPointF(x, d.bottom()));
  }
  paintShape(p, s);
  p.setFont(sans(11));
  p.setPen(c.quiet);
  for (const AxisLine& line : axis) // put down last, over what is drawn
    p.drawText(QRectF(d.left() + d.width() * line.at + 3, d.bottom() - scaled(15), scaled(60), scaled(14)),
               Qt::AlignLeft | Qt::AlignVCenter, line.figure);
  paintHandles(p, s);
  paintNotes(p, *one, s);
}

/// What goes in and what comes out, measured: graphite before, blue after; over it the processor's own lines.
void FinishPanel::paintShape(QPainter& p, const FinishShape& s) {
  const Palette& c = paper();
  const QRectF d = drawing();
  p.save();
  p.setClipRect(d.adjusted(1, 1, -1, -1));
  if (const auto& spectra = session_.rows().spectra(); s.axis == FinishShape::Axis::frequency && spectra &&
                                                       spectra->ornament == ornament_.id &&
                                                       spectra->index == static_cast<std::size_t>(index_)) {
    paintSpectrum(p, d, spectra->before, c.quiet, 0.28f);
    paintSpectrum(p, d, spectra->after, inkOf(ornament_), 0.42f);
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(c.barRule, 1.2, Qt::DashLine));
  const auto draw = [&](const QPolygonF& line) {
    QPolygonF out;
    for (const QPointF& q : line) out << QPointF(d.left() + d.width() * q.x(), d.bottom() - d.height() * q.y());
    p.drawPolyline(out);
  };
  for (const QPolygonF& line : s.guides) draw(line);
  p.setPen(QPen(c.ink, 2));
  for (const QPolygonF& line : s.lines) draw(line);
  p.restore();
}

void FinishPanel::paintHandles(QPainter& p, const FinishShape& s) {
  const Palette& c = paper();
  const QRectF d = drawing();
  p.setFont(sans(13, Weight::medium));
  for (const FinishHandle& h : s.handles) {
    const bool on = h.name == held_ || h.name == hover_;
    const QPointF at = placeOf(h.at);
    p.setPen(QPen(c.ink, on ? 2.4 : 1.5));
    p.setBrush(c.card);
    p.drawEllipse(at, scaled(5.5), scaled(5.5));
    if (!on && s.handles.size() > 3) continue;
    const double w = QFontMetrics(p.font()).horizontalAdvance(h.word);
    double x = at.x() + scaled(10);
    if (x + w > d.right() - 2) x = at.x() - scaled(10) - w;
    const double y = std::clamp(at.y() - scaled(20), d.top() + 2, d.bottom() - scaled(32));
    QColor ground = c.paper;
    ground.setAlphaF(0.85f);
    p.fillRect(QRectF(x - 2, y, w + 4, scaled(16)), ground);
    p.setPen(c.ink);
    p.drawText(QRectF(x, y, w + 4, scaled(16)), Qt::AlignVCenter | Qt::AlignLeft, h.word);
  }
}

/// What a level has done, and what is heard on top of it.
QString FinishPanel::matchWords(double matchedDb) const {
  const auto wet = ornament_.settings.find("wet_db");
  const double then = wet != ornament_.settings.end() && wet->second.number() ? *wet->second.number() : 0;
  const auto turned = [](double db) { return (db >= 0.05 ? QStringLiteral("+") : QString()) + decibels(db); };
  return then == 0 ? tr("match %1 LU").arg(turned(matchedDb))
                   : tr("match %1 LU, then %2 dB").arg(turned(matchedDb), turned(then));
}

/// What a level has done, and what a click would do.
void FinishPanel::paintNotes(QPainter& p, const Processor& one, const FinishShape& s) {
  const Palette& c = paper();
  const QRectF d = drawing();
  if (one.type == "level") {
    const auto node = session_.plan()->node(ornament_.id);
    if (const auto db = node && node->print ? node->print->levelDb() : std::nullopt) {
      p.setPen(c.ink);
      p.drawText(
          QRectF(d.left() + scaled(10), d.bottom() - scaled(24), d.width(), scaled(18)), // under all it may cross

          Qt::AlignLeft | Qt::AlignVCenter, matchWords(*db));
    }
  }
  const QPointF place(d.left() + scaled(12), d.top() + scaled(20));
  const auto curve = one.settings.find(drawnCurve(one));
  const bool stands = curve != one.settings.end() && curve->second.list();
  if (!drawnCurve(one).empty() && !stands) drawSongText(p, place, tr("click to draw a curve"), 14, true, c.quiet);
  if (one.type == "tone" && s.handles.empty()) drawSongText(p, place, tr("click to add a band"), 14, true, c.quiet);
}

void FinishPanel::apply(Settings settings, const QString& word, bool merge) {
  const Ornament* now = session_.song().ornament(ornament_.id);
  if (!now || index_ >= static_cast<int>(now->finish.size())) return;
  Ornament o = *now;
  o.finish[static_cast<std::size_t>(index_)].settings = std::move(settings);
  const QString label = tr("%1 of %2").arg(word, kindWord(o.kind));
  session_.edit(label, withOrnamentReplaced(session_.song(), std::move(o)),
                merge ? "finish-" + ornament_.id + std::to_string(index_) + word.toStdString() : std::string());
}

void FinishPanel::mousePressEvent(QMouseEvent* e) {
  const Processor* p = processor();
  if (!p) return;
  const QString at = handleAt(e->position());
  if (e->button() == Qt::RightButton && !at.isEmpty()) {
    if (auto next = removeFromFinish(*p, at)) {
      apply(std::move(*next), tr("point"), false);
      session_.settle();
    }
    return;
  }
  if (e->button() != Qt::LeftButton) return;
  if (at.isEmpty() && drawing().contains(e->position())) {
    if (const auto key = drawnCurve(*p); !key.empty()) {
      emit curveRequested(key);
      return;
    }
    const auto next = addToFinish(*p, unitOf(e->position()));
    if (!next) return;
    apply(*next, tr("point"), true);
    held_ = handleAt(e->position());
    if (const Processor* now = processor()) before_ = *now;
    return;
  }
  held_ = at;
  before_ = *p;
}

void FinishPanel::mouseMoveEvent(QMouseEvent* e) {
  if (!held_.isEmpty() && before_) {
    if (auto next = dragFinish(*before_, held_, unitOf(e->position()), context()))
      apply(std::move(*next), tr("point"), true);
    return;
  }
  const QString over = handleAt(e->position());
  if (over == hover_) return;
  hover_ = over;
  setCursor(over.isEmpty() ? Qt::ArrowCursor : Qt::PointingHandCursor);
  update();
}

void FinishPanel::mouseReleaseEvent(QMouseEvent*) {
  if (held_.isEmpty()) return;
  held_.clear();
  before_.reset();
  session_.settle();
  update();
}

/// Back to the table's own values where a handle is; a band or point goes.
void FinishPanel::mouseDoubleClickEvent(QMouseEvent* e) {
  const Processor* p = processor();
  const QString at = p ? handleAt(e->position()) : QString();
  if (at.isEmpty()) return;
  if (auto next = removeFromFinish(*p, at)) {
    apply(std::move(*next), tr("point"), false);
    session_.settle();
  }
}

} // namespace ivrin::app

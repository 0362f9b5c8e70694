// The open delay throw: a ladder of echoes. Height is level (in decibels, so that a steady feedback is a straight
// slope), up is left, down is right.
#include "app/openrow/drawings.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "ornaments/delay_throw_settings.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kFloorDb = -48;     // the foot of the ladder
constexpr double kFullHeight = 0.87; // of the half height, for an echo as loud as its source

class ThrowDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QObject::tr("source"));
    const Ladder l(c);
    const double mid = c.area.center().y();
    p.setPen(QPen(ink.barRule, 1));
    p.drawLine(QPointF(c.area.left(), mid), QPointF(c.area.right(), mid));
    p.setFont(sans(11));
    if (l.echoes.empty()) return;

    std::vector<FrameRange> hits;
    if (const auto& f = c.session.rows().chosen(); f && f->ornament == c.ornament.id)
      for (const Collision& k : f->collisions) hits.push_back(k.frames);
    // The slope: a dashed line through the heads of the side that begins.
    QPolygonF slope;
    for (const Echo& e : l.echoes)
      if (e.right == l.echoes.front().right || l.settings.pattern == EchoPattern::pingPong) {
        const QPointF h = l.head(e);
        slope << QPointF(h.x(), mid - std::abs(mid - h.y()));
      }
    p.setPen(QPen(ink.blue, 1.2, Qt::DashLine));
    p.drawPolyline(slope);
    for (const Echo& e : l.echoes) {
      const QPointF h = l.head(e);
      if (h.x() > c.area.right() + 20) continue;
      const Frames at(l.start.count + std::llround(e.frames));
      const bool collides =
          std::any_of(hits.begin(), hits.end(), [&](const FrameRange& r) { return at >= r.begin && at < r.end; });
      const QColor colour = collides ? ink.warning : ink.blue;
      const double size = std::clamp(std::abs(h.y() - mid) / (c.area.height() / 2) * scaled(6.5), 1.6, 6.5);
      p.setPen(QPen(colour, e.pass == 1 ? 2.2 : 1.5));
      p.drawLine(QPointF(h.x(), mid), h);
      p.setPen(Qt::NoPen);
      p.setBrush(colour);
      p.save();
      p.translate(h);
      p.rotate(-20);
      p.drawEllipse(QPointF(0, 0), size, size * 0.74);
      p.restore();
    }
    const QPointF first = l.head(l.echoes.front());
    const QString text =
        textOf(c, l.ownTime()) +
        QStringLiteral(" = %1 ms").arg(l.echoes.front().frames / c.placed().sampleRate() * 1000, 0, 'f', 1);
    p.setFont(sans(14, Weight::medium));
    const QFontMetrics m(p.font());
    QRectF box(first.x() + scaled(16), std::max(c.area.top() + scaled(2), first.y() - scaled(9)),
               m.horizontalAdvance(text) + scaled(6), scaled(18));
    const double sourceEnd = c.axis.xOf(c.ornament.span().end);
    if (box.left() < sourceEnd && box.right() > sourceEnd - 8) box.moveLeft(sourceEnd + scaled(10));
    QColor ground = ink.card;
    ground.setAlphaF(0.85f);
    p.fillRect(box, ground);
    p.setPen(ink.ink);
    p.drawText(box, Qt::AlignVCenter | Qt::AlignLeft, QStringLiteral(" ") + text);
    paintNeighbours(p, c);
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all = sourceHandles(c, QObject::tr("source"));
    const Ladder l(c);
    if (l.echoes.empty()) return all;
    const char* own = l.ownTime();
    all.push_back({.name = QStringLiteral("time"),
                   .word = QObject::tr("time"),
                   .rect = handleBox(l.head(l.echoes.front()), 10),
                   .cursor = Qt::SizeAllCursor,
                   .mark = OpenHandle::Mark::outline,
                   .pull = pullTime,
                   .step = [own](const OpenCanvas& now, int right, int up) -> std::optional<Ornament> {
                     auto next = stepping(own, "wet_db")(now, right, up);
                     return right == 0 ? next : std::optional(withTime(now.ornament, own, next->settings[own]));
                   }});
    if (const Echo* e = l.slopeEcho()) {
      const QPointF h = l.head(*e);
      const double mid = c.area.center().y();
      all.push_back({.name = QStringLiteral("slope"),
                     .word = QObject::tr("feedback"),
                     .rect = handleBox({h.x(), mid - std::abs(mid - h.y())}, 7),
                     .cursor = Qt::SizeVerCursor,
                     .mark = OpenHandle::Mark::outline,
                     .pull = pullSlope,
                     .step = stepping(nullptr, "feedback_percent")});
    }
    if (const auto cut = l.settings.cutAt)
      all.push_back({.name = QStringLiteral("cut"),
                     .word = QObject::tr("cut"),
                     .rect = handleBox({c.axis.xOf(c.ornament.start + Beats::ofQuarters(*cut)), c.area.center().y()}),
                     .cursor = Qt::SizeHorCursor,
                     .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                       return allKinds().find(was.ornament.kind)->withTailEnd(was.placed(), beatUnder(pull, was));
                     },
                     .label = QObject::tr("cut here"),
                     .shown = OpenHandle::Label::always});
    return all;
  }

  QString sentence(const OpenCanvas& c, bool& warn) const override {
    const auto f = c.node->kind->loopFigures(c.placed());
    if (!f) return {};
    const TempoMap& map = c.session.plan()->map();
    const QString each = QString::number(std::abs(f->gainPerPassDb), 'f', 1);
    if (f->gainPerPassDb > 0.05) {
      warn = true;
      QString grows = QObject::tr("grows %1 dB per echo").arg(each);
      if (f->diesAt)
        return QObject::tr("%1, ended after %2")
            .arg(grows, spanWords(map, c.ornament.start, *f->diesAt - c.ornament.start));
      if (f->ceilingAt)
        return QObject::tr("%1, at the ceiling from bar %2").arg(grows).arg(map.barAt(*f->ceilingAt).bar);
      return grows;
    }
    if (f->gainPerPassDb > -0.05) return QObject::tr("holds; it does not fade on its own");
    QString falls = QObject::tr("\u2212%1 dB per echo").arg(each);
    if (!f->diesAt) return falls;
    return QObject::tr("%1, silent after %2")
        .arg(falls, spanWords(map, c.ornament.start, *f->diesAt - c.ornament.start));
  }

 private:
  /// One side's time; the other's too while they are the same.
  static Ornament withTime(const Ornament& before, const char* own, const Value& v) {
    Ornament o = before;
    const TableSpec& table = DelayThrowSettings::table();
    const bool linked =
        settingOr(table, before.settings, "time_left") == settingOr(table, before.settings, "time_right");
    o.settings[own] = v;
    if (linked) o.settings["time_left"] = o.settings["time_right"] = v;
    return o;
  }

  /// Sideways the time, by the nearest note value; up and down the level.
  static std::optional<Ornament> pullTime(const OpenCanvas& was, const Pull& pull) {
    const Ladder l(was);
    if (l.echoes.empty()) return std::nullopt;
    const TempoMap& map = was.session.plan()->map();
    const Beats start = was.ornament.start;
    const QPointF by = pull.to() - pull.press();
    Ornament o = was.ornament;
    if (std::abs(by.x()) >= 3) {
      const double seconds =
          l.echoes.front().frames / was.placed().sampleRate() + by.x() / was.axis.pxPerBeat * 60 / map.bpmAt(start);
      o = withTime(o, l.ownTime(), timeFor(seconds, 0.001, pull.free, map, start));
    }
    if (std::abs(by.y()) >= 6) {
      const double db = (l.echoes.front().right ? by.y() : -by.y()) / (was.area.height() / 2 * kFullHeight) * -kFloorDb;
      const double wet = *settingOr(DelayThrowSettings::table(), was.ornament.settings, "wet_db").number();
      o.settings["wet_db"] = std::clamp(std::round((wet + db) * 2) / 2, -60.0, 12.0);
    }
    return o;
  }

  /// The feedback whose echo would stand under the hand; a curve keeps its shape.
  static std::optional<Ornament> pullSlope(const OpenCanvas& was, const Pull& pull) {
    const Ladder l(was);
    const Echo* e = l.slopeEcho();
    if (!e) return std::nullopt;
    const double mid = was.area.center().y(), height = std::abs(mid - std::min(pull.to().y(), mid - 1));
    const double db = l.dbAt(height) - l.wetDb(e->right);
    const double percent = std::clamp(std::round(std::pow(10.0, db / 20 / (e->pass - 1)) * 100), 0.0, 200.0);
    Ornament o = was.ornament;
    const Value& v = settingOr(DelayThrowSettings::table(), was.ornament.settings, "feedback_percent");
    if (v.number()) {
      o.settings["feedback_percent"] = percent;
    } else {
      const double former = l.settings.feedbackLeft.at(0) * 100;
      auto points = Curve::from(v)->points();
      for (auto& q : points) q.y = std::clamp(q.y * (former > 0 ? percent / former : 1), 0.0, 200.0);
      o.settings["feedback_percent"] = Curve(points).value();
    }
    return o;
  }

  /// The echoes with their places in the drawing.
  struct Ladder {
    explicit Ladder(const OpenCanvas& canvas)
        : c(canvas)
        , settings(DelayThrowSettings::of(canvas.placed())) {
      const TempoMap& map = c.session.plan()->map();
      beatFrames = std::llround(60 / map.bpmAt(c.ornament.start) * map.sampleRate());
      start = map.frameAt(c.ornament.start);
      echoes = echoLadder(settings, static_cast<double>(beatFrames),
                          std::pow(10.0, kFloorDb / 20) / Decibels(std::max(wetDb(false), wetDb(true))).gain());
    }
    double wetDb(bool right) const { return settings.wetDb + (right ? settings.levelRightDb : settings.levelLeftDb); }
    double heightOf(double db) const {
      return std::clamp((db - kFloorDb) / -kFloorDb, 0.0, 1.0) * kFullHeight * c.area.height() / 2;
    }
    /// The setting that the first echo's time is.
    const char* ownTime() const { return echoes.front().right ? "time_right" : "time_left"; }
    double dbAt(double height) const { return kFloorDb - kFloorDb * height / (kFullHeight * c.area.height() / 2); }
    QPointF head(const Echo& e) const {
      const TempoMap& map = c.session.plan()->map();
      const double x = c.axis.xOf(Beats::ofQuarters(map.quartersAt(Frames(start.count + std::llround(e.frames)))));
      const double h = heightOf(Decibels::ofGain(e.gain).value + wetDb(e.right));
      return {x, c.area.center().y() + (e.right ? h : -h)};
    }
    /// The echo whose head carries the slope handle: the third pass or the last one there is.
    const Echo* slopeEcho() const {
      const Echo* best = nullptr;
      for (const Echo& e : echoes) // on the side that the slope is drawn through
        if (e.pass >= 2 && (e.right == echoes.front().right || settings.pattern == EchoPattern::pingPong) &&
            (!best || e.pass <= 3))
          best = &e;
      return best;
    }
    const OpenCanvas& c;
    DelayThrowSettings settings;
    std::int64_t beatFrames;
    Frames start;
    std::vector<Echo> echoes;
  };
};

} // namespace

std::unique_ptr<OpenDrawing> throwDrawing() {
  return std::make_unique<ThrowDrawing>();
}

} // namespace ivrin::app

#include "app/score/magnifier.h"

#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "render/facts.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kHalfSeconds = 0.016;

const Frames* nearest(const std::vector<Frames>& all, Frames at) {
  const Frames* best = nullptr;
  const auto after = std::lower_bound(all.begin(), all.end(), at);
  if (after != all.end()) best = &*after;
  if (after != all.begin() && (!best || (at - *(after - 1)) < (*best - at))) best = &*(after - 1);
  return best;
}

} // namespace

QSizeF magnifierSize() {
  return {static_cast<double>(scaled(236)), static_cast<double>(scaled(82))};
}

Beats nearestOnset(const Session& session, const std::string& row, Beats at, Beats reach) {
  const TempoMap& map = session.plan()->map();
  const Frames* best = nearest(session.rows().onsets(row), map.frameAt(at));
  if (!best) return at;
  const Beats b = map.beatAt(*best);
  return std::abs((b - at).ticks) <= reach.ticks ? b : at;
}

QString nearestOnsetWords(const TempoMap& map, const std::vector<Frames>& onsets, Beats at) {
  const Frames here = map.frameAt(at);
  const Frames* best = nearest(onsets, here);
  if (!best) return {};
  const double ms = static_cast<double>((*best - here).count) / map.sampleRate() * 1000;
  if (std::abs(ms) > 250) return {};
  if (std::abs(ms) < 0.06) return QObject::tr("on the transient");
  return ms < 0 ? QObject::tr("transient %1 ms earlier").arg(-ms, 0, 'f', 1)
                : QObject::tr("transient %1 ms later").arg(ms, 0, 'f', 1);
}

void paintMagnifier(QPainter& p, const QRectF& box, const std::shared_ptr<const RenderPlan>& plan,
                    const std::vector<Frames>& onsets, const std::string& row, Beats at) {
  const Palette& c = paper();
  const TempoMap& map = plan->map();
  const Frames centre = map.frameAt(at);
  const auto half = std::max<std::int64_t>(16, std::llround(kHalfSeconds * map.sampleRate()));
  StereoBuffer b(2 * half);
  readerBeforeOrnaments(plan, row)(centre - Frames(half), b.span());
  float most = 0.02f;
  for (std::int64_t i = 0; i < b.frames(); ++i) most = std::max({most, std::abs(b.left()[i]), std::abs(b.right()[i])});

  p.save();
  p.setPen(QPen(c.ink, 1));
  p.setBrush(c.card);
  p.drawRect(box);
  const double words = scaled(19);
  const QRectF wave = box.adjusted(1, scaled(7), -1, -words);
  const auto x = [&](double frame) { return wave.left() + frame / static_cast<double>(2 * half) * wave.width(); };
  p.setClipRect(box.adjusted(1, 1, -1, -1));
  p.setPen(QPen(c.beatRule, 1));
  p.drawLine(QPointF(wave.left(), wave.center().y()), QPointF(wave.right(), wave.center().y()));
  QPolygonF line;
  for (std::int64_t i = 0; i < b.frames(); ++i)
    line << QPointF(x(static_cast<double>(i)),
                    wave.center().y() -
                        static_cast<double>(0.5f * (b.left()[i] + b.right()[i]) / most) * wave.height() / 2);
  p.setPen(QPen(c.wave, 1.3));
  p.drawPolyline(line);
  for (const Frames& f : onsets) {
    const std::int64_t i = (f - centre).count + half;
    if (i < 0 || i >= b.frames()) continue;
    const double at2 = x(static_cast<double>(i));
    p.setPen(Qt::NoPen);
    p.setBrush(c.ink);
    p.drawPolygon(QPolygonF({{at2 - 4, box.top() + 1}, {at2 + 4, box.top() + 1}, {at2, box.top() + 8}}));
    p.setPen(QPen(c.quiet, 1, Qt::DotLine));
    p.drawLine(QPointF(at2, box.top() + 8), QPointF(at2, wave.bottom()));
  }
  p.setPen(QPen(c.ink, 1.6));
  p.drawLine(QPointF(x(static_cast<double>(half)), box.top() + 1),
             QPointF(x(static_cast<double>(half)), wave.bottom()));
  p.setPen(QPen(c.beatRule, 1));
  p.drawLine(QPointF(box.left() + 1, box.bottom() - words), QPointF(box.right() - 1, box.bottom() - words));
  const BarPosition bar = map.barAt(at);
  const MeterEntry& meter = map.meterAt(at);
  const std::int64_t sixteenth = meter.beatLength().ticks / 4;
  const double rest = Beats(bar.tick % sixteenth).quarters() * 60 / map.bpmAt(at) * 1000;
  QString place = QStringLiteral("%1.%2.%3").arg(bar.bar).arg(bar.beat).arg(bar.tick / sixteenth + 1);
  if (rest > 0.05) place += QStringLiteral(" + %1 ms").arg(rest, 0, 'f', 1);
  p.setFont(sans(11.5, Weight::medium));
  p.setPen(c.ink);
  const QRectF text =
      QRectF(box.left(), box.bottom() - words, box.width(), words).adjusted(scaled(7), 0, -scaled(7), 0);
  p.drawText(text, Qt::AlignVCenter | Qt::AlignLeft, place);
  p.setFont(sans(11.5));
  p.setPen(c.quiet);
  p.drawText(text, Qt::AlignVCenter | Qt::AlignRight, nearestOnsetWords(map, onsets, at));
  p.restore();
}

} // namespace ivrin::app

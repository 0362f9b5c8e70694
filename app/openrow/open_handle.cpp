#include "app/openrow/open_handle.h"

#include "app/openrow/open_drawing.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "song/settings/setting_text.h"

namespace ivrin::app {
namespace {

constexpr double kHandleReach = 4; // pixels about a handle that still take it

void paintLabel(QPainter& p, QPointF at, const QString& words, OpenHandle::Side side) {
  if (words.isEmpty()) return;
  const Palette& ink = paper();
  p.setFont(sans(14, Weight::medium));
  const double w = QFontMetrics(p.font()).horizontalAdvance(words);
  const QRectF box(side == OpenHandle::Side::left ? at.x() - scaled(12) - w : at.x() + scaled(11), at.y() - scaled(19),
                   w, scaled(17));
  QColor ground = ink.card; // keeps it legible on a wave
  ground.setAlphaF(0.85f);
  p.fillRect(box.adjusted(-2, 0, 2, 0), ground);
  p.setPen(ink.ink);
  p.drawText(box, Qt::AlignVCenter | Qt::AlignLeft, words);
}

} // namespace

QRectF handleBox(QPointF at, double half) {
  const double r = scaled(half);
  return {at.x() - r, at.y() - r, 2 * r, 2 * r};
}

std::function<std::optional<Ornament>(const OpenCanvas&, int, int)> stepping(const char* sideways, const char* upDown) {
  return [=](const OpenCanvas& c, int right, int up) -> std::optional<Ornament> {
    const char* key = right != 0 ? sideways : upDown;
    if (!key) return std::nullopt;
    const TableSpec& table = allKinds().find(c.ornament.kind)->table();
    Ornament o = c.ornament;
    o.settings[key] = steppedSetting(*table.find(key), settingOr(table, o.settings, key), right != 0 ? right : up,
                                     c.session.plan()->map(), o.start);
    return o;
  };
}

std::optional<Ornament> stepped(const OpenHandle& h, const OpenCanvas& c, int right, int up, Beats grid) {
  if (h.step) return h.step(c, right, up);
  if (right == 0 || !h.pull) return std::nullopt;
  const Beats by = grid.ticks > 0 ? grid : Beats(kTicksPerQuarter / 16);
  const QPointF at = h.rect.center();
  return h.pull(c, {{at, at + QPointF(right * by.quarters() * c.axis.pxPerBeat, 0)}, grid.ticks == 0, false, grid});
}

const OpenHandle* handleAt(const std::vector<OpenHandle>& all, QPointF p) {
  const OpenHandle* found = nullptr;
  for (const OpenHandle& h : all) // what is painted later lies above
    if (h.rect.adjusted(-kHandleReach, -kHandleReach, kHandleReach, kHandleReach).contains(p)) found = &h;
  return found;
}

const OpenHandle* handleNamed(const std::vector<OpenHandle>& all, const QString& name) {
  for (const OpenHandle& h : all)
    if (h.name == name) return &h;
  return nullptr;
}

void paintHandles(QPainter& p, const std::vector<OpenHandle>& all, const QString& active) {
  const Palette& ink = paper();
  for (const OpenHandle& h : all) {
    const bool on = h.name == active;
    const QPointF at = h.rect.center();
    const double r = scaled(6);
    p.setBrush(ink.card);
    p.setPen(QPen(ink.ink, on ? 2.4 : 1.5));
    switch (h.mark) {
    case OpenHandle::Mark::none:
      break;
    case OpenHandle::Mark::box:
      p.setPen(QPen(ink.ink, on ? 2.4 : 1.4));
      p.drawRect(QRectF(at.x() - scaled(4), at.y() - scaled(4), scaled(8), scaled(8)));
      break;
    case OpenHandle::Mark::outline: // about what is drawn there already
      p.setBrush(Qt::NoBrush);
      p.setPen(QPen(ink.ink, on ? 2.2 : 1.2));
      p.drawEllipse(at, h.rect.width() / 2, h.rect.width() / 2);
      break;
    case OpenHandle::Mark::ring:
      p.drawEllipse(at, r, r);
      break;
    case OpenHandle::Mark::diamond:
      p.drawPolygon(QPolygonF({at + QPointF(0, -r), at + QPointF(r, 0), at + QPointF(0, r), at + QPointF(-r, 0)}));
      break;
    }
    if (h.shown == OpenHandle::Label::always || (on && h.shown == OpenHandle::Label::active))
      paintLabel(p, at, h.label, h.side);
  }
}

} // namespace ivrin::app

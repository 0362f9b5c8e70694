#include "app/openrow/open_handle.h"

#include "app/openrow/open_drawing.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "song/settings/setting_text.h"

namespace ivrin::app {
namespace {

constexpr double kHandleReach = 4; // pixels about a handle that still take it

QFont labelFont() {
  return sans(14, Weight::medium);
}

bool saysSomething(const OpenHandle& h, const QString& active) {
  return !h.label.isEmpty() &&
         (h.shown == OpenHandle::Label::always || (h.name == active && h.shown == OpenHandle::Label::active));
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

std::vector<QRectF> labelBoxes(const std::vector<OpenHandle>& all, const QString& active, const QRectF& area) {
  std::vector<QRectF> boxes(all.size());
  const QFontMetricsF metrics(labelFont());
  const double r = scaled(8);
  const auto free = [&](const QRectF& box, std::size_t own, bool ofAllMarks) {
    if (!area.isNull() && (box.left() < area.left() || box.right() > area.right())) return false;
    for (std::size_t k = 0; k < all.size(); ++k) {
      if (boxes[k].intersects(box)) return false;
      if (k != own && all[k].mark != OpenHandle::Mark::none && (ofAllMarks || saysSomething(all[k], active)) &&
          handleBox(all[k].rect.center(), 6).intersects(box))
        return false;
    }
    return true;
  };
  // The one in hand chooses first.
  std::vector<std::size_t> order;
  for (std::size_t i = 0; i < all.size(); ++i)
    if (saysSomething(all[i], active)) order.insert(all[i].name == active ? order.begin() : order.end(), i);
  for (const std::size_t i : order) {
    const QPointF at = all[i].rect.center();
    const double w = metrics.horizontalAdvance(all[i].label), h = scaled(17);
    const double left = at.x() - scaled(12) - w, right = at.x() + scaled(11), above = at.y() - scaled(19),
                 below = at.y() + scaled(4);
    const bool first = all[i].side == OpenHandle::Side::right;
    const double near = first ? right : left, far = first ? left : right;
    // Beside it, under that, on its other side, over or under it; where all is taken it is not said but for the one in
    // hand.
    const QPointF places[] = {{near, above},
                              {near, below},
                              {far, above},
                              {far, below},
                              {at.x() - w / 2, at.y() - r - h - 2},
                              {at.x() - w / 2, at.y() + r + 2}};
    for (const bool ofAllMarks : {true, false}) // where it must, over the mark of one that says nothing
      for (const QPointF& place : places)
        if (const QRectF box(place, QSizeF(w, h)); boxes[i].isNull() && free(box, i, ofAllMarks)) boxes[i] = box;
    if (boxes[i].isNull() && all[i].name == active) boxes[i] = QRectF(places[0], QSizeF(w, h));
    if (!area.isNull() && !boxes[i].isNull() && area.intersects(handleBox(at))) // the one in hand is said whatever
      boxes[i].moveLeft(std::clamp(boxes[i].left(), area.left(), std::max(area.left(), area.right() - w)));
  }
  return boxes;
}

void paintHandles(QPainter& p, const std::vector<OpenHandle>& all, const QString& active, const QRectF& area) {
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
  }
  const std::vector<QRectF> labels = labelBoxes(all, active, area);
  p.setFont(labelFont());
  QColor ground = ink.card; // keeps them legible on a wave
  ground.setAlphaF(0.85f);
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (labels[i].isNull()) continue;
    p.fillRect(labels[i].adjusted(-2, 0, 2, 0), ground);
    p.setPen(ink.ink);
    p.drawText(labels[i], Qt::AlignVCenter | Qt::AlignLeft, all[i].label);
  }
}

} // namespace ivrin::app

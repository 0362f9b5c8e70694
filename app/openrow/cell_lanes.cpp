#include "app/openrow/cell_lanes.h"

#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kLeastCell = 5;     // pixels; narrower ones are drawn and painted by groups
constexpr double kMostPitch = 24;    // semitones
constexpr double kOctaveHeight = 22; // pixels from no pitch to an octave under a hand
constexpr double kNarrow = 17;       // height of a narrow lane

double tenths(double v) {
  return std::round(v * 10) / 10;
}

} // namespace

CellLanes::CellLanes(const OpenCanvas& c, Levels levels)
    : canvas_(c)
    , map_(c.session.plan()->map())
    , levels_(levels)
    , cells_(allKinds().find(c.ornament.kind)->cells(c.placed()))
    , pattern_(cells_->pattern()) {
  const FrameRange span = c.placed().span();
  const Cells::Has has = cells_->has();
  const double left = x(span.begin), right = x(span.end);
  double top = c.area.top() + scaled(15), foot = c.area.bottom() - scaled(4);
  const auto lane = [&](bool there, Lane which, double& edge, int sign) {
    if (!there) return;
    const double other = edge + sign * scaled(kNarrow);
    lanes_.push_back({which, QRectF(left, std::min(edge, other), right - left, scaled(kNarrow))});
    edge = other;
  };
  lane(has.directions, Lane::direction, foot, -1);
  lane(has.sides, Lane::side, foot, -1);
  lane(has.lengths, Lane::length, top, 1);
  lane(has.pitches, Lane::pitch, top, 1);
  main_ = QRectF(left, top + scaled(2), right - left, std::max(8.0, foot - top - scaled(4)));
  lanes_.insert(lanes_.begin(), {Lane::level, main_});
  const auto n = static_cast<double>(std::max<std::int64_t>(1, cells_->end() - cells_->first()));
  width_ = (right - left) / n;
  // Groups: a beat, a bar, bars.
  const double beats = c.ornament.length.quarters() / n, bar = map_.meterAt(c.ornament.start).barLength().quarters();
  for (double group = 1; width_ * static_cast<double>(group_) < kLeastCell && group <= 4096; group *= 2)
    group_ = std::max<std::int64_t>(1, std::llround((group == 1 ? 1 : bar * group / 2) / beats));
  firstSeen_ = cells_->at(map_.frameAt(c.axis.beatAt(std::max(left, c.area.left()))));
}

QRectF CellLanes::box(std::int64_t k, std::int64_t count) const {
  const double a = x(cells_->frames(k).begin), b = x(cells_->frames(k + count - 1).end);
  return {a, main_.top(), b - a, main_.height()};
}

const char* CellLanes::nameOf(Lane lane) {
  switch (lane) {
  case Lane::level:
    return "cells";
  case Lane::side:
    return "sides";
  case Lane::pitch:
    return "pitches";
  case Lane::direction:
    return "directions";
  case Lane::length:
    return "lengths";
  }
  return "";
}

const CellLanes::Place& CellLanes::place(Lane lane) const {
  return *std::find_if(lanes_.begin(), lanes_.end(), [&](const Place& p) { return p.lane == lane; });
}

std::int64_t CellLanes::cellAt(double at) const {
  const Frames f = map_.frameAt(canvas_.axis.beatAt(std::clamp(at, main_.left(), main_.right() - 0.01)));
  return std::clamp(cells_->at(f), cells_->first(), std::max(cells_->first(), cells_->end() - 1));
}

void CellLanes::paintStep(PatternStep& s, const Place& place, double y, const PatternStep& pressed) const {
  const double away = y - place.rect.center().y();
  switch (place.lane) {
  case Lane::level:
    s.level = levels_ == Levels::fromMiddle
                  ? std::min(1.0, tenths(std::abs(away) / (place.rect.height() / 2)))
                  : std::clamp(std::round((place.rect.bottom() - y) / place.rect.height() * 20) / 20, 0.0, 1.0);
    break;
  case Lane::side:
    s.side = std::clamp(tenths(away / (0.6 * place.rect.height())), -1.0, 1.0);
    break;
  case Lane::pitch:
    s.semitones = std::clamp(std::round(-away / scaled(kOctaveHeight) * 12), -kMostPitch, kMostPitch);
    break;
  case Lane::direction:
    s.reversed = !pressed.reversed;
    break;
  case Lane::length: // recut() does it
    break;
  }
}

std::optional<Ornament> CellLanes::recut(const Pull& pull) const {
  const auto [first, last] = std::minmax({cellAt(pull.press().x()), cellAt(pull.to().x())});
  return first == last ? cells_->cut(first) : cells_->joined(first, last);
}

std::optional<Ornament> CellLanes::recut(std::int64_t k, int up) const {
  if (up > 0) return cells_->cut(k);
  const std::int64_t first = std::max(cells_->first(), std::min(k, cells_->end() - 2));
  return cells_->joined(first, std::min(first + 1, cells_->end() - 1));
}

std::optional<Ornament> CellLanes::painted(Lane lane, const Pull& pull) const {
  Pattern all = toolPattern(*cells_, map_);
  const Place& where = place(lane);
  const auto index = [&](std::int64_t k) { return cells_->place(k, all.size()); };
  const PatternStep pressed = all[index(cellAt(pull.press().x()))];
  QPointF from = pull.press();
  for (const QPointF to : pull.path) {
    auto [first, last] = std::minmax({cellAt(from.x()), cellAt(to.x())});
    first = first / group_ * group_; // cells that are drawn as one are painted as one
    last = std::min(cells_->end(), (last / group_ + 1) * group_) - 1;
    for (std::int64_t k = std::max(first, cells_->first()); k <= last; ++k) {
      // On the way from one point to the next the hand was in between.
      const double middle = box(k).center().x();
      const double u = group_ > 1 || std::abs(to.x() - from.x()) < 1
                           ? 1
                           : std::clamp((middle - from.x()) / (to.x() - from.x()), 0.0, 1.0);
      paintStep(all[index(k)], where, from.y() + u * (to.y() - from.y()), pressed);
    }
    from = to;
  }
  return cells_->with(all);
}

void CellLanes::keyStep(PatternStep& s, Lane lane, int up) {
  switch (lane) {
  case Lane::level:
    s.level = std::clamp(tenths(s.level + 0.1 * up), 0.0, std::max(1.0, s.level));
    break;
  case Lane::side:
    s.side = std::clamp(tenths(s.side - 0.1 * up), -1.0, 1.0); // up is left
    break;
  case Lane::pitch:
    s.semitones = std::clamp(s.semitones + up, -kMostPitch, kMostPitch);
    break;
  case Lane::direction:
    s.reversed = !s.reversed;
    break;
  case Lane::length:
    break;
  }
}

QString CellLanes::said(Lane lane, std::int64_t k) const {
  const PatternStep& s = step(k);
  QString which = QObject::tr("cell %1").arg(k - cells_->first() + 1);
  switch (lane) {
  case Lane::level:
    return QObject::tr("%1: %2").arg(which, !s.sounds() ? QObject::tr("silent")
                                            : levels_ == Levels::fromFoot
                                                ? QObject::tr("%1 %").arg(std::lround(100 * s.level))
                                                : QObject::tr("loudness match %1").arg(s.level, 0, 'g', 2));
  case Lane::side:
    return QObject::tr("%1: %2").arg(which, s.side == 0  ? QObject::tr("C")
                                            : s.side < 0 ? QObject::tr("L %1").arg(-s.side)
                                                         : QObject::tr("R %1").arg(s.side));
  case Lane::pitch:
    return QObject::tr("%1: %2 semitones").arg(which).arg(s.semitones);
  case Lane::direction:
    return QObject::tr("%1: %2").arg(which, s.reversed ? QObject::tr("backwards") : QObject::tr("forwards"));
  case Lane::length:
    return QObject::tr("%1: %2").arg(which, QString::fromStdString(cells_->lengthText(k)));
  }
  return which;
}

std::vector<OpenHandle> CellLanes::handles() const {
  std::vector<OpenHandle> all;
  const auto words = [](Lane lane) {
    return lane == Lane::level    ? QObject::tr("cells")
           : lane == Lane::side   ? QObject::tr("cell pan")
           : lane == Lane::pitch  ? QObject::tr("cell pitch")
           : lane == Lane::length ? QObject::tr("lengths")
                                  : QObject::tr("directions");
  };
  const Levels levels = levels_;
  const auto wheel = [&](Lane lane) -> decltype(OpenHandle::wheel) {
    if (!cells_->has().lengths || group_ > 1 || (lane != Lane::level && lane != Lane::length)) return nullptr;
    return [levels](const OpenCanvas& now, QPointF at, int up) {
      const CellLanes here(now, levels);
      return here.recut(here.cellAt(at.x()), up);
    };
  };
  for (const Place& at : lanes_) {
    const Lane lane = at.lane;
    if (lane != Lane::level && group_ > 1) continue; // too narrow to be told apart there
    const std::int64_t k =
        canvas_.cell >= cells_->first() && canvas_.cell < cells_->end() ? canvas_.cell : cells_->first();
    const double right = std::min(at.rect.right(), canvas_.area.right());
    all.push_back(
        {.name = QString::fromLatin1(nameOf(lane)),
         .word = words(lane),
         .rect = QRectF(at.rect.left(), at.rect.top(), right - at.rect.left(), at.rect.height()),
         .cursor = lane == Lane::direction || lane == Lane::length ? Qt::PointingHandCursor : Qt::CrossCursor,
         .mark = OpenHandle::Mark::none,
         .pull =
             [lane, levels](const OpenCanvas& was, const Pull& pull) {
               const CellLanes here(was, levels);
               return lane == Lane::length ? here.recut(pull) : here.painted(lane, pull);
             },
         .stepCell = [lane, levels](const OpenCanvas& now, std::int64_t cell, int up) -> std::optional<Ornament> {
           const CellLanes here(now, levels);
           if (lane == Lane::length) return here.recut(cell, up);
           Pattern p = toolPattern(*here.cells_, here.map_);
           keyStep(p[here.cells().place(cell, p.size())], lane, up);
           return here.cells().with(p);
         },
         .firstCell = cells_->first(),
         .endCell = cells_->end(),
         .wheel = wheel(lane),
         .label = said(lane, k),
         .shown = OpenHandle::Label::never, // the measure line says it; here it would stand on the cells
         .atPress = true});
  }
  return all;
}

void CellLanes::paint(QPainter& p, const QColor& hue) const {
  const Palette& ink = paper();
  for (const Place& at : lanes_) {
    if (at.lane == Lane::level) continue;
    const double y = at.rect.center().y();
    p.setPen(QPen(ink.beatRule, 1));
    p.drawLine(QPointF(at.rect.left(), y), QPointF(at.rect.right(), y));
    if (group_ > 1) continue;
    eachSeen([&](std::int64_t k, std::int64_t) {
      const PatternStep& s = step(k);
      if (!s.sounds() && at.lane != Lane::length) return;
      const double middle = box(k).center().x(), r = std::min<double>(scaled(6), width_ / 2 - 1);
      p.setPen(QPen(ink.ink, width_ > 12 ? 1.6 : 1.1, Qt::SolidLine, Qt::RoundCap));
      switch (at.lane) {
      case Lane::side: { // a stroke that leans to its side
        const double lean = s.side * r * 1.2;
        p.drawLine(QPointF(middle - lean, y + r * 0.9), QPointF(middle + lean, y - r * 0.9));
        break;
      }
      case Lane::pitch: {
        const double most = scaled(kNarrow / 2 - 2), up = std::clamp(s.semitones / 12 * most, -most, most);
        p.setPen(QPen(s.semitones == 0 ? ink.quiet : hue, s.semitones == 0 ? 1 : 2));
        p.drawLine(QPointF(middle - r, y - up), QPointF(middle + r, y - up));
        if (s.semitones != 0 && width_ > scaled(34)) {
          p.setFont(sans(12));
          p.setPen(ink.ink);
          p.drawText(QRectF(middle + r + 1, y - scaled(9), scaled(26), scaled(18)), Qt::AlignVCenter | Qt::AlignLeft,
                     (s.semitones > 0 ? QStringLiteral("+") : QString()) + QString::number(s.semitones));
        }
        break;
      }
      case Lane::direction: {
        const double to = s.reversed ? -r : r;
        p.setPen(QPen(s.reversed ? hue : ink.quiet, s.reversed ? 1.8 : 1.1));
        p.drawLine(QPointF(middle - to, y), QPointF(middle + to, y));
        p.drawLine(QPointF(middle + to, y), QPointF(middle + to * 0.3, y - r * 0.55));
        p.drawLine(QPointF(middle + to, y), QPointF(middle + to * 0.3, y + r * 0.55));
        break;
      }
      case Lane::length: { // where it begins, and what a press would cut
        const QRectF cell = box(k);
        const double most = scaled(kNarrow / 2 - 2);
        p.setPen(QPen(hue, 1.6));
        p.drawLine(QPointF(cell.left(), y - most), QPointF(cell.left(), y + most));
        const std::string length = cells_->lengthText(k);
        if (k > cells_->first() && length == cells_->lengthText(k - 1)) break;
        const QString words = QString::fromStdString(length);
        p.setFont(sans(12));
        p.setPen(ink.ink);
        const QRectF room(cell.left() + scaled(5), y - scaled(9), QFontMetricsF(p.font()).horizontalAdvance(words) + 2,
                          scaled(18));
        if (room.width() > cell.width() - scaled(6)) break;
        p.fillRect(room, ink.paper);
        p.drawText(room, Qt::AlignVCenter | Qt::AlignLeft, words);
        break;
      }
      case Lane::level:
        break;
      }
    });
  }
  // Where the pattern begins again.
  const auto round = static_cast<std::int64_t>(pattern_.size());
  if (round > 1 && width_ * static_cast<double>(round) > scaled(14)) {
    p.setPen(QPen(hue, 1.2, Qt::DotLine));
    const std::int64_t from = std::max(cells_->first() + 1, firstSeen_);
    for (std::int64_t k = from; k < cells_->end() && box(k).left() < canvas_.area.right(); ++k)
      if (cells_->place(k, pattern_.size()) == 0)
        p.drawLine(QPointF(box(k).left(), canvas_.area.top() + scaled(4)),
                   QPointF(box(k).left(), canvas_.area.top() + scaled(16)));
  }
  if (canvas_.cell >= cells_->first() && canvas_.cell < cells_->end()) { // the keys stand here
    QRectF at = box(canvas_.cell);
    for (const Place& lane : lanes_) {
      at.setTop(std::min(at.top(), lane.rect.top()));
      at.setBottom(std::max(at.bottom(), lane.rect.bottom()));
    }
    p.setPen(QPen(ink.ink, 1.6));
    p.setBrush(Qt::NoBrush);
    p.drawRect(at.adjusted(0.5, 0, -0.5, 0));
  }
}

} // namespace ivrin::app

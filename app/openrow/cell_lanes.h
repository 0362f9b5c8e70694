// CellLanes draws the cells of an open row and edits them: where each stands, and the lanes in which a hand or the keys
// paint them. Levels are painted in the main lane; sides, pitches, directions and lengths have narrow ones.
#pragma once

#include "app/openrow/open_drawing.h"
#include "patterns/pattern_tools.h"

namespace ivrin::app {

class CellLanes {
 public:
  /// How a level stands in the main lane: out of its middle, or up from its foot.
  enum class Levels { fromMiddle, fromFoot };
  /// The canvas's kind has cells; `c` must outlive it.
  CellLanes(const OpenCanvas& c, Levels levels);

  const Cells& cells() const { return *cells_; }
  const Pattern& pattern() const { return pattern_; }
  const PatternStep& step(std::int64_t k) const { return pattern_[cells_->place(k, pattern_.size())]; }
  double x(Frames f) const { return canvas_.axis.xOf(map_.beatAt(f)); }
  /// A cell, or a group of them, in the main lane.
  QRectF box(std::int64_t k, std::int64_t count = 1) const;
  /// Cells that are drawn as one, so that they can be told apart: 1, a beat's, a bar's, several bars'.
  std::int64_t group() const { return group_; }
  /// Those that can be seen, by groups: f(k, count).
  template <class F> void eachSeen(F f) const {
    const std::int64_t from = std::max(cells_->first(), firstSeen_ / group_ * group_);
    for (std::int64_t k = from; k < cells_->end() && box(k).left() < canvas_.area.right();
         k = (k / group_ + 1) * group_)
      f(k, std::min(cells_->end(), (k / group_ + 1) * group_) - k);
  }
  double width() const { return width_; } // of a cell, pixels, on the whole
  QRectF main() const { return main_; }
  double begin() const { return main_.left(); }
  double end() const { return main_.right(); }
  double middle() const { return main_.center().y(); }
  double half() const { return main_.height() / 2; }

  /// One for each lane; that of the levels is "cells". Where cells have lengths of their own the wheel over one cuts
  /// it, or joins it with the next.
  std::vector<OpenHandle> handles() const;
  /// The narrow lanes, where lists begin again, and the cell that the keys stand on.
  void paint(QPainter& p, const QColor& hue) const;

 private:
  enum class Lane { level, side, pitch, direction, length };
  struct Place {
    Lane lane;
    QRectF rect;
  };
  static const char* nameOf(Lane lane);
  std::int64_t cellAt(double x) const;
  /// The step after a hand was at this height of its lane, or after so many keys up.
  void paintStep(PatternStep& s, const Place& place, double y, const PatternStep& pressed) const;
  static void keyStep(PatternStep& s, Lane lane, int up);
  QString said(Lane lane, std::int64_t k) const;
  const Place& place(Lane lane) const;
  std::optional<Ornament> painted(Lane lane, const Pull& pull) const;
  /// A press cuts the cell under it; drawn on over others it joins them.
  std::optional<Ornament> recut(const Pull& pull) const;
  std::optional<Ornament> recut(std::int64_t k, int up) const;

  const OpenCanvas& canvas_;
  const TempoMap& map_;
  Levels levels_;
  std::unique_ptr<Cells> cells_;
  Pattern pattern_;
  QRectF main_;
  std::vector<Place> lanes_;
  double width_ = 0;
  std::int64_t group_ = 1, firstSeen_ = 0;
};

} // namespace ivrin::app

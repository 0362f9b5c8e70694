// The OrnamentLayout says where the ornaments of the score stand: their lanes, signs and brackets, in widget
// coordinates. It is geometry only.
#pragma once

#include "app/axis/time_axis.h"
#include "app/score/page_layout.h"
#include "render/render_plan.h"

#include <QRectF>

#include <functional>
#include <map>
#include <memory>

namespace ivrin::app {

struct OrnamentBox {
  std::string id;
  int lane = 0, lanes = 1; // among those it overlaps; the first in order on top
  std::size_t order = 0;   // among all of its row
  QRectF sign;
  QRectF number;    // of the order, where it matters; else empty
  double begin = 0; // x of its source's begin and end
  double end = 0;
  double leadX = 0;                   // x where it begins to be heard before its source; `begin` where it does not
  double tailX = 0;                   // x where it ceases to be heard; `end` where nothing follows
  std::optional<double> landingX;     // where it lands, if it does
  double bracketY = 0;                // of the line that its grips lie on
  double bandTop = 0, bandHeight = 0; // its lane in the staff
};

/// The slur that ties an ornament to a landing at x; none where they lie too close for one.
struct TieSlur {
  QPointF from, to;
  double bulge;
};
std::optional<TieSlur> tieSlur(const OrnamentBox& b, double landingX);

/// Lanes of spans given in the order of things: a span lies below all earlier ones that it overlaps. Pairs of
/// (lane, lanes of its group); spans that overlap directly or through others are one group.
std::vector<std::pair<int, int>> lanesOf(const std::vector<BeatRange>& spans);

/// All of a page.
class OrnamentBoxes {
 public:
  const std::vector<OrnamentBox>& all() const { return all_; }
  const OrnamentBox* box(const std::string& id) const;
  /// The box whose sign, or whose number, lies under the point.
  const OrnamentBox* at(QPointF p) const;
  void add(OrnamentBox b);

 private:
  std::vector<OrnamentBox> all_;
  std::map<std::string, std::size_t> index_;
};

class OrnamentLayout {
 public:
  /// Tells where a print is audible.
  using Heard = std::function<std::optional<FrameRange>(const OrnamentNode&)>;
  /// Lanes and orders, in beats: when the song or its prints have changed.
  void learn(const RenderPlan& plan, const Heard& heard);
  /// Boxes on the page: when rows or axis have changed. The open row has none.
  void place(const std::vector<RowBox>& rows, const TimeAxis& axis);
  /// As they were placed last; made anew each time, so that a picture may keep them.
  const std::shared_ptr<const OrnamentBoxes>& shared() const { return boxes_; }
  const std::vector<OrnamentBox>& boxes() const { return boxes_->all(); }
  const OrnamentBox* box(const std::string& id) const { return boxes_->box(id); }
  const OrnamentBox* at(QPointF p) const { return boxes_->at(p); }

 private:
  struct Known {
    std::string id;
    std::size_t order;
    BeatRange source, heard;
    std::optional<Beats> landing;
    int lane, lanes;
  };
  std::map<std::string, std::vector<Known>> known_; // by row
  std::shared_ptr<const OrnamentBoxes> boxes_ = std::make_shared<OrnamentBoxes>();
};

} // namespace ivrin::app

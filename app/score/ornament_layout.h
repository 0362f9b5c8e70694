// Where the ornaments of the score stand: their lanes, signs and brackets, in widget coordinates. Geometry only.
#pragma once

#include "app/score/time_axis.h"
#include "render/render_plan.h"

#include <QRectF>

#include <functional>
#include <map>

namespace ivrin::app {

/// A row as it is laid out now.
struct RowBox {
  std::string id;
  int y = 0, height = 0;
  bool open = false;
  int staffTop = 0, staffHeight = 0; // of the wave
};

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

/// Lanes of spans given in the order of things: a span lies below all earlier ones that it overlaps. Pairs of
/// (lane, lanes of its group); spans that overlap directly or through others are one group.
std::vector<std::pair<int, int>> lanesOf(const std::vector<BeatRange>& spans);

class OrnamentLayout {
 public:
  /// Tells where a print is audible.
  using Heard = std::function<std::optional<FrameRange>(const OrnamentNode&)>;
  /// Lanes and orders, in beats: when the song or its prints have changed.
  void learn(const RenderPlan& plan, const Heard& heard);
  /// Boxes on the page: when rows or axis have changed. The open row has none.
  void place(const std::vector<RowBox>& rows, const TimeAxis& axis);
  const std::vector<OrnamentBox>& boxes() const { return boxes_; }
  const OrnamentBox* box(const std::string& id) const;
  /// The box whose sign, or whose number, lies under the point.
  const OrnamentBox* at(QPointF p) const;

 private:
  struct Known {
    std::string id;
    std::size_t order;
    BeatRange source, heard;
    std::optional<Beats> landing;
    int lane, lanes;
  };
  std::map<std::string, std::vector<Known>> known_; // by row
  std::vector<OrnamentBox> boxes_;
  std::map<std::string, std::size_t> index_;
};

} // namespace ivrin::app

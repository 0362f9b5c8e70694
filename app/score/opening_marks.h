// The OpeningMarks draw openings on the page: hollow signs at their places, as many as there is room for.
#pragma once

#include "app/axis/time_axis.h"
#include "app/score/page_layout.h"
#include "manners/opening_choice.h"
#include "render/render_plan.h"

#include <QPainter>

#include <vector>

namespace ivrin::app {

/// "gap, 1½ beats"
QString openingWords(const Opening& o, const TempoMap& map);
/// The kind whose sign it has: the likeliest that suits.
QString openingSign(const Opening& o);

class OpeningMarks {
 public:
  struct Mark {
    Opening opening;
    bool best = false; // of its eight bars
    QString words;
    double width = 0;    // of its words
    bool worded = false; // there is room for them
  };
  void show(std::vector<RankedOpening> all, const TempoMap& map);
  bool empty() const { return all_.empty(); }
  /// The best first where two have no room beside each other; the same whichever part of the song is in view, so that
  /// scrolling changes nothing.
  const std::vector<Mark>& at(double pxPerBeat) const;
  /// The one under a point, and its box; none where an ornament of the song has taken its place.
  const Opening* under(QPointF p, const Page& page, const TimeAxis& axis, const Song& song) const;
  static QRectF boxOf(const Opening& o, const Page& page, const TimeAxis& axis);
  void paint(QPainter& p, const Page& page, const TimeAxis& axis, const RenderPlan& plan, const Opening* hot) const;

 private:
  std::vector<RankedOpening> all_;
  TempoMap map_;
  mutable double laidAt_ = 0;
  mutable std::vector<Mark> laid_;
};

} // namespace ivrin::app

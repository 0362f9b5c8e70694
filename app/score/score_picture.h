// A ScorePicture is all that a picture of the score shows, as a value: it is made on the window's thread and painted
// from nothing else. Waves come from RowWaves, which keeps what it draws from as a value too.
#pragma once

#include "analysis/collisions.h"
#include "analysis/sections.h"
#include "app/axis/row_waves.h"
#include "app/axis/selection.h"
#include "app/axis/time_axis.h"
#include "app/score/opening_marks.h"
#include "app/score/ornament_hand.h"
#include "app/score/ornament_layout.h"
#include "app/score/page_layout.h"
#include "app/theme/paint_helper.h"

#include <QPainter>

#include <functional>
#include <set>

namespace ivrin::app {

class ScoreView;

struct ScorePicture {
  Page page;
  TimeAxis axis;
  double ratio = 1;                       // device pixels
  std::shared_ptr<const RenderPlan> plan; // of the song that is shown
  std::shared_ptr<const OrnamentBoxes> ornaments;
  std::optional<Landing> landing;      // that bars are counted to
  std::string open;                    // the ornament whose row is open
  std::vector<Collision> collisions{}; // of that one, with its own row
  std::vector<Collision> over{};       // and with others
  std::string hot{};                   // its bracket is shown
  std::set<std::string> marked{};
  std::vector<PieceBox> pieces{};
  std::vector<FoundSection> proposed{};
  std::set<std::string> proposedOrnaments{}; // heard, and not placed yet
  std::vector<Pending> pending{};            // asked for, and being computed
  const OpeningMarks* openings = nullptr;    // where they are shown; of the window's thread
  const Opening* hotOpening = nullptr;
  std::optional<Selection> selection{};
  QRect strip{}; // of signs, beside the selection; null while it is hidden
  /// The keyboard's row while the keys are with the score, and its place where nothing is selected or open.
  struct Caret {
    std::string row;
    std::optional<Beats> at;
  };
  std::optional<Caret> caret{};
  // While something is dragged.
  std::optional<RowDrop> rowDrop{};
  std::optional<Beats> gridDrag{}; // where bar 1 or a change of tempo or meter would go
  std::vector<AlignmentMark> alignments{};
  struct Lens {
    std::string row;
    Beats at;
    QRectF box;
    std::vector<Frames> onsets;
  };
  std::optional<Lens> lens{};
  double playheadX = -10;

  const Song& song() const { return plan->song(); }
  const TempoMap& map() const { return plan->map(); }
};

/// As the view stands now.
ScorePicture pictureOf(const ScoreView& view);

/// What painting the staves keeps between pictures: memory, and a second thread for large ones.
struct StaffPaint {
  PaintHelper helper;
  std::vector<QRgb> memory[2];
};

/// False: not all of the prints has been looked at (RowWaves::prepare), and it wants to be painted again.
bool paintStaves(QPainter& p, const ScorePicture& s, RowWaves& waves, StaffPaint& own, const QRect& dirty);
void paintRuler(QPainter& p, const ScorePicture& s, const QRect& dirty);
void paintMargin(QPainter& p, const ScorePicture& s, const QRect& dirty);
/// Landing lines, slurs, signs, selection, what is dragged, the playhead; `open` paints the open ornament at its place
/// among them.
void paintMarks(QPainter& p, const ScorePicture& s, const QRect& dirty, const std::function<void(QPainter&)>& open);

} // namespace ivrin::app

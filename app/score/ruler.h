// The ruler stands over the staves: it shows bars counted to the landing, the song's own below them, and sections and
// landings by name.
#pragma once

#include "analysis/sections.h"
#include "app/axis/time_axis.h"
#include "song/song.h"

#include <QRectF>
#include <QString>

#include <optional>
#include <vector>

namespace ivrin::app {

/// What stands at a section or landing in the ruler: its mark, "+1" where bars are counted to it, its name.
struct RulerName {
  QString mark, name;
  bool counts = false;
  bool proposed = false; // a section that is not the song's own yet: dotted
  QRectF box{};          // of the mark
  double x = 0;          // of its line
  double at = 0;         // of its text
  double ends = 0;       // where what is written ends
};

/// Those on the page, from left to right, each with as much of its name as there is room for up to the next. `current`
/// is the landing that bars are counted to, `onBar` whether it lies on a bar line.
std::vector<RulerName> rulerNames(const Song& song, const TimeAxis& axis, const std::optional<Landing>& current,
                                  bool onBar, double pageWidth, const std::vector<FoundSection>& proposed = {});

/// What of the grid itself can be taken hold of in the ruler: bar 1, and changes of tempo and meter.
struct GridMark {
  enum class Kind { barOne, tempo, meter };
  Kind kind = Kind::barOne;
  Beats at;
  QRectF box; // of its text, in the ruler's lower line
  QString text{};
};
std::vector<GridMark> gridMarks(const Song& song, const TimeAxis& axis, double pageWidth);

} // namespace ivrin::app

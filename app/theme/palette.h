// The Palette holds the two papers and what is drawn on them. Colour says when a sound is heard, not what it is.
#pragma once

#include <QColor>

namespace ivrin::app {

struct Palette {
  QColor paper, margin, card;
  QColor ink, wave;         // wave: dry sound, softer than ink at night
  QColor barRule, beatRule; // guides
  QColor quiet;             // secondary text
  QColor rust, blue;        // before and after a landing or source
  QColor ochreText, ochre;  // the landing line, nothing else
  QColor warning;           // collisions and limits
  bool night = false;
};

const Palette& dayPaper();
const Palette& nightPaper();

/// The paper in use. Changing it is announced by the main window, which repaints everything.
const Palette& paper();
void setPaper(bool night);

} // namespace ivrin::app

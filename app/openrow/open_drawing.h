// An OpenDrawing says how an ornament is drawn and handled in its open row. There is one for each kind.
#pragma once

#include "app/axis/row_waves.h"
#include "app/axis/time_axis.h"
#include "app/openrow/open_handle.h"
#include "app/session/session.h"
#include "app/words/time_words.h"

#include <QPainter>

namespace ivrin::app {

/// What a drawing sees: the beat axis, its area (left half up, right half down), the ornament and what is computed.
struct OpenCanvas {
  const TimeAxis& axis;
  QRectF area;
  const Session& session;
  const Ornament& ornament;
  std::shared_ptr<const OrnamentNode> node; // none while it is switched off
  const RowWaves* waves = nullptr;          // none where nothing is painted
  std::int64_t cell = -1;                   // that the keys stand on; −1: none
  Placed placed() const { return {ornament, session.plan()->context()}; }
};

class OpenDrawing {
 public:
  virtual ~OpenDrawing() = default;
  /// Over the waves, which the score has drawn, and under the handles, which it draws afterwards.
  virtual void paint(QPainter& p, const OpenCanvas& c) const = 0;
  /// In the order in which keys walk them.
  virtual std::vector<OpenHandle> handles(const OpenCanvas& c) const = 0;
  /// What will happen, in a sentence; `warn` is set when it tells of a limit. Only asked for what is on and not
  /// refused: the canvas has a node.
  virtual QString sentence(const OpenCanvas& c, bool& warn) const = 0;
};

/// A setting of the ornament, and as people read it.
const Value& valueOf(const OpenCanvas& c, const char* key);
QString textOf(const OpenCanvas& c, const char* key);
/// What the open row says of the ornament: its drawing's sentence, or why nothing sounds.
QString sentenceOf(const OpenDrawing& drawing, const OpenCanvas& c, bool& warn);
/// How the amplitude at the print's loudest is drawn, in pixels from the middle line; 0 where nothing sounds or the
/// print is not whole.
double printHeight(const OpenCanvas& c);
/// Which phrase comes next, and a bracket over what collides.
void paintNeighbours(QPainter& p, const OpenCanvas& c);
/// Four milliseconds of the row about each of these frames, as it is heard; the first to the left, the others right,
/// `clear` pixels away from the seam where there is room; never over the handles nor what they say.
void paintSeams(QPainter& p, const OpenCanvas& c, const std::vector<Frames>& seams, double clear,
                const std::vector<OpenHandle>& handles);
/// Where they stand, with their words; null where there is no room.
std::vector<QRectF> seamBoxes(const OpenCanvas& c, const std::vector<Frames>& seams, double clear,
                              const std::vector<OpenHandle>& handles);
/// A time setting of about so many seconds: the nearest note value; free of it milliseconds, `least` seconds or more.
Value timeFor(double seconds, double least, bool free, const TempoMap& map, Beats at);
/// The snapped beat under the hand.
Beats beatUnder(const Pull& pull, const OpenCanvas& c);

/// Shared by all drawings: the edges of the source, drawn and dragged. `word` is what undo calls them.
void paintSourceEdges(QPainter& p, const OpenCanvas& c, const QString& label);
std::vector<OpenHandle> sourceHandles(const OpenCanvas& c, const QString& word);

} // namespace ivrin::app

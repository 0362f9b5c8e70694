// This file says how each finish processor is drawn, small as a mark on the finish line and large with handles, and
// what a drag of a handle does to its settings. All of it is in the unit square: x to the right, y up.
#pragma once

#include "render/render_plan.h"
#include "song/song.h"
#include "time/tempo_map.h"

#include <QPolygonF>
#include <QString>

#include <optional>
#include <vector>

namespace ivrin::app {

/// What a shape may need to know of its ornament.
struct FinishContext {
  const TempoMap& map;
  Beats start, length; // of the ornament's start, and of what is drawn: the whole print
  double from = 0;     // where that begins, in beats from the start: under 0 for a lead-in
  double sampleRate = 48000;
};

/// Over the whole print where there is one, else over the ornament.
FinishContext finishContext(const TempoMap& map, const Ornament& o, const OrnamentNode* node);

struct FinishHandle {
  QString name;
  QPointF at;
  QString word; // its value, as it is read
};

struct FinishShape {
  std::vector<QPolygonF> lines;  // strong
  std::vector<QPolygonF> guides; // thin: axes, thresholds
  std::vector<FinishHandle> handles;
  enum class Axis { none, frequency, level, beats, time } axis = Axis::none;
  double seconds = 0; // of the time axis
};

FinishShape finishShape(const Processor& p, const FinishContext& c);
/// The settings after a handle was dragged to a place of the unit square.
std::optional<Settings> dragFinish(const Processor& p, const QString& handle, QPointF to, const FinishContext& c);
/// The setting whose curve over the beats is the processor's drawing; empty where it is drawn otherwise. A plain number
/// has a handle; a curve is edited where all curves are.
std::string drawnCurve(const Processor& p);
/// A click where there is no handle: adds a band.
std::optional<Settings> addToFinish(const Processor& p, QPointF at);
/// Takes a band away.
std::optional<Settings> removeFromFinish(const Processor& p, const QString& handle);
/// What the mark says: "lows cut 250 Hz", "decay 1.2 s, 25 %".
QString finishWords(const Processor& p, const FinishContext& c);

/// The frequency axis of the drawings, 20 Hz to 20 kHz.
double unitOfHz(double hz);
double hzOfUnit(double u);

} // namespace ivrin::app

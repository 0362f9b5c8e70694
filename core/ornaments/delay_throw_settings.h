// The delay throw's table and its typed view.
#pragma once

#include "dsp/delay/echo_loop.h"
#include "ornaments/kind.h"
#include "song/curve.h"

#include <optional>

namespace ivrin {

struct DelayThrowSettings {
  double timeLeft = 0, timeRight = 0; // frames at the song's rate, ≥ 1, not whole in general
  EchoPattern pattern = EchoPattern::straight;
  Curve feedbackLeft, feedbackRight; // 0..2, over beats from start
  Curve send;                        // 0..1
  double wetDb = 0, levelLeftDb = 0, levelRightDb = 0;
  std::optional<double> lowCutLeft, lowCutRight, highCutLeft, highCutRight; // Hz; nothing = open
  double drive = 0;                                                         // 0..1
  double wobble = 0;                                                        // 0..1
  double stepSemitones = 0;
  bool keyFollow = false;
  bool invertRight = false;
  double width = 1; // 0..2
  bool reverseSource = false, removeDry = false;
  double duckDb = 0;
  std::optional<double> cutAt; // beats from start
  double loopCeilingDb = 0;    // relative to the sample peak of what was sent
  double tailFloorDb = -72;    // dBFS

  static const TableSpec& table();
  static DelayThrowSettings of(const Placed& p);
};

/// One echo of an isolated sound as the settings alone foretell it; filters, drive and the ceiling left out.
struct Echo {
  double frames; // after the source's begin
  bool right;    // the side it sounds on
  double gain;   // of the loop and send, before wet and levels
  int pass;      // 1 is the first
};
/// Ascending in time, until below `floorGain`, past `cut_at`, or `most` echoes. The tempo is the one at the start.
std::vector<Echo> echoLadder(const DelayThrowSettings& s, double framesPerBeat, double floorGain,
                             std::size_t most = 400);

} // namespace ivrin

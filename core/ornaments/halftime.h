// Halftime: every cycle plays its first part slower, so that it fills the whole cycle.
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

inline constexpr std::size_t kMostCycles = 65536; // a thirty-second note for half an hour at 120

/// What the settings come to at a place. Frames are song frames.
struct HalftimeCycles {
  bool tooMany = false;           // over kMostCycles: they are not all here
  std::vector<FrameRange> cycles; // without gaps from the span's begin to its end; the last may be cut short
  double slower = 2;
  std::int64_t join = 0; // frames before a cycle's end within which the next one is crossfaded in
};

HalftimeCycles halftimeCycles(const Placed& p);

class Halftime : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
};

} // namespace ivrin

// A CurveTarget says whose curve is edited: a setting of an ornament's kind, or of a processor of its finish. It gives
// an ornament for an ornament and keeps nothing.
#pragma once

#include "ornaments/kind.h"
#include "song/curve.h"

#include <string>

namespace ivrin::app {

struct CurveTarget {
  std::string ornament, key;
  int finish = -1;         // index of the processor; −1: the kind's own
  std::string processor{}; // its type, so that another one in its place is told apart
  bool operator==(const CurveTarget&) const = default;

  /// Null where the setting is not there any more, or cannot be a curve.
  const SettingSpec* spec(const Ornament& o) const;
  /// The curve as it stands; what null stands for where it is null.
  Curve curve(const Ornament& o) const;
  Ornament with(Ornament o, Value v) const;

 private:
  const TableSpec* table(const Ornament& o) const;
  const Settings& settings(const Ornament& o) const;
};

} // namespace ivrin::app

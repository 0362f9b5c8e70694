// A Selection is a stretch of one row, or of several.
#pragma once

#include "time/beats.h"

#include <string>
#include <vector>

namespace ivrin::app {

struct Selection {
  std::string row; // where it began
  Beats begin, end;
  std::vector<std::string> more{}; // further rows
  BeatRange range() const { return {begin, end}; }
  std::vector<std::string> rows() const {
    std::vector<std::string> all{row};
    all.insert(all.end(), more.begin(), more.end());
    return all;
  }
  friend bool operator==(const Selection&, const Selection&) = default;
};

} // namespace ivrin::app

// How a print that rings out comes to its end: cut with a fade, or when its output and all that is stored have stayed
// under the floor for 100 ms, or 120 s after its source, faded.
#pragma once

#include "ornaments/kind.h"
#include "words/words.h"

namespace ivrin {

inline constexpr double kQuietSeconds = 0.1;

class TailEnd {
 public:
  /// `limit`: frames the print has at most; `cut`: whether it ends there by wish, with a short fade.
  TailEnd(std::int64_t limit, bool cut, double floorDb, double sampleRate);
  std::int64_t limit() const { return limit_; }
  float floor() const { return floor_; }
  /// The frames from `offset` on: fades what lies before the limit, notes what is heard.
  void apply(StereoSpan out, std::int64_t offset);
  /// To be asked after every block: at frame `clock`, with what is stored lasting until `storedUntil`.
  bool over(std::int64_t clock, std::int64_t storedUntil);
  std::string note() const {
    return held_ ? worded("was still playing 120 s after its source and is faded out there") : "";
  }

 private:
  std::int64_t limit_, fade_, quiet_, lastHeard_ = 0;
  float floor_;
  bool cut_, held_ = false, over_ = false;
};

} // namespace ivrin

// A way out of what listens to a whole row and knows nothing of being stopped.
#pragma once

#include "analysis/phrases.h"

#include <stop_token>
#include <utility>

namespace ivrin {

/// Thrown by the row that is read; caught by who began to listen.
struct ListeningStopped {};

/// The same row until it is asked to stop: from then on reading it throws.
inline RowReader stoppable(RowReader row, std::stop_token stop) {
  return [row = std::move(row), stop = std::move(stop)](Frames from, StereoSpan out) {
    if (stop.stop_requested()) throw ListeningStopped();
    row(from, out);
  };
}

/// Whether it ran to its end.
template <class Work> bool unlessStopped(const Work& work) {
  try {
    work();
    return true;
  } catch (const ListeningStopped&) {
    return false;
  }
}

} // namespace ivrin

// This file gives a way out of what listens to a whole row and knows nothing of being stopped.
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

/// Listens to its end, or until the row throws: who asks the token knows which.
template <class Work> void unlessStopped(const Work& work) {
  try {
    work();
  } catch (const ListeningStopped&) {
  }
}

} // namespace ivrin

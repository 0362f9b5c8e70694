// What the parts of a session have in common: how a job tells how far it is.
#pragma once

#include "audio/audio_reader.h"
#include "services/jobs.h"

#include <algorithm>
#include <functional>

namespace ivrin::app {

/// What the window is told while a job runs, 0..1. It goes into the job with its input, and is called on the window's
/// thread, unless the job is stale by then.
using Told = std::function<void(double fraction)>;

inline void tell(const Run& run, const Told& told, double fraction) {
  run.report([told, fraction] { told(fraction); });
}

/// The same for what counts its progress.
inline Progress progressOf(const Run& run, const Told& told) {
  return [&run, told](std::int64_t done, std::int64_t total) {
    tell(run, told, static_cast<double>(done) / static_cast<double>(std::max<std::int64_t>(total, 1)));
  };
}

} // namespace ivrin::app

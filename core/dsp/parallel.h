// Work cut into parts that do not wait for each other, on a few threads.
#pragma once

#include "dsp/denormals.h"

#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

namespace ivrin {

/// Runs `work(index)` for 0..count−1 on `threads` threads; the first exception is thrown again.
template <class Work> void inParallel(std::size_t count, int threads, const Work& work) {
  std::atomic<std::size_t> next{0};
  std::exception_ptr error;
  std::mutex mutex;
  const auto run = [&] {
    const FlushDenormals guard;
    try {
      for (std::size_t i = next++; i < count; i = next++) work(i);
    } catch (...) {
      std::lock_guard lock(mutex);
      if (!error) error = std::current_exception();
      next = count;
    }
  };
  {
    std::vector<std::jthread> pool;
    for (int t = 1; t < threads; ++t) pool.emplace_back(run);
    run();
  }
  if (error) std::rethrow_exception(error);
}

} // namespace ivrin

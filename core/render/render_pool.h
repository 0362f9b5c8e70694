// Threads that compute the prints of the newest plan, nearest to the playhead first.
//
// Invariants:
//  1. Only the newest plan is worked on; older work ends within one block.
//  2. A wish is a pure function of (plan, playhead): workers take the incomplete print that is needed soonest.
#pragma once

#include "render/render_plan.h"

#include <condition_variable>
#include <functional>
#include <thread>

namespace ivrin {

class RenderPool {
 public:
  explicit RenderPool(int threads);
  ~RenderPool();
  RenderPool(const RenderPool&) = delete;
  RenderPool& operator=(const RenderPool&) = delete;

  void setPlan(std::shared_ptr<const RenderPlan> plan);
  void setPlayhead(Frames f);
  /// Called from a worker after each piece of work; must be quick and thread-safe.
  void onProgress(std::function<void()> f);
  /// Waits until every print of the plan is complete (tests, export).
  void waitUntilIdle();

 private:
  void work(std::stop_token stop);
  std::shared_ptr<const OrnamentNode> choose(const RenderPlan& plan, Frames playhead, std::size_t skip) const;

  std::mutex mutex_;
  std::condition_variable_any changed_, idle_;
  std::shared_ptr<const RenderPlan> plan_;
  std::stop_source planStop_;
  std::function<void()> progress_;
  std::atomic<std::int64_t> playhead_{0};
  int busy_ = 0;
  std::vector<std::jthread> threads_;
};

} // namespace ivrin

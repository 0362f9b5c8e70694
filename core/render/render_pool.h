// Threads that compute the prints of the newest plan, nearest to the playhead first.
//
// Invariants:
//  1. Only the newest plans are worked on; older work ends within one block of a print and of each print it reads.
//  2. A wish is a pure function of (plans, playhead): workers take the incomplete print that is needed soonest.
//  3. Nobody waits for a print that is not in the plans.
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

  /// The song's plan, and others whose prints may be heard too (the song without an ornament). None may be null.
  void setPlans(std::vector<std::shared_ptr<const RenderPlan>> plans);
  void setPlan(std::shared_ptr<const RenderPlan> plan) {
    setPlans(plan ? std::vector{std::move(plan)} : std::vector<std::shared_ptr<const RenderPlan>>());
  }
  void setPlayhead(Frames f);
  /// Called from a worker after each piece of work; must be quick and thread-safe.
  void onProgress(std::function<void()> f);
  /// Waits until every print of the plans is complete (tests, export).
  void waitUntilIdle();

 private:
  void work(std::stop_token stop);
  struct Wish {
    std::shared_ptr<const RenderPlan> plan;
    std::shared_ptr<const OrnamentNode> node;
  };
  std::optional<Wish> choose(Frames playhead, std::size_t skip) const;

  std::mutex mutex_;
  std::condition_variable_any changed_, idle_;
  std::vector<std::shared_ptr<const RenderPlan>> plans_;
  std::stop_source planStop_;
  std::function<void()> progress_;
  std::atomic<std::int64_t> playhead_{0};
  int busy_ = 0;
  std::vector<std::jthread> threads_;
};

} // namespace ivrin

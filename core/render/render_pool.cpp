#include "render/render_pool.h"

#include "dsp/denormals.h"

#include <chrono>

namespace ivrin {
namespace {
constexpr std::int64_t kPiece = 16 * kPrintBlock; // computed before the choice is made again
}

RenderPool::RenderPool(int threads) {
  for (int i = 0; i < threads; ++i) threads_.emplace_back([this](std::stop_token s) { work(s); });
}

RenderPool::~RenderPool() {
  {
    std::lock_guard lock(mutex_);
    planStop_.request_stop();
  }
  for (auto& t : threads_) t.request_stop();
  changed_.notify_all();
}

void RenderPool::setPlan(std::shared_ptr<const RenderPlan> plan) {
  std::shared_ptr<const RenderPlan> former; // freed outside the lock
  {
    std::lock_guard lock(mutex_);
    planStop_.request_stop();
    planStop_ = std::stop_source();
    former = std::exchange(plan_, std::move(plan));
  }
  changed_.notify_all();
}

void RenderPool::setPlayhead(Frames f) {
  playhead_.store(f.count, std::memory_order_relaxed);
}

void RenderPool::onProgress(std::function<void()> f) {
  std::lock_guard lock(mutex_);
  progress_ = std::move(f);
}

std::shared_ptr<const OrnamentNode> RenderPool::choose(const RenderPlan& plan, Frames playhead,
                                                       std::size_t skip) const {
  // How soon the first missing frame is heard; what lies behind the playhead comes after all that lies before it.
  const auto soon = [&](const OrnamentNode& n) {
    const std::int64_t ahead =
        std::max(n.print->ready(), std::min(playhead, n.print->end() - Frames(1))).count - playhead.count;
    return ahead >= 0 ? ahead : (std::int64_t{1} << 50) - ahead;
  };
  std::vector<std::pair<std::int64_t, std::size_t>> open;
  for (std::size_t i = 0; i < plan.nodes().size(); ++i)
    if (const auto& n = plan.nodes()[i]; n->print && !n->print->complete()) open.emplace_back(soon(*n), i);
  if (open.size() <= skip) return nullptr;
  std::nth_element(open.begin(), open.begin() + static_cast<std::ptrdiff_t>(skip), open.end());
  return plan.nodes()[open[skip].second];
}

void RenderPool::work(std::stop_token stop) {
  const FlushDenormals guard;
  std::size_t skip = 0;
  while (!stop.stop_requested()) {
    std::shared_ptr<const RenderPlan> plan;
    std::stop_token planStop;
    std::function<void()> progress;
    std::shared_ptr<const OrnamentNode> node;
    {
      std::unique_lock lock(mutex_);
      const auto pick = [&] {
        node = plan_ ? choose(*plan_, Frames(playhead_.load(std::memory_order_relaxed)), skip) : nullptr;
        return node != nullptr;
      };
      if (skip > 0 && !pick()) {
        // What is left is being computed by others, who need not be workers of this pool (an export, the facts) and may
        // give up without a word: looked at again soon.
        skip = 0;
        changed_.wait_for(lock, stop, std::chrono::milliseconds(2), [] { return false; });
        continue;
      }
      if (!node && !pick()) {
        idle_.notify_all(); // the last one may have been finished by others
        changed_.wait(lock, stop, pick);
      }
      if (!node) continue;
      plan = plan_;
      planStop = planStop_.get_token();
      progress = progress_;
      ++busy_;
    }
    const bool worked = node->print->tryAdvance(*plan, *node, node->print->ready() + Frames(kPiece), planStop);
    skip = worked ? 0 : skip + 1; // somebody else has it: take the next
    {
      std::lock_guard lock(mutex_);
      --busy_;
    }
    node.reset();
    plan.reset();
    changed_.notify_all();
    idle_.notify_all();
    if (worked && progress) progress();
  }
}

void RenderPool::waitUntilIdle() {
  std::unique_lock lock(mutex_);
  idle_.wait(lock, [&] { return busy_ == 0 && (!plan_ || !choose(*plan_, Frames(0), 0)); });
}

} // namespace ivrin

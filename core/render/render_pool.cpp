#include "render/render_pool.h"

#include "dsp/denormals.h"
#include "time/check.h"
#include "time/give_way.h"

#include <algorithm>
#include <chrono>
#include <tuple>

namespace ivrin {
namespace {
constexpr std::int64_t kPiece = 16; // blocks computed before the choice is made again
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

void RenderPool::setPlans(std::vector<std::shared_ptr<const RenderPlan>> plans) {
  {
    std::lock_guard lock(mutex_);
    planStop_.request_stop();
    planStop_ = std::stop_source();
    plans_.swap(plans);
  } // the former ones are freed outside the lock
  changed_.notify_all();
}

void RenderPool::setPlayhead(Frames f) {
  playhead_.store(f.count, std::memory_order_relaxed);
}

void RenderPool::onProgress(std::function<void()> f) {
  std::lock_guard lock(mutex_);
  progress_ = std::move(f);
}

std::optional<RenderPool::Wish> RenderPool::choose(Frames playhead, std::size_t skip) const {
  // How soon the first missing frame is heard; what lies behind the playhead comes after all that lies before it.
  const auto soon = [&](const Print& p) {
    const Frames missing = p.missingFrom(playhead), heard = std::min(playhead, p.end() - Frames(1));
    const std::int64_t ahead = (p.anyOrder() ? missing : std::max(missing, heard)).count - playhead.count;
    return ahead >= 0 ? ahead : (std::int64_t{1} << 50) - ahead;
  };
  std::vector<std::tuple<std::int64_t, std::size_t, std::size_t>> open;
  for (std::size_t k = 0; k < plans_.size(); ++k)
    for (std::size_t i = 0; i < plans_[k]->nodes().size(); ++i)
      if (const auto& n = plans_[k]->nodes()[i]; n->print && !n->print->complete())
        open.emplace_back(soon(*n->print), k, i);
  if (open.size() <= skip) return std::nullopt;
  std::nth_element(open.begin(), open.begin() + static_cast<std::ptrdiff_t>(skip), open.end());
  const auto [ahead, k, i] = open[skip];
  return Wish{plans_[k], plans_[k]->nodes()[i]};
}

void RenderPool::work(std::stop_token stop) {
  const FlushDenormals guard;
  giveWay(Way::aLittle); // to the window and the mixer, which need little and need it at once
  std::size_t skip = 0;
  while (!stop.stop_requested()) {
    std::optional<Wish> wish;
    std::stop_token planStop;
    std::function<void()> progress;
    Frames playhead(0);
    {
      std::unique_lock lock(mutex_);
      const auto pick = [&] {
        playhead = Frames(playhead_.load(std::memory_order_relaxed));
        wish = choose(playhead, skip);
        return wish.has_value();
      };
      if (skip > 0 && !pick()) {
        // What is left is being computed by others, who need not be workers of this pool (an export, the facts) and may
        // give up without a word: looked at again soon.
        skip = 0;
        changed_.wait_for(lock, stop, std::chrono::milliseconds(2), [] { return false; });
        continue;
      }
      if (!wish && !pick()) {
        idle_.notify_all(); // the last one may have been finished by others
        changed_.wait(lock, stop, pick);
      }
      if (!wish) continue;
      planStop = planStop_.get_token();
      progress = progress_;
      ++busy_;
    }
    IVRIN_CHECK(2, wish->node->print != nullptr);
    const bool worked = wish->node->print->tryAdvance(*wish->plan, *wish->node, playhead, kPiece, planStop);
    skip = worked ? 0 : skip + 1; // somebody else has it: take the next
    wish.reset();
    {
      std::lock_guard lock(mutex_);
      --busy_;
    }
    changed_.notify_all();
    idle_.notify_all();
    if (worked && progress) progress();
  }
}

void RenderPool::waitUntilIdle() {
  std::unique_lock lock(mutex_);
  idle_.wait(lock, [&] { return busy_ == 0 && !choose(Frames(0), 0); });
}

} // namespace ivrin

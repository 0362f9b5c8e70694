#include "play/simulated_output.h"

#include <chrono>

namespace ivrin {

SimulatedOutput::SimulatedOutput(Mode mode, std::int64_t periodFrames, double keepSeconds)
    : mode_(mode)
    , period_(periodFrames)
    , keepSeconds_(keepSeconds)
    , block_(periodFrames) {}

SimulatedOutput::~SimulatedOutput() {
  stop();
}

std::string SimulatedOutput::start(AudioFeed& feed, int sampleRate) {
  stop();
  feed_ = &feed;
  asked_ = false;
  rate_ = sampleRate;
  keep_ = static_cast<std::int64_t>(keepSeconds_ * sampleRate);
  if (mode_ == Mode::realTime)
    thread_ = std::jthread([this](std::stop_token stop) {
      using Clock = std::chrono::steady_clock;
      auto next = Clock::now();
      const auto period = std::chrono::duration_cast<Clock::duration>(
          std::chrono::duration<double>(static_cast<double>(period_) / rate_));
      std::mutex mutex;
      std::condition_variable_any stopped;
      std::unique_lock lock(mutex);
      for (;;) {
        next += period;
        if (stopped.wait_until(lock, stop, next, [&] { return stop.stop_requested(); })) return;
        const auto before = Clock::now();
        pull(period_);
        longest_ = std::max(longest_.load(), std::chrono::duration<double>(Clock::now() - before).count());
        if (Clock::now() - next > std::chrono::seconds(1)) next = Clock::now(); // the machine slept
      }
    });
  return {};
}

void SimulatedOutput::stop() {
  if (thread_.joinable()) {
    thread_.request_stop();
    thread_.join();
  }
  feed_ = nullptr;
}

void SimulatedOutput::pull(std::int64_t frames) {
  if (!feed_ || stalled_ || lost_) return;
  asked_ = true;
  feed_->fill(block_.left(), block_.right(), frames);
  std::lock_guard lock(mutex_);
  ++pulled_;
  heard_.notify_all();
  if (drop_ > 0) {
    --drop_;
    return;
  }
  left_.insert(left_.end(), block_.left(), block_.left() + frames);
  right_.insert(right_.end(), block_.right(), block_.right() + frames);
  if (mode_ == Mode::realTime && static_cast<std::int64_t>(left_.size()) > 2 * keep_) {
    left_.erase(left_.begin(), left_.end() - keep_);
    right_.erase(right_.begin(), right_.end() - keep_);
  }
}

void SimulatedOutput::step(std::int64_t frames) {
  while (frames > 0) {
    const std::int64_t n = std::min(frames, period_);
    if (before_) before_();
    pull(n);
    frames -= n;
  }
}

StereoBuffer SimulatedOutput::recorded() const {
  std::lock_guard lock(mutex_);
  StereoBuffer b(static_cast<std::int64_t>(left_.size()));
  std::copy(left_.begin(), left_.end(), b.left());
  std::copy(right_.begin(), right_.end(), b.right());
  return b;
}

void SimulatedOutput::waitForPeriods(int periods) {
  std::unique_lock lock(mutex_);
  heard_.wait(lock, [&, until = pulled_ + periods] { return pulled_ >= until; });
}

void SimulatedOutput::forgetRecording() {
  std::lock_guard lock(mutex_);
  left_.clear();
  right_.clear();
}

} // namespace ivrin

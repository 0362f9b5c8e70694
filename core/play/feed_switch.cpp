#include "play/feed_switch.h"

#include <algorithm>
#include <thread>

namespace ivrin {

void FeedSwitch::connect(AudioFeed& feed) {
  feed_ = &feed;
}

void FeedSwitch::disconnect() {
  feed_ = nullptr;
  while (inside_) std::this_thread::yield();
}

void FeedSwitch::fill(float* left, float* right, std::int64_t frames) noexcept {
  inside_ = true;
  if (AudioFeed* feed = feed_) {
    feed->fill(left, right, frames);
  } else {
    std::fill(left, left + frames, 0.0f);
    std::fill(right, right + frames, 0.0f);
  }
  inside_ = false;
}

} // namespace ivrin

// Between a device that runs and what is heard through it: while it is connected the device asks the feed, else it gets
// silence. So a device can be started and stopped on one thread while another decides what it plays.
#pragma once

#include "play/output.h"

#include <atomic>

namespace ivrin {

/// fill() belongs to the device's callback; the rest to one other thread.
class FeedSwitch : public AudioFeed {
 public:
  /// `feed` must live until disconnect().
  void connect(AudioFeed& feed);
  /// When it returns the feed is not being asked and is not asked again. It waits for one callback at most.
  void disconnect();
  void fill(float* left, float* right, std::int64_t frames) noexcept override;

 private:
  // Both sequentially consistent: either the callback sees that there is no feed, or disconnect() sees it inside.
  std::atomic<AudioFeed*> feed_{nullptr};
  std::atomic<bool> inside_{false};
};

} // namespace ivrin

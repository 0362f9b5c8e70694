// A stand-in for a sound device. Stepped: the test asks for frames. Real time: a thread pulls at the pace of a clock.
// It records what it was given and can be told to misbehave.
#pragma once

#include "audio/buffer.h"
#include "play/output.h"

#include <atomic>
#include <condition_variable>
#include <functional>
#include <mutex>
#include <thread>

namespace ivrin {

class SimulatedOutput : public Output {
 public:
  enum class Mode { stepped, realTime };
  /// `periodFrames` typically 128..1024. In real time the last `keepSeconds` are recorded, stepped all of it.
  SimulatedOutput(Mode mode, std::int64_t periodFrames, double keepSeconds = 10);
  ~SimulatedOutput() override;

  std::string name() const override { return "simulated output"; }
  bool simulated() const override { return true; }
  std::string start(AudioFeed& feed, int sampleRate) override;
  void stop() override;
  std::int64_t periodFrames() const override { return period_; }
  bool everAsked() const override { return asked_; }
  bool lost() const override { return lost_; }

  /// Called before every period in stepped mode (the player's pump).
  void beforePeriod(std::function<void()> f) { before_ = std::move(f); }
  /// Stepped: pulls `frames`, in periods. Nothing is pulled while stalled or lost.
  void step(std::int64_t frames);
  /// A copy of what was recorded so far.
  StereoBuffer recorded() const;
  void forgetRecording();
  /// Returns when `periods` more have been pulled (real time).
  void waitForPeriods(int periods);

  void stall(bool on) { stalled_ = on; }
  /// The next `periods` are pulled and lost on the way to the ear: not recorded.
  void drop(int periods) { drop_ = periods; }
  /// As if the device had been unplugged or had changed its rate: it pulls no more.
  void disappear() { lost_ = true; }
  /// Longest time spent inside one fill(), in seconds (real time).
  double longestFill() const { return longest_; }

 private:
  void pull(std::int64_t frames);
  Mode mode_;
  std::int64_t period_, keep_ = 0;
  double keepSeconds_;
  AudioFeed* feed_ = nullptr;
  int rate_ = 48000;
  std::function<void()> before_;
  std::atomic<bool> stalled_{false}, lost_{false}, asked_{false};
  std::atomic<int> drop_{0};
  std::atomic<double> longest_{0};
  mutable std::mutex mutex_; // of the recording; only this stand-in's thread and readers of the record take it
  std::vector<float> left_, right_;
  StereoBuffer block_;
  std::int64_t pulled_ = 0;
  std::condition_variable heard_;
  std::jthread thread_;
};

} // namespace ivrin

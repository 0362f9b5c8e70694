// Plays a render plan: a mixer fills a lock-free ring of blocks, the device's callback copies from it.
//
// Invariants:
//  1. fill() only copies and crossfades: it never allocates, locks, waits, logs or touches a file.
//  2. Every block carries the epoch it was made in and its place on the stream (frames counted on through loops; every
//     start of playing opens a new stream with numbers never used before) and in the song. The callback skips blocks of
//     older epochs and crossfades over 5 ms.
//  3. A swap of plan continues the stream: the first frame heard of the new plan follows the last one of the old.
//  4. What leaves the mixer before monitoring (solo, click, monitor level and limit, fades) are the export's samples.
#pragma once

#include "dsp/lookahead_limiter.h"
#include "dsp/loudness.h"
#include "dsp/mix_limiter.h"
#include "dsp/true_peak.h"
#include "play/output.h"
#include "render/evaluator.h"

#include <array>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <deque>
#include <mutex>
#include <thread>

namespace ivrin {

struct Meters {
  float peakLeft = 0, peakRight = 0; // since the last look, amplitude
  double momentaryLufs = -200;       // the last 400 ms
  double limiterDb = 0;              // reduction by the mix limiter since the last look
  float truePeak = 0;                // of the mix before monitoring, since the last look, amplitude
};

class Player : public AudioFeed {
 public:
  struct Options {
    int sampleRate = 48000;
    std::int64_t periodFrames = 256;
    /// A mixer thread of its own; takes what prints are ready. Else pump() mixes, and computes what it needs.
    bool threaded = true;
  };
  /// Delay of the monitoring limit: a frame of the song leaves the player this much later.
  static std::int64_t monitorDelay(int sampleRate);

  explicit Player(Options options);
  ~Player() override;
  Player(const Player&) = delete;
  Player& operator=(const Player&) = delete;

  /// While playing the former plan goes on until the prints of the new one are there around the playhead.
  void setPlan(std::shared_ptr<const RenderPlan> plan);
  void play(Frames from);
  void stop();
  bool playing() const { return playing_; }
  /// Song frame of the next frame to be handed out.
  Frames position() const { return Frames(position_.load(std::memory_order_relaxed)); }
  /// Where play(from) begins, while stopped.
  void setPosition(Frames f);
  void setLoop(std::optional<FrameRange> loop);
  void setClick(bool on, double levelDb);
  void setMono(bool on);
  void setMonitorDb(double db);
  /// Only what this ornament adds is heard; empty: the mix. One that adds nothing is silence.
  void setAlone(std::string ornament);
  /// A further gain, for comparing at equal loudness; never over 0 dB.
  void setMatchDb(double db);
  /// True when what is mixed is the plan set last.
  bool newestPlanHeard() const { return !pendingWaits_; }
  Meters takeMeters();
  /// Frames the device asked for and did not get, from our side.
  std::int64_t missedFrames() const { return missed_; }

  void fill(float* left, float* right, std::int64_t frames) noexcept override;
  /// Mixes until the ring is full enough. Called by the mixer thread, or by a stepped output.
  void pump();

 private:
  static constexpr std::int64_t kBlock = 128;
  static constexpr std::size_t kBlocks = 256;
  struct Block {
    std::uint64_t epoch = 0;
    std::int64_t streamStart = 0; // where its stream began; streams never share a number
    std::int64_t stream = 0, song = 0, frames = 0;
    std::array<float, kBlock> left{}, right{};
  };
  struct Segment { // of the stream, as mixed
    std::int64_t stream, song, frames;
  };

  void adopt(std::shared_ptr<const RenderPlan> plan);
  void beginEpoch(bool continues);
  bool adoptPending();
  bool printsReadyAround(const RenderPlan& plan, Frames at) const;
  void mixBlock();
  void readPlan(Frames from, StereoSpan out);
  void readUnlimited(Evaluator& e, Frames from, StereoSpan out) const;
  std::int64_t songAt(std::int64_t stream) const;
  void run(std::stop_token stop);
  Frames songEnd() const;

  // Callback's side.
  bool skipToNewest() noexcept;
  std::int64_t copyFromRing(float* left, float* right, std::int64_t frames, bool advance) noexcept;

  const Options options_;
  const std::int64_t target_, fade_;

  std::array<Block, kBlocks> ring_;
  std::atomic<std::uint64_t> written_{0}, taken_{0}; // block counts
  std::atomic<std::int64_t> streamHeard_{0}, position_{0};
  std::atomic<std::uint64_t> silentFrom_{0}; // epochs before this one fade out
  std::atomic<bool> playing_{false}, draining_{false}, pendingWaits_{false};
  std::atomic<std::int64_t> missed_{0};
  std::atomic<float> peakLeft_{0}, peakRight_{0};
  std::atomic<float> truePeak_{0};
  std::atomic<double> momentary_{-200}, limiterDb_{0};

  // Callback only.
  std::uint64_t heardEpoch_ = 0;
  std::int64_t offset_ = 0; // within the oldest block
  std::int64_t fadeLeft_ = 0, fadeInLength_ = 1, heard_ = 0;
  bool sounding_ = false;
  float lastLeft_ = 0, lastRight_ = 0;
  std::vector<float> fadeOutLeft_, fadeOutRight_;

  // Mixer's side, under the mutex; the callback never takes it.
  mutable std::mutex mutex_;
  std::condition_variable_any wake_;
  std::shared_ptr<const RenderPlan> plan_, pending_;
  std::unique_ptr<Evaluator> evaluator_;
  std::unique_ptr<MixLimiter> mixLimiter_;
  LookaheadLimiter monitorLimit_;
  std::optional<FrameRange> loop_;
  bool anySolo_ = false, click_ = false, mono_ = false, waitForPrints_ = false;
  std::chrono::steady_clock::time_point waitUntil_;
  float clickGain_ = 0.25f, monitorGain_ = 1, matchGain_ = 1;
  std::string alone_;
  TruePeakMeter truePeakMeter_;
  std::uint64_t epoch_ = 0;
  std::int64_t streamStart_ = 0, streamNext_ = 0, streamTop_ = 0, songNext_ = 0, prefetched_ = 0;
  std::deque<Segment> segments_;
  MomentaryLoudness momentaryMeter_;
  StereoBuffer tail_;
  std::jthread thread_;
};

} // namespace ivrin

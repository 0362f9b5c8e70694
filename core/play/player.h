// Plays a render plan: a mixer fills a lock-free ring of blocks, the device's callback copies from it.
//
// Invariants:
//  1. fill() only copies and crossfades: it never allocates, locks, waits, logs or touches a file.
//  2. Every block carries the epoch it was made in and its place on the stream (frames counted on through loops; every
//     start of playing opens a new stream with numbers never used before) and in the song. The callback skips blocks of
//     older epochs and crossfades over 5 ms.
//  3. A swap of plan continues the stream: the first frame heard of the new plan follows the last one of the old.
//  4. What leaves the mixer before monitoring (solo, click, monitor level and limit, fades) are the export's samples.
//  5. Whoever controls the player only posts wishes; the mixer takes them up before it mixes. It computes nothing,
//  waits
//     for nothing but the posting itself, and plans that are let go are freed on his thread, outside of any lock.
#pragma once

#include "dsp/dynamics/lookahead_limiter.h"
#include "dsp/dynamics/mix_limiter.h"
#include "dsp/measure/loudness.h"
#include "dsp/measure/true_peak.h"
#include "play/click.h"
#include "play/output.h"
#include "render/evaluator.h"

#include <array>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <deque>
#include <exception>
#include <limits>
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
    std::int64_t periodFrames = 256; // expected; three of what is really asked for at once are kept ready
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
  /// `countIn` frames before it the click alone is heard, whether it is on or not; the song comes in on `from`.
  void play(Frames from, Frames countIn = Frames(0));
  void stop();
  bool playing() const { return playing_; }
  /// Song frame of the next frame to be handed out; while stopped, where it was set or stopped.
  Frames position() const {
    const std::int64_t parked = parked_.load(std::memory_order_relaxed);
    return Frames(parked != kNotParked ? parked : position_.load(std::memory_order_relaxed));
  }
  /// Where play(from) begins, while stopped.
  void setPosition(Frames f);
  void setLoop(std::optional<FrameRange> loop);
  void setClick(bool on, const Click& click);
  void setMono(bool on);
  void setMonitorDb(double db);
  /// Only what this ornament adds is heard; empty: the mix. One that adds nothing is silence.
  void setAlone(std::string ornament);
  /// A further gain, for comparing at equal loudness; never over 0 dB.
  void setMatchDb(double db);
  /// True when what is mixed is the plan set last.
  bool newestPlanHeard() const { return !pendingWaits_; }
  /// Also frees what the mixer has let go.
  Meters takeMeters();
  /// What went wrong while mixing, once: playing has stopped. Mostly empty.
  std::string takeFault();
  /// Frames the device asked for and did not get, from our side.
  std::int64_t missedFrames() const { return missed_; }

  void fill(float* left, float* right, std::int64_t frames) noexcept override;
  /// Another device asks from now on, `periodFrames` at a time; none asks while this runs. What sounded through the
  /// former one is not heard through this one: it begins in silence, and what plays fades in.
  void handOver(std::int64_t periodFrames);
  /// Takes up wishes and mixes until the ring is full enough. Called by the mixer thread, or by a stepped output; never
  /// by both.
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

  struct Settings {
    std::optional<FrameRange> loop{};
    bool clicks = false, mono = false;
    Click click{};
    float monitorGain = 1, matchGain = 1;
    std::string alone{};
    friend bool operator==(const Settings&, const Settings&) = default;
  };
  struct Wishes {
    std::shared_ptr<const RenderPlan> plan; // none: no other one
    std::optional<Frames> playFrom;
    Frames countIn{};
    bool stop = false;
    Settings settings; // as they should be
    bool any = false;
  };
  template <class Change> void wish(Change change);
  void takeUpWishes();
  void letGo(std::shared_ptr<const RenderPlan> plan);
  void freeRetired();

  void adopt(std::shared_ptr<const RenderPlan> plan);
  void newEpoch();
  void beginEpoch(bool continues, std::int64_t countIn = 0);
  void end();
  bool adoptPending();
  bool printsReadyAround(const RenderPlan& plan, Frames at) const;
  void mixBlock();
  void intoLoop(StereoSpan out);
  void countedIn(StereoSpan out) const;
  void readPlan(MixLimiter* limiter, Frames from, StereoSpan out);
  void readUnlimited(Evaluator& e, Frames from, StereoSpan out) const;
  std::int64_t songAt(std::int64_t stream) const;
  void run(std::stop_token stop);
  Frames songEnd() const;

  // Callback's side.
  bool skipToNewest() noexcept;
  std::int64_t copyFromRing(float* left, float* right, std::int64_t frames, bool advance) noexcept;

  std::int64_t target() const;

  const Options options_;
  const std::int64_t fade_;
  std::atomic<std::int64_t> period_; // the most that was asked for at once

  std::array<Block, kBlocks> ring_;
  std::atomic<std::uint64_t> written_{0}, taken_{0}; // block counts
  static constexpr std::int64_t kNotParked = std::numeric_limits<std::int64_t>::min();
  std::atomic<std::int64_t> streamHeard_{0}, position_{0}, parked_{kNotParked};
  std::atomic<std::uint64_t> silentFrom_{0}; // epochs before this one fade out
  std::atomic<std::uint64_t> epochNow_{0};   // epoch_, for who asks for silence
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

  // Wishes, and what the mixer has let go; held only to hand these over. The callback never takes it.
  std::mutex mutex_;
  std::condition_variable_any wake_;
  Wishes wishes_;
  std::vector<std::shared_ptr<const RenderPlan>> retired_;
  bool hasPlan_ = false; // of who wishes
  std::exception_ptr fault_;

  // Mixer's side.
  std::thread::id mixer_; // of its own thread
  std::shared_ptr<const RenderPlan> plan_, pending_;
  std::unique_ptr<Evaluator> evaluator_;
  std::unique_ptr<MixLimiter> mixLimiter_, loopLimiter_; // at the playhead, and where the loop comes in
  LookaheadLimiter monitorLimit_;
  Settings now_;
  bool mixing_ = false, anySolo_ = false, waitForPrints_ = false;
  std::chrono::steady_clock::time_point waitUntil_;
  TruePeakMeter truePeakMeter_;
  std::uint64_t epoch_ = 0;
  std::int64_t streamStart_ = 0, streamNext_ = 0, streamTop_ = 0, songNext_ = 0, prefetched_ = 0;
  std::int64_t entry_ = 0; // of the stream: before it is counted in
  std::deque<Segment> segments_;
  MomentaryLoudness momentaryMeter_;
  StereoBuffer before_;
  std::jthread thread_;
};

} // namespace ivrin

#include "play/player.h"

#include "dsp/denormals.h"
#include "dsp/measure/loudness.h"
#include "time/check.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kRingSeconds = 0.030, kFadeSeconds = 0.005, kFreshFadeSeconds = 0.001;
constexpr double kMonitorLookaheadSeconds = 0.0015, kMonitorReleaseSeconds = 0.12;
constexpr double kMonitorCeilingDb = -0.3;
constexpr double kReadyAheadSeconds = 0.25, kPrefetchSeconds = 2;
constexpr double kAfterEndSeconds = 0.2;
constexpr std::chrono::milliseconds kLongestWaitAtPlay{250};

} // namespace

std::int64_t Player::monitorDelay(int sampleRate) {
  return std::llround(kMonitorLookaheadSeconds * sampleRate);
}

Player::Player(Options options)
    : options_(options)
    , fade_(std::max<std::int64_t>(1, std::llround(kFadeSeconds * options.sampleRate)))
    , period_(options.periodFrames)
    , fadeOutLeft_(static_cast<std::size_t>(fade_))
    , fadeOutRight_(static_cast<std::size_t>(fade_))
    , monitorLimit_(monitorDelay(options.sampleRate), Decibels(kMonitorCeilingDb).gain(),
                    kMonitorReleaseSeconds * options.sampleRate)
    , momentaryMeter_(options.sampleRate)
    , before_(kBlock) {
  if (options_.threaded) thread_ = std::jthread([this](std::stop_token s) { run(s); });
}

Player::~Player() {
  if (thread_.joinable()) {
    thread_.request_stop();
    wake_.notify_all();
    thread_.join();
  }
}

// ---------------------------------------------------------------- wishes

/// Changes what is wished, on the thread of who wishes.
template <class Change> void Player::wish(Change change) {
  std::vector<std::shared_ptr<const RenderPlan>> freed; // outside the lock
  {
    std::lock_guard lock(mutex_);
    change(wishes_);
    wishes_.any = true;
    freed.swap(retired_);
  }
  wake_.notify_all();
}

void Player::freeRetired() {
  std::vector<std::shared_ptr<const RenderPlan>> freed;
  std::lock_guard lock(mutex_);
  freed.swap(retired_);
}

void Player::setPlan(std::shared_ptr<const RenderPlan> plan) {
  hasPlan_ = plan != nullptr;
  wish([&](Wishes& w) {
    pendingWaits_ = playing_.load();
    w.plan.swap(plan); // the wish of before is freed here
  });
}

void Player::setPosition(Frames f) {
  if (!playing_) parked_.store(f.count, std::memory_order_relaxed);
}

void Player::play(Frames from, Frames countIn) {
  if (!hasPlan_) return;
  wish([&](Wishes& w) {
    playing_ = true; // together with the wish: the song may be coming to its end just now
    w.playFrom = from;
    w.countIn = countIn;
    w.stop = false;
  });
  position_.store((from - countIn).count, std::memory_order_relaxed);
  parked_.store(kNotParked, std::memory_order_relaxed);
}

void Player::stop() {
  if (!playing_) return;
  parked_.store(position_.load(std::memory_order_relaxed), std::memory_order_relaxed);
  // At once for what is in the ring; what the mixer makes meanwhile, when it takes up the wish.
  silentFrom_.store(epochNow_.load(std::memory_order_acquire) + 1, std::memory_order_release);
  wish([&](Wishes& w) {
    playing_ = false;
    w.playFrom.reset();
    w.stop = true;
  });
}

void Player::setLoop(std::optional<FrameRange> loop) {
  if (loop && loop->length() < 64) loop.reset();
  wish([&](Wishes& w) { w.settings.loop = loop; });
}

void Player::setClick(bool on, const Click& click) {
  wish([&](Wishes& w) {
    w.settings.clicks = on;
    w.settings.click = click;
  });
}

void Player::setMono(bool on) {
  wish([&](Wishes& w) { w.settings.mono = on; });
}

void Player::setAlone(std::string ornament) {
  wish([&](Wishes& w) { w.settings.alone = std::move(ornament); });
}

void Player::setMatchDb(double db) {
  wish([&](Wishes& w) { w.settings.matchGain = static_cast<float>(Decibels(std::clamp(db, -96.0, 0.0)).gain()); });
}

void Player::setMonitorDb(double db) {
  wish([&](Wishes& w) { w.settings.monitorGain = static_cast<float>(Decibels(std::clamp(db, -96.0, 12.0)).gain()); });
}

Meters Player::takeMeters() {
  freeRetired();
  return {peakLeft_.exchange(0), peakRight_.exchange(0), momentary_.load(), limiterDb_.exchange(0),
          truePeak_.exchange(0)};
}

// ---------------------------------------------------------------- the mixer

void Player::takeUpWishes() {
  Wishes w;
  {
    std::lock_guard lock(mutex_);
    if (!wishes_.any) return;
    w = wishes_;
    wishes_.plan.reset();
    wishes_.playFrom.reset();
    wishes_.stop = wishes_.any = false;
  }
  IVRIN_CHECK(5, !options_.threaded || mixer_ == std::this_thread::get_id());
  const bool changed = !(w.settings == now_);
  now_ = w.settings;
  if (w.plan) {
    letGo(std::exchange(pending_, std::move(w.plan)));
    pendingWaits_ = mixing_;
  }
  const bool stopping = w.stop && !w.playFrom;
  if (pending_ && (w.playFrom || stopping || !mixing_)) {
    adopt(std::exchange(pending_, nullptr));
    pendingWaits_ = false;
  }
  if (stopping) {
    draining_ = mixing_ = false;
    newEpoch();
    silentFrom_.store(epoch_, std::memory_order_release);
  } else if (w.playFrom && plan_) {
    songNext_ = (*w.playFrom - w.countIn).count;
    mixing_ = true;
    // A stop before it may have silenced an epoch that does not exist yet.
    epoch_ = std::max(epoch_, silentFrom_.load(std::memory_order_acquire));
    beginEpoch(false, w.countIn.count);
    prefetched_ = songNext_;
    draining_ = false;
    waitForPrints_ = options_.threaded;
    waitUntil_ = std::chrono::steady_clock::now() + kLongestWaitAtPlay;
  } else if (changed && mixing_) {
    beginEpoch(true);
  }
}

/// A plan that is no longer needed: a large one takes its time to be freed, which is not the mixer's.
void Player::letGo(std::shared_ptr<const RenderPlan> plan) {
  if (!plan) return;
  std::lock_guard lock(mutex_);
  retired_.push_back(std::move(plan));
}

void Player::adopt(std::shared_ptr<const RenderPlan> plan) {
  mixLimiter_.reset(); // they look into the plan of before
  loopLimiter_.reset();
  evaluator_.reset();
  letGo(std::exchange(plan_, std::move(plan)));
  evaluator_ = std::make_unique<Evaluator>(*plan_, options_.threaded ? Evaluator::Missing::takeReady
                                                                     : Evaluator::Missing::compute);
  evaluator_->setBegin(plan_->song().firstFrame());
  anySolo_ = std::any_of(plan_->rows().begin(), plan_->rows().end(), [](const RowNode& r) { return r.solo; });
  if (plan_->song().mix.limiter && !anySolo_)
    for (auto* limiter : {&mixLimiter_, &loopLimiter_})
      *limiter = std::make_unique<MixLimiter>(plan_->map().sampleRate(), plan_->song().mix.ceilingDbtp,
                                              [e = evaluator_.get()](Frames at, StereoSpan out) { e->mix(at, out); });
}

void Player::newEpoch() {
  ++epoch_;
  epochNow_.store(epoch_, std::memory_order_release);
}

void Player::beginEpoch(bool continues, std::int64_t countIn) {
  newEpoch();
  streamTop_ = std::max(streamTop_, streamNext_);
  if (continues) { // from what is heard now, over again; from the stream's start while none of it was heard
    streamNext_ = std::clamp(streamHeard_.load(std::memory_order_acquire), streamStart_, streamNext_);
    songNext_ = songAt(streamNext_);
  } else {
    streamStart_ = streamNext_ = streamTop_ + 1;
    entry_ = streamStart_ + countIn;
    segments_.clear();
  }
  IVRIN_CHECK(2, streamNext_ >= streamStart_ && streamNext_ <= streamTop_ + 1);
  // The monitoring limit delays; it starts over with what came before, so that a swap is seamless and the fade-in of a
  // fresh start is over when its first frame comes.
  const std::int64_t delay = monitorDelay(options_.sampleRate);
  monitorLimit_ =
      LookaheadLimiter(delay, Decibels(kMonitorCeilingDb).gain(), kMonitorReleaseSeconds * options_.sampleRate);
  if (!plan_) return;
  StereoBuffer before(delay);
  if (streamNext_ < entry_)
    before.span().clear();
  else
    readPlan(mixLimiter_.get(), Frames(songNext_ - delay), before.span());
  truePeakMeter_.reset(); // what comes next is no neighbour of what was mixed last
  truePeakMeter_.add(before.left(), before.right(), delay);
  for (std::int64_t i = 0; i < delay; ++i) {
    before.left()[i] *= now_.monitorGain * now_.matchGain;
    before.right()[i] *= now_.monitorGain * now_.matchGain;
  }
  monitorLimit_.process(before.left(), before.right(), delay);
}

/// Frames that are kept ready: a device says how much it asks for at once only by asking, and may change it.
std::int64_t Player::target() const {
  return std::max<std::int64_t>(std::llround(kRingSeconds * options_.sampleRate),
                                3 * period_.load(std::memory_order_relaxed));
}

std::int64_t Player::songAt(std::int64_t stream) const {
  for (auto s = segments_.rbegin(); s != segments_.rend(); ++s)
    if (stream >= s->stream) return s->song + (stream - s->stream);
  return songNext_;
}

bool Player::printsReadyAround(const RenderPlan& plan, Frames at) const {
  const FrameRange near{at, at + Frames(std::llround(kReadyAheadSeconds * options_.sampleRate))};
  for (const auto& n : plan.nodes())
    if (n->print && !intersect(n->print->extent(), near).empty() && !n->print->has(near)) return false;
  return true;
}

bool Player::adoptPending() {
  if (!pending_) return false;
  if (options_.threaded && !printsReadyAround(*pending_, Frames(songAt(streamHeard_.load(std::memory_order_acquire)))))
    return false;
  adopt(std::exchange(pending_, nullptr));
  pendingWaits_ = false;
  beginEpoch(true);
  return true;
}

Frames Player::songEnd() const {
  return plan_->end(true) + Frames(std::llround(kAfterEndSeconds * options_.sampleRate));
}

void Player::readUnlimited(Evaluator& e, Frames from, StereoSpan out) const {
  if (!now_.alone.empty()) {
    if (const auto node = plan_->node(now_.alone))
      e.alone(*node, from, out);
    else
      out.clear();
  } else if (anySolo_) {
    e.soloMix(from, out);
  } else {
    e.mix(from, out);
  }
}

void Player::readPlan(MixLimiter* limiter, Frames from, StereoSpan out) {
  if (limiter && now_.alone.empty())
    limiter->read(from, out);
  else
    readUnlimited(*evaluator_, from, out);
}

/// Before a loop's end what lies before its start comes in, under the ceiling as the rest: the start itself keeps its
/// attack, and the two never add up to more than the louder of them (their gains sum to 1).
void Player::intoLoop(StereoSpan out) {
  const std::int64_t fade = std::min(fade_, now_.loop->length() / 2), from = now_.loop->end.count - fade;
  const std::int64_t first = std::max(songNext_, from), n = songNext_ + out.frames - first;
  if (n <= 0) return;
  const StereoSpan before = before_.span().part(0, n);
  const Frames at(first - now_.loop->length());
  readPlan(loopLimiter_.get(), at, before);
  for (std::int64_t i = 0; i < n; ++i) {
    const auto w = static_cast<float>(raisedCosine(static_cast<double>(first + i - from) / static_cast<double>(fade)));
    float &l = out.left[first - songNext_ + i], &r = out.right[first - songNext_ + i];
    l += w * (before.left[i] - l);
    r += w * (before.right[i] - r);
  }
}

/// Before the frame that is counted in nothing of the song is heard; it comes in over a fade that ends there.
void Player::countedIn(StereoSpan out) const {
  for (std::int64_t i = 0; i < out.frames; ++i) {
    const double in = 1 - static_cast<double>(entry_ - streamNext_ - i) / static_cast<double>(fade_);
    const auto w = in <= 0 ? 0.0f : static_cast<float>(raisedCosine(in));
    out.left[i] *= w;
    out.right[i] *= w;
  }
}

void Player::mixBlock() {
  // One block of the ring is always left: the callback may still be reading the one it takes next.
  IVRIN_CHECK(1, written_.load(std::memory_order_relaxed) - taken_.load(std::memory_order_acquire) < kBlocks - 1);
  Block& b = ring_[written_.load(std::memory_order_relaxed) % kBlocks];
  b.epoch = epoch_;
  b.streamStart = streamStart_;
  b.stream = streamNext_;
  b.song = songNext_;
  b.frames = kBlock;
  // A loop's end cuts the block, so that the frames of one block are neighbours in the song.
  const bool counting = streamNext_ < entry_;
  if (counting) b.frames = std::min(b.frames, entry_ - streamNext_);
  const bool looping = !counting && now_.loop && songNext_ < now_.loop->end.count;
  if (looping) b.frames = std::min(b.frames, now_.loop->end.count - songNext_);
  IVRIN_CHECK(2, b.frames > 0 && b.frames <= kBlock && b.stream >= b.streamStart);
  // What goes on within a stream is the song's next frame, or the loop's first.
  IVRIN_CHECK(3, segments_.empty() || streamNext_ != segments_.back().stream + segments_.back().frames ||
                     songNext_ == segments_.back().song + segments_.back().frames ||
                     (now_.loop && songNext_ == now_.loop->begin.count));
  const StereoSpan out{b.left.data(), b.right.data(), b.frames};
  readPlan(mixLimiter_.get(), Frames(songNext_), out);
  if (mixLimiter_) limiterDb_ = std::max(limiterDb_.load(), mixLimiter_->lastReductionDb());

  if (looping) intoLoop(out);
  if (counting) countedIn(out);
  // Monitoring begins here.
  truePeak_.store(
      std::max(truePeak_.load(std::memory_order_relaxed), truePeakMeter_.add(out.left, out.right, b.frames)),
      std::memory_order_relaxed);
  if (now_.matchGain != 1.0f)
    for (std::int64_t i = 0; i < b.frames; ++i) {
      out.left[i] *= now_.matchGain;
      out.right[i] *= now_.matchGain;
    }
  if (now_.mono)
    for (std::int64_t i = 0; i < b.frames; ++i) out.left[i] = out.right[i] = 0.5f * (out.left[i] + out.right[i]);
  momentaryMeter_.add(out.left, out.right, b.frames);
  momentary_.store(momentaryMeter_.lufs(), std::memory_order_relaxed);
  if (now_.clicks || counting) addClick(plan_->map(), now_.click, Frames(songNext_), out);
  if (now_.monitorGain != 1.0f)
    for (std::int64_t i = 0; i < b.frames; ++i) {
      out.left[i] *= now_.monitorGain;
      out.right[i] *= now_.monitorGain;
    }
  monitorLimit_.process(out.left, out.right, b.frames);

  if (!segments_.empty() && segments_.back().stream + segments_.back().frames == streamNext_ &&
      segments_.back().song + segments_.back().frames == songNext_)
    segments_.back().frames += b.frames;
  else
    segments_.push_back({streamNext_, songNext_, b.frames});
  while (segments_.size() > 64) segments_.pop_front();
  streamNext_ += b.frames;
  songNext_ += b.frames;
  if (looping && songNext_ == now_.loop->end.count) songNext_ = now_.loop->begin.count;
  written_.fetch_add(1, std::memory_order_release);
}

void Player::pump() {
  const FlushDenormals guard;
  takeUpWishes();
  if (!mixing_ || !plan_) return;
  if (waitForPrints_) {
    if (!printsReadyAround(*plan_, Frames(songNext_)) && std::chrono::steady_clock::now() < waitUntil_) return;
    waitForPrints_ = false;
  }
  adoptPending();
  while (written_.load(std::memory_order_relaxed) - taken_.load(std::memory_order_acquire) < kBlocks - 1) {
    if (streamNext_ - std::max(streamStart_, streamHeard_.load(std::memory_order_acquire)) >= target()) break;
    if (!now_.loop && songNext_ >= songEnd().count && !pending_) {
      end();
      break;
    }
    mixBlock();
  }
  if (songNext_ + options_.sampleRate > prefetched_ ||
      songNext_ < prefetched_ - std::llround(4 * kPrefetchSeconds * options_.sampleRate)) {
    const auto ask = [&](std::int64_t from) {
      const std::int64_t to = from + std::llround(kPrefetchSeconds * options_.sampleRate);
      for (const RowNode& r : plan_->rows())
        if (r.audio) r.audio->prefetch(from - r.offset, to - r.offset);
      return to;
    };
    prefetched_ = ask(songNext_);
    if (now_.loop) ask(now_.loop->begin.count);
  }
}

/// The song is over: the ring empties by itself. Who has wished to play meanwhile plays.
void Player::end() {
  std::lock_guard lock(mutex_);
  mixing_ = false;
  draining_ = true;
  if (!wishes_.playFrom) playing_ = false;
}

std::string Player::takeFault() {
  std::exception_ptr fault;
  {
    std::lock_guard lock(mutex_);
    fault = std::exchange(fault_, {});
  }
  if (!fault) return {};
  try {
    std::rethrow_exception(fault);
  } catch (const std::exception& e) {
    return inWords(e);
  }
}

void Player::run(std::stop_token stop) {
  mixer_ = std::this_thread::get_id();
  while (!stop.stop_requested()) {
    try {
      pump();
    } catch (...) { // no memory: what was mixed is still heard, and nothing here may need any
      end();
      std::lock_guard lock(mutex_);
      fault_ = std::current_exception();
      playing_ = false;
    }
    std::unique_lock lock(mutex_);
    const auto wished = [&] { return wishes_.any; };
    if (mixing_)
      wake_.wait_for(lock, stop, std::chrono::milliseconds(pending_ || waitForPrints_ ? 2 : 5), wished);
    else
      wake_.wait(lock, stop, wished);
  }
}

/// Drops blocks of older epochs when a usable one of a newer epoch is there; remembers what was sounding for the fade.
bool Player::skipToNewest() noexcept {
  const std::uint64_t end = written_.load(std::memory_order_acquire), begin = taken_.load(std::memory_order_relaxed);
  const std::uint64_t silent = silentFrom_.load(std::memory_order_acquire);
  std::uint64_t newest = heardEpoch_, at = begin;
  for (std::uint64_t i = begin; i < end; ++i) {
    const Block& b = ring_[i % kBlocks];
    if (b.epoch <= newest || b.epoch < silent) continue;
    // Of the stream that is heard, only the block that holds the next frame will do; of a new one, its first.
    if (heard_ >= b.streamStart ? b.stream > heard_ || b.stream + b.frames <= heard_ : b.stream != b.streamStart)
      continue;
    newest = b.epoch;
    at = i;
  }
  const bool fallsSilent = silent > heardEpoch_ && newest == heardEpoch_;
  if (newest == heardEpoch_ && !fallsSilent) return false;
  const std::int64_t got = sounding_ ? copyFromRing(fadeOutLeft_.data(), fadeOutRight_.data(), fade_, false) : 0;
  for (std::int64_t i = got; i < fade_; ++i) { // nothing more was mixed: hold the last value, so that nothing jumps
    fadeOutLeft_[static_cast<std::size_t>(i)] = sounding_ ? lastLeft_ : 0;
    fadeOutRight_[static_cast<std::size_t>(i)] = sounding_ ? lastRight_ : 0;
  }
  fadeLeft_ = fade_;
  if (fallsSilent) {
    while (at < end && ring_[at % kBlocks].epoch < silent) ++at;
    heardEpoch_ = silent;
    offset_ = 0;
    sounding_ = false;
  } else {
    const Block& b = ring_[at % kBlocks];
    const bool sameStream = heard_ >= b.streamStart;
    fadeInLength_ = sameStream ? fade_ : std::max<std::int64_t>(1, fade_ / 5); // a fresh start keeps its attack
    offset_ = sameStream ? heard_ - b.stream : 0;
    if (!sameStream) heard_ = b.stream;
    IVRIN_CHECK(2, newest > heardEpoch_ && offset_ >= 0 && offset_ < b.frames);
    heardEpoch_ = newest;
    sounding_ = true;
  }
  streamHeard_.store(heard_, std::memory_order_release);
  taken_.store(at, std::memory_order_release);
  return true;
}

/// Copies from the oldest blocks of the epoch heard; with `advance` they are given back.
std::int64_t Player::copyFromRing(float* left, float* right, std::int64_t frames, bool advance) noexcept {
  const std::uint64_t end = written_.load(std::memory_order_acquire);
  std::uint64_t at = taken_.load(std::memory_order_relaxed);
  std::int64_t offset = offset_, done = 0, song = position_.load(std::memory_order_relaxed);
  while (done < frames && at < end) {
    const Block& b = ring_[at % kBlocks];
    if (b.epoch != heardEpoch_) break;
    const std::int64_t n = std::min(frames - done, b.frames - offset);
    std::copy_n(b.left.data() + offset, n, left + done);
    std::copy_n(b.right.data() + offset, n, right + done);
    done += n;
    offset += n;
    song = b.song + offset;
    if (offset == b.frames) {
      offset = 0;
      ++at;
    }
  }
  if (advance) {
    offset_ = offset;
    taken_.store(at, std::memory_order_release);
    heard_ += done;
    streamHeard_.store(heard_, std::memory_order_release);
    if (done > 0) position_.store(song, std::memory_order_relaxed);
  }
  return done;
}

namespace {

/// What goes on and what fades out beside it: each within full scale, and so both, what fades out giving way.
float within(float goesOn, float fades) {
  return goesOn + std::clamp(fades, -1 - goesOn, 1 - goesOn);
}

} // namespace

void Player::fill(float* left, float* right, std::int64_t frames) noexcept {
  if (frames > period_.load(std::memory_order_relaxed)) period_.store(frames, std::memory_order_relaxed);
  skipToNewest();
  std::int64_t done = sounding_ ? copyFromRing(left, right, frames, true) : 0;
  if (sounding_ && done < frames) {
    if (draining_.load(std::memory_order_relaxed)) {
      sounding_ = false;
    } else if (playing_.load(std::memory_order_relaxed)) {
      missed_.fetch_add(frames - done, std::memory_order_relaxed);
    }
  }
  std::fill(left + done, left + frames, 0.0f);
  std::fill(right + done, right + frames, 0.0f);
  for (std::int64_t i = 0; i < frames && fadeLeft_ > 0; ++i, --fadeLeft_) {
    const auto at = static_cast<std::size_t>(fade_ - fadeLeft_);
    const auto out = static_cast<float>(fadeLeft_) / static_cast<float>(fade_);
    const float in = sounding_ ? std::min(1.0f, static_cast<float>(at) / static_cast<float>(fadeInLength_)) : 0.0f;
    left[i] = within(left[i] * in, fadeOutLeft_[at] * out);
    right[i] = within(right[i] * in, fadeOutRight_[at] * out);
  }
  if (frames > 0) {
    lastLeft_ = left[frames - 1];
    lastRight_ = right[frames - 1];
  }
  float pl = peakLeft_.load(std::memory_order_relaxed), pr = peakRight_.load(std::memory_order_relaxed);
  for (std::int64_t i = 0; i < frames; ++i) {
    pl = std::max(pl, std::abs(left[i]));
    pr = std::max(pr, std::abs(right[i]));
  }
  peakLeft_.store(pl, std::memory_order_relaxed);
  peakRight_.store(pr, std::memory_order_relaxed);
}

void Player::handOver(std::int64_t periodFrames) {
  period_.store(periodFrames, std::memory_order_relaxed);
  if (!skipToNewest()) fadeInLength_ = fade_;
  std::fill(fadeOutLeft_.begin(), fadeOutLeft_.end(), 0.0f);
  std::fill(fadeOutRight_.begin(), fadeOutRight_.end(), 0.0f);
  fadeLeft_ = fade_;
  lastLeft_ = lastRight_ = 0;
}

} // namespace ivrin

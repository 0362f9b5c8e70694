#include "render/print.h"

#include "audio/simd.h"
#include "ornaments/finished.h"
#include "render/evaluator.h"
#include "render/render_plan.h"
#include "time/check.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace ivrin {
namespace {

/// Applies the ornament's gain and returns the largest magnitude. A defect in a voice must never reach an ear: what is
/// not a finite number becomes silence.
IVRIN_CLONES float scaleAndMeasure(float* x, std::int64_t n, float gain) {
  constexpr float kLargestFloat = 3.402823466e38f;
  float best[16] = {};
  std::int64_t i = 0;
  const auto one = [&](std::int64_t at, float& peak) {
    const float v = x[at] * gain, m = v < 0 ? -v : v;
    const bool fine = m <= kLargestFloat; // false for NaN too
    x[at] = fine ? v : 0.0f;
    const float kept = fine ? m : 0.0f;
    peak = kept > peak ? kept : peak;
  };
  for (; i + 16 <= n; i += 16)
    for (int k = 0; k < 16; ++k) one(i + k, best[k]);
  for (; i < n; ++i) one(i, best[0]);
  float peak = 0;
  for (const float b : best) peak = b > peak ? b : peak;
  return peak;
}

} // namespace

/// Gives a voice its declared reads through the plan of the moment.
class PrintSounds : public Sounds {
 public:
  explicit PrintSounds(std::shared_ptr<ChunkStore> store)
      : store_(std::move(store)) {}
  std::shared_ptr<ChunkStore> store() const override { return store_; }
  void use(const RenderPlan& plan, const OrnamentNode& node, std::stop_token stop) {
    if (plan_ != &plan) evaluator_ = std::make_unique<Evaluator>(plan, Evaluator::Missing::compute, std::move(stop));
    plan_ = &plan;
    node_ = &node;
  }
  /// The plan may be gone before the next block.
  void release() {
    plan_ = nullptr;
    evaluator_.reset();
  }
  /// Something that was read was not there, because of the request to stop.
  bool stopped() const { return evaluator_ && evaluator_->stopped(); }
  void read(std::size_t index, Frames from, StereoSpan out) override {
    const Read& r = node_->plan.reads[index];
    const FrameRange inside = intersect(r.frames, {from, from + Frames(out.frames)});
    if (inside.length() < out.frames) out.clear();
    if (inside.empty()) return;
    evaluator_->read(*node_, index, inside.begin, out.part((inside.begin - from).count, inside.length()));
    if (evaluator_->broken()) throw std::runtime_error(worded("its sidechain or source could not be rendered"));
  }

 private:
  const RenderPlan* plan_ = nullptr;
  const OrnamentNode* node_ = nullptr;
  std::unique_ptr<Evaluator> evaluator_;
  std::shared_ptr<ChunkStore> store_;
};

Print::Print(FrameRange extent, float gain, bool anyOrder, std::shared_ptr<ChunkStore> store,
             std::shared_ptr<std::atomic<std::int64_t>> failures)
    : extent_(extent)
    , gain_(gain)
    , anyOrder_(anyOrder)
    , store_(store ? std::move(store) : std::make_shared<ChunkStore>())
    , failures_(std::move(failures))
    , there_(static_cast<std::size_t>((std::max<std::int64_t>(extent.length(), 0) + kPrintBlock - 1) / kPrintBlock))
    , ready_(extent.begin.count) {
  chunks_.resize(static_cast<std::size_t>((blocks() + kBlocksPerChunk - 1) / kBlocksPerChunk));
  if (extent.empty()) complete_ = true;
}

Print::~Print() {
  for (float* chunk : chunks_)
    if (chunk) store_->give(chunk);
}

FrameRange Print::framesOf(std::int64_t block) const {
  const Frames begin = extent_.begin + Frames(block * kPrintBlock);
  return {begin, std::min(begin + Frames(kPrintBlock), extent_.end)};
}

bool Print::has(FrameRange r) const {
  if (complete()) return true;
  r = intersect(r, extent_);
  const Frames ready = this->ready();
  if (r.empty() || ready >= r.end) return true;
  if (!anyOrder_) return false;
  for (std::int64_t b = (std::max(r.begin, ready) - extent_.begin).count / kPrintBlock; framesOf(b).begin < r.end; ++b)
    if (!there(b)) return complete();
  return true;
}

Frames Print::missingFrom(Frames f) const {
  if (!anyOrder_ || complete()) return ready();
  const std::int64_t block = nextBlock(f);
  return block < 0 ? end() : std::max(framesOf(block).begin, std::min(f, framesOf(block).end - Frames(1)));
}

/// The block to be computed next; none when all are there.
std::int64_t Print::nextBlock(Frames near) const {
  const std::int64_t first = (ready() - extent_.begin).count / kPrintBlock;
  if (!anyOrder_) return first < blocks() ? first : -1;
  const std::int64_t from = std::clamp<std::int64_t>((near - extent_.begin).count / kPrintBlock, first, blocks());
  for (std::int64_t b = from; b < blocks(); ++b)
    if (!there(b)) return b;
  for (std::int64_t b = first; b < from; ++b)
    if (!there(b)) return b;
  return -1;
}

void Print::addTo(Frames from, StereoSpan out) const {
  const FrameRange wanted{from, from + Frames(out.frames)};
  const auto add = [&](FrameRange r) {
    std::int64_t at = (r.begin - extent_.begin).count, to = (r.begin - from).count, left = r.length();
    while (left > 0) {
      const std::int64_t block = at / kPrintBlock, n = std::min(left, kPrintBlock - at % kPrintBlock);
      if (stateOf(block) == kSounding) {
        const float* l = chunks_[static_cast<std::size_t>(block / kBlocksPerChunk)] + at % kChunkFrames;
        const float* rr = l + kChunkFrames;
        for (std::int64_t i = 0; i < n; ++i) {
          out.left[to + i] += l[i];
          out.right[to + i] += rr[i];
        }
      }
      at += n;
      to += n;
      left -= n;
    }
  };
  const Frames ready = this->ready();
  add(intersect({extent_.begin, ready}, wanted));
  if (!anyOrder_ || ready >= wanted.end) return;
  const FrameRange rest = intersect({ready, extent_.end}, wanted);
  if (rest.empty()) return;
  for (std::int64_t b = (rest.begin - extent_.begin).count / kPrintBlock; b < blocks() && framesOf(b).begin < rest.end;
       ++b)
    if (there(b)) add(intersect(framesOf(b), rest));
}

void Print::dropVoice() {
  voice_.reset();
  sounds_.reset();
  voiceAt_ = 0;
}

/// What can be told once all is there.
void Print::finishWith(std::int64_t frames) {
  IVRIN_CHECK(5, !anyOrder_ || frames == extent_.length());
  if (voice_) {
    note_ = voice_->note();
    levelDb_ = voice_->levelDb();
  }
  dropVoice();
  ready_.store(extent_.begin.count + frames, std::memory_order_release);
  complete_.store(true, std::memory_order_release);
}

/// One block more; false when asked to stop before it was there.
bool Print::renderNext(const RenderPlan& plan, const OrnamentNode& node, Frames near, std::stop_token stop) {
  if (!sounds_) sounds_ = std::make_unique<PrintSounds>(store_);
  sounds_->use(plan, node, stop);
  const auto gaveUp = [&] { // what the voice heard was not the sound: it must not go on from there
    if (!sounds_->stopped()) return false;
    dropVoice();
    return true;
  };
  if (!voice_) {
    // They may outlive the plan: the next one has others that differ only where this print does not reach.
    ornament_ = node.ornament;
    context_ = plan.sharedContext();
    voice_ = finishedVoice(*node.kind, {*ornament_, *context_}, node.plan, *sounds_);
    voiceAt_ = 0;
    if (gaveUp()) return false;
    if (!voice_) {
      finishWith(0);
      return true;
    }
  }
  const std::int64_t block = nextBlock(near);
  if (block != voiceAt_) {
    if (anyOrder_ && voice_->seek(block * kPrintBlock)) {
      voiceAt_ = block;
      if (gaveUp()) return false;
    } else {
      IVRIN_CHECK(5, !anyOrder_);
      // A voice that was begun anew comes up to where the former one was.
      StereoBuffer again(kPrintBlock);
      for (; voiceAt_ < block; ++voiceAt_) {
        if (stop.stop_requested()) return false;
        voice_->render(again.span());
        if (gaveUp()) return false;
      }
    }
  }
  IVRIN_CHECK(2, block >= 0 && !there(block));
  float*& chunk = chunks_[static_cast<std::size_t>(block / kBlocksPerChunk)];
  // What is there already of this chunk is read meanwhile; only an empty one may be given back.
  const bool fresh = !chunk;
  if (fresh) chunk = store_->take();
  const auto giveBack = [&] { store_->give(std::exchange(chunk, nullptr)); };
  float* l = chunk + block % kBlocksPerChunk * kPrintBlock;
  const StereoSpan part{l, l + kChunkFrames, kPrintBlock};
  std::int64_t n = voice_->render(part);
  if (gaveUp()) {
    if (fresh) giveBack();
    return false;
  }
  ++voiceAt_;
  const bool ended = n < kPrintBlock;
  n = std::min(n, framesOf(block).length());
  const float peak = std::max(scaleAndMeasure(part.left, n, gain_), scaleAndMeasure(part.right, n, gain_));
  peak_.store(std::max(peak_.load(std::memory_order_relaxed), peak), std::memory_order_relaxed);
  if (peak == 0 && fresh)
    giveBack();
  else if (fresh)
    chunksHeld_.fetch_add(1, std::memory_order_relaxed);
  there_[static_cast<std::size_t>(block)].store(peak == 0 ? kSilent : kSounding, std::memory_order_release);
  const std::int64_t have = blocksThere_.fetch_add(1, std::memory_order_relaxed) + 1;
  if (!anyOrder_) {
    const std::int64_t frames = block * kPrintBlock + n;
    if (ended || frames >= extent_.length())
      finishWith(frames);
    else
      ready_.store(extent_.begin.count + frames, std::memory_order_release);
    return true;
  }
  IVRIN_CHECK(5, n == framesOf(block).length());
  if (have == blocks()) {
    finishWith(extent_.length());
    return true;
  }
  std::int64_t first = (ready() - extent_.begin).count / kPrintBlock;
  while (there(first)) ++first;
  ready_.store(framesOf(first).begin.count, std::memory_order_release);
  return true;
}

/// No more of it comes.
void Print::failWith(std::string why) {
  failure_ = std::move(why);
  dropVoice();
  for (std::atomic<std::uint8_t>& block : there_)
    if (block.load(std::memory_order_relaxed) == kMissing) block.store(kSilent, std::memory_order_release);
  ready_.store(extent_.end.count, std::memory_order_release);
  complete_.store(true, std::memory_order_release);
  if (failures_) failures_->fetch_add(1, std::memory_order_release);
}

/// Work of the one who is busy. Nobody else is; he has said so under the mutex.
template <class Work> void Print::atWork(Work work) {
  try {
    work();
  } catch (const std::exception& e) {
    failWith(inWords(e));
  }
  if (sounds_) sounds_->release();
  {
    std::lock_guard lock(mutex_);
    busy_ = false;
  }
  free_.notify_all();
}

bool Print::ensure(const RenderPlan& plan, const OrnamentNode& node, FrameRange wanted, std::stop_token stop) {
  if (has(wanted)) return true;
  {
    std::unique_lock lock(mutex_);
    if (!free_.wait(lock, stop, [&] { return !busy_ || has(wanted); })) return false;
    if (has(wanted)) return true;
    busy_ = true;
  }
  atWork([&] {
    while (!has(wanted) && !stop.stop_requested() && renderNext(plan, node, wanted.begin, stop)) {
    }
  });
  return has(wanted);
}

bool Print::tryAdvance(const RenderPlan& plan, const OrnamentNode& node, Frames near, std::int64_t blocks,
                       std::stop_token stop) {
  {
    std::lock_guard lock(mutex_);
    if (busy_) return false;
    busy_ = true;
  }
  bool worked = false;
  atWork([&] {
    for (; blocks > 0 && !complete() && !stop.stop_requested() && renderNext(plan, node, near, stop); --blocks)
      worked = true;
  });
  return worked;
}

void Print::rest() {
  {
    std::lock_guard lock(mutex_);
    if (busy_) return;
    busy_ = true;
  }
  atWork([&] {
    if (!complete()) dropVoice();
  });
}

std::string Print::note() const {
  return complete() ? note_ : std::string();
}

std::string Print::failure() const {
  return complete() ? failure_ : std::string();
}

std::optional<double> Print::levelDb() const {
  return complete() ? levelDb_ : std::nullopt;
}

std::int64_t Print::bytes() const {
  return chunksHeld_.load(std::memory_order_relaxed) * kChunkFrames * 2 * static_cast<std::int64_t>(sizeof(float)) +
         static_cast<std::int64_t>(there_.size() + chunks_.size() * sizeof(float*));
}

} // namespace ivrin

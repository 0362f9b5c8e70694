#include "render/print.h"

#include "audio/simd.h"
#include "ornaments/finished.h"
#include "render/evaluator.h"
#include "render/render_plan.h"

#include <algorithm>
#include <cmath>

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
  void use(const RenderPlan& plan, const OrnamentNode& node) {
    if (plan_ != &plan) evaluator_ = std::make_unique<Evaluator>(plan, Evaluator::Missing::compute);
    plan_ = &plan;
    node_ = &node;
  }
  /// The plan may be gone before the next block.
  void release() {
    plan_ = nullptr;
    evaluator_.reset();
  }
  void read(std::size_t index, Frames from, StereoSpan out) override {
    const Read& r = node_->plan.reads[index];
    const FrameRange inside = intersect(r.frames, {from, from + Frames(out.frames)});
    if (inside.length() < out.frames) out.clear();
    if (inside.empty()) return;
    evaluator_->read(*node_, index, inside.begin, out.part((inside.begin - from).count, inside.length()));
  }

 private:
  const RenderPlan* plan_ = nullptr;
  const OrnamentNode* node_ = nullptr;
  std::unique_ptr<Evaluator> evaluator_;
};

Print::Print(FrameRange extent, float gain)
    : extent_(extent)
    , gain_(gain)
    , ready_(extent.begin.count) {
  chunks_.resize(
      static_cast<std::size_t>((std::max<std::int64_t>(extent.length(), 0) + kChunkFrames - 1) / kChunkFrames + 1));
  if (extent.empty()) complete_ = true;
}

Print::~Print() = default;

void Print::addTo(Frames from, StereoSpan out) const {
  const FrameRange r = intersect({extent_.begin, ready()}, {from, from + Frames(out.frames)});
  std::int64_t at = (r.begin - extent_.begin).count, to = (r.begin - from).count, left = r.length();
  while (left > 0) {
    const std::int64_t chunk = at / kChunkFrames, within = at % kChunkFrames, n = std::min(left, kChunkFrames - within);
    const float* l = chunks_[static_cast<std::size_t>(chunk)].get() + within;
    const float* rr = l + kChunkFrames;
    for (std::int64_t i = 0; i < n; ++i) {
      out.left[to + i] += l[i];
      out.right[to + i] += rr[i];
    }
    at += n;
    to += n;
    left -= n;
  }
}

void Print::renderBlock(const RenderPlan& plan, const OrnamentNode& node) {
  if (!sounds_) sounds_ = std::make_unique<PrintSounds>();
  sounds_->use(plan, node);
  if (!started_) {
    started_ = true;
    // They may outlive the plan: the next one has others that differ only where this print does not reach.
    ornament_ = node.ornament;
    context_ = plan.sharedContext();
    voice_ = finishedVoice(*node.kind, {*ornament_, *context_}, node.plan, *sounds_);
  }
  const std::int64_t at = ready_.load(std::memory_order_relaxed) - extent_.begin.count;
  const auto chunk = static_cast<std::size_t>(at / kChunkFrames);
  if (!chunks_[chunk])
    chunks_[chunk] = std::make_unique_for_overwrite<float[]>(static_cast<std::size_t>(2 * kChunkFrames));
  float* l = chunks_[chunk].get() + at % kChunkFrames;
  const StereoSpan block{l, l + kChunkFrames, kPrintBlock};
  std::int64_t n = voice_ ? voice_->render(block) : 0;
  const bool ended = n < kPrintBlock;
  n = std::min(n, extent_.length() - at);
  float peak = std::max(peak_.load(std::memory_order_relaxed), scaleAndMeasure(block.left, n, gain_));
  peak = std::max(peak, scaleAndMeasure(block.right, n, gain_));
  peak_.store(peak, std::memory_order_relaxed);
  const std::int64_t ready = extent_.begin.count + at + n;
  ready_.store(ready, std::memory_order_release);
  if (ended || ready >= extent_.end.count) {
    if (voice_) {
      note_ = voice_->note();
      levelDb_ = voice_->levelDb();
    }
    voice_.reset();
    sounds_.reset();
    complete_.store(true, std::memory_order_release);
  }
}

bool Print::ensure(const RenderPlan& plan, const OrnamentNode& node, Frames until, std::stop_token stop) {
  if (readyTo(until)) return true;
  std::lock_guard lock(mutex_);
  while (!readyTo(until)) {
    if (stop.stop_requested()) break;
    renderBlock(plan, node);
  }
  if (sounds_) sounds_->release();
  return readyTo(until);
}

bool Print::tryAdvance(const RenderPlan& plan, const OrnamentNode& node, Frames until, std::stop_token stop) {
  std::unique_lock lock(mutex_, std::try_to_lock);
  if (!lock) return false;
  bool worked = false;
  while (!readyTo(until) && !stop.stop_requested()) {
    renderBlock(plan, node);
    worked = true;
  }
  if (sounds_) sounds_->release();
  return worked;
}

std::string Print::note() const {
  return complete() ? note_ : std::string();
}

std::optional<double> Print::levelDb() const {
  return complete() ? levelDb_ : std::nullopt;
}

std::int64_t Print::bytes() const {
  return (ready().count - extent_.begin.count + kChunkFrames) * 2 * static_cast<std::int64_t>(sizeof(float));
}

} // namespace ivrin

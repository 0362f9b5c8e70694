#include "dsp/space/convolver.h"

#include "audio/simd.h"
#include "dsp/measure/fourier.h"

#include <algorithm>

namespace ivrin {
namespace {

/// y = x·h·g.
IVRIN_CLONES void multiply(float* y, const float* x, const float* __restrict h, float g, std::int64_t bins) {
  for (std::int64_t i = 0; i < bins; ++i) {
    const float a = x[2 * i], b = x[2 * i + 1], c = h[2 * i], d = h[2 * i + 1];
    y[2 * i] = g * (a * c - b * d);
    y[2 * i + 1] = g * (a * d + b * c);
  }
}

/// y += x·h·g.
IVRIN_CLONES void addProduct(float* __restrict y, const float* __restrict x, const float* __restrict h, float g,
                             std::int64_t bins) {
  for (std::int64_t i = 0; i < bins; ++i) {
    const float a = x[2 * i], b = x[2 * i + 1], c = h[2 * i], d = h[2 * i + 1];
    y[2 * i] += g * (a * c - b * d);
    y[2 * i + 1] += g * (a * d + b * c);
  }
}

const float* numbers(const RealFourier::Bins& b) {
  return reinterpret_cast<const float*>(b.get());
}

} // namespace

class ImpulseSpectrum {
 public:
  explicit ImpulseSpectrum(const ImpulseResponse& h)
      : length(h.frames()) {
    // At least as much sound as response in a block: at most half of the work is for the overlap.
    std::int64_t size = 8192;
    while (size < 2 * length) size *= 2;
    fourier = RealFourier::ofSize(size);
    block = size - length + 1;
    const auto in = fourier->samples();
    const auto of = [&](const float* x) {
      std::fill_n(in.get(), size, 0.0f);
      std::copy_n(x, length, in.get());
      RealFourier::Bins bins = fourier->spectrum();
      fourier->forward(in.get(), bins.get());
      return bins;
    };
    own[0] = of(h.own.left());
    own[1] = of(h.own.right());
    if (!h.crosses()) return;
    across[0] = of(h.across.left());
    across[1] = of(h.across.right());
  }
  std::int64_t length, block = 0;
  std::shared_ptr<const RealFourier> fourier;
  RealFourier::Bins own[2], across[2];
};

std::shared_ptr<const ImpulseSpectrum> spectrumOf(const ImpulseResponse& impulse) {
  return std::make_shared<const ImpulseSpectrum>(impulse);
}

Convolver::Convolver(std::shared_ptr<const ImpulseSpectrum> impulse, Feed feed)
    : impulse_(std::move(impulse))
    , feed_(std::move(feed))
    , ready_(impulse_->fourier->size()) {}

Convolver::~Convolver() = default;

std::int64_t Convolver::length() const {
  return impulse_->length;
}

void Convolver::nextBlock() {
  const RealFourier& f = *impulse_->fourier;
  const std::int64_t block = impulse_->block, tail = impulse_->length - 1;
  // What waits from before moves to the front.
  for (float* x : {ready_.left(), ready_.right()}) {
    if (whole_ > 0) std::copy(x + whole_, x + whole_ + tail, x);
    std::fill(x + tail, x + f.size(), 0.0f);
  }
  StereoBuffer in(block);
  feed_(in.span());
  const auto samples = f.samples();
  RealFourier::Bins bins[2] = {f.spectrum(), f.spectrum()};
  for (int s = 0; s < 2; ++s) {
    std::copy_n(s == 0 ? in.left() : in.right(), block, samples.get());
    std::fill(samples.get() + block, samples.get() + f.size(), 0.0f);
    f.forward(samples.get(), bins[s].get());
  }
  const float g = 1.0f / static_cast<float>(f.size());
  const auto product = f.spectrum();
  float* const y = reinterpret_cast<float*>(product.get());
  for (int s = 0; s < 2; ++s) {
    multiply(y, numbers(bins[s]), numbers(impulse_->own[s]), g, f.bins());
    if (impulse_->across[s]) addProduct(y, numbers(bins[1 - s]), numbers(impulse_->across[s]), g, f.bins());
    f.inverse(product.get(), samples.get());
    float* out = s == 0 ? ready_.left() : ready_.right();
    for (std::int64_t i = 0; i < f.size(); ++i) out[i] += samples.get()[i];
  }
  taken_ = 0;
  whole_ = block;
}

void Convolver::read(StereoSpan out) {
  for (std::int64_t done = 0; done < out.frames;) {
    if (taken_ == whole_) nextBlock();
    const std::int64_t n = std::min(out.frames - done, whole_ - taken_);
    std::copy_n(ready_.left() + taken_, n, out.left + done);
    std::copy_n(ready_.right() + taken_, n, out.right + done);
    taken_ += n;
    done += n;
  }
}

} // namespace ivrin

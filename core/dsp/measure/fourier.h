// FFTW as values: plans are ESTIMATE only (deterministic, made in milliseconds) and made under one lock, as FFTW asks.
#pragma once

#include <complex>
#include <cstdint>
#include <memory>
#include <span>

namespace ivrin {

/// Forward and inverse transform of `size` real samples; size/2 + 1 bins. Thread-safe once made.
class RealFourier {
 public:
  explicit RealFourier(std::int64_t size);
  ~RealFourier();
  RealFourier(const RealFourier&) = delete;
  RealFourier& operator=(const RealFourier&) = delete;
  std::int64_t size() const { return size_; }
  std::int64_t bins() const { return size_ / 2 + 1; }
  /// One transform of each size is made and kept.
  static std::shared_ptr<const RealFourier> ofSize(std::int64_t size);

  /// Memory as FFTW wants it aligned.
  struct Release {
    void operator()(void* p) const;
  };
  using Samples = std::unique_ptr<float[], Release>;
  using Bins = std::unique_ptr<std::complex<float>[], Release>;
  Samples samples() const;
  Bins spectrum() const;
  /// Both arguments from samples() and spectrum(). The inverse is not scaled: size times what went in; it destroys
  /// the spectrum.
  void forward(float* in, std::complex<float>* out) const;
  void inverse(std::complex<float>* in, float* out) const;

 private:
  std::int64_t size_;
  void *forward_, *inverse_;
};

} // namespace ivrin

#include "dsp/measure/fourier.h"

#include <fftw3.h>

#include <map>
#include <mutex>

namespace ivrin {
namespace {

std::mutex& plannerMutex() {
  static std::mutex& m = *new std::mutex; // outlives the plans that are kept
  return m;
}

fftwf_complex* raw(std::complex<float>* p) {
  return reinterpret_cast<fftwf_complex*>(p);
}

} // namespace

void RealFourier::Release::operator()(void* p) const {
  fftwf_free(p);
}

RealFourier::Samples RealFourier::samples() const {
  auto* p = static_cast<float*>(fftwf_malloc(sizeof(float) * static_cast<std::size_t>(size_)));
  std::fill_n(p, size_, 0.0f);
  return Samples(p);
}

RealFourier::Bins RealFourier::spectrum() const {
  auto* p =
      reinterpret_cast<std::complex<float>*>(fftwf_malloc(sizeof(fftwf_complex) * static_cast<std::size_t>(bins())));
  std::fill_n(p, bins(), std::complex<float>());
  return Bins(p);
}

RealFourier::RealFourier(std::int64_t size)
    : size_(size) {
  const Samples in = samples();
  const Bins out = spectrum();
  std::lock_guard lock(plannerMutex());
  forward_ = fftwf_plan_dft_r2c_1d(static_cast<int>(size), in.get(), raw(out.get()), FFTW_ESTIMATE);
  inverse_ = fftwf_plan_dft_c2r_1d(static_cast<int>(size), raw(out.get()), in.get(), FFTW_ESTIMATE);
}

RealFourier::~RealFourier() {
  std::lock_guard lock(plannerMutex());
  fftwf_destroy_plan(static_cast<fftwf_plan>(forward_));
  fftwf_destroy_plan(static_cast<fftwf_plan>(inverse_));
}

std::shared_ptr<const RealFourier> RealFourier::ofSize(std::int64_t size) {
  static std::mutex mutex;
  static std::map<std::int64_t, std::shared_ptr<const RealFourier>> kept;
  std::lock_guard lock(mutex);
  auto& entry = kept[size];
  if (!entry) entry = std::make_shared<const RealFourier>(size);
  return entry;
}

void RealFourier::forward(float* in, std::complex<float>* out) const {
  fftwf_execute_dft_r2c(static_cast<fftwf_plan>(forward_), in, raw(out));
}

void RealFourier::inverse(std::complex<float>* in, float* out) const {
  fftwf_execute_dft_c2r(static_cast<fftwf_plan>(inverse_), raw(in), out);
}

} // namespace ivrin

#include "finish/impulses.h"

#include "dsp/dynamics/edges.h"
#include "dsp/space/shipped_impulses.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>
#include <mutex>

namespace ivrin {
namespace {

/// The samples of every path there is, one path after another.
template <typename Each> void forEachPath(ImpulseResponse& h, Each each) {
  each(h.own.left());
  each(h.own.right());
  if (!h.crosses()) return;
  each(h.across.left());
  each(h.across.right());
}

/// Energy from each frame on, with both sides driven by sounds that have nothing in common.
std::vector<double> energyLeft(ImpulseResponse& h) {
  std::vector<double> left(static_cast<std::size_t>(h.frames()) + 1, 0.0);
  forEachPath(h, [&](const float* x) {
    double sum = 0;
    for (std::int64_t i = h.frames(); i-- > 0;) {
      sum += 0.5 * static_cast<double>(x[i]) * x[i];
      left[static_cast<std::size_t>(i)] += sum;
    }
  });
  return left;
}

void toEnergyOne(ImpulseResponse& h) {
  double energy = 0;
  forEachPath(h, [&](const float* x) {
    double sum = 0;
    for (std::int64_t i = h.frames(); i-- > 0;) sum += 0.5 * static_cast<double>(x[i]) * x[i];
    energy += sum;
  });
  const auto g = energy > 1e-12 ? static_cast<float>(1 / std::sqrt(energy)) : 0.0f;
  forEachPath(h, [&](float* x) {
    for (std::int64_t i = 0; i < h.frames(); ++i) x[i] *= g;
  });
}

void cutTo(ImpulseResponse& h, std::int64_t frames) {
  h.own.resize(frames);
  if (h.crosses()) h.across.resize(frames);
}

double decayOf(ImpulseResponse& h, double rate) {
  const std::vector<double> left = energyLeft(h);
  std::int64_t from = 0, to = 0;
  for (std::int64_t i = 0; i < h.frames(); ++i) {
    const double db = 10 * std::log10(left[static_cast<std::size_t>(i)] / (left[0] + 1e-30) + 1e-30);
    if (db > -5) from = i;
    if (db > -25) to = i;
  }
  return std::max(0.05, 3 * static_cast<double>(to - from) / rate);
}

} // namespace

std::shared_ptr<const Impulse> makeImpulse(ImpulseResponse audio, double rate, std::string digest) {
  auto out = std::make_shared<Impulse>();
  const auto most = static_cast<std::int64_t>(kLongestImpulseSeconds * rate);
  if (audio.frames() > most) {
    cutTo(audio, most);
    const auto fade = static_cast<std::int64_t>(0.5 * rate);
    forEachPath(audio, [&](float* x) {
      for (std::int64_t i = 0; i < fade; ++i)
        x[most - fade + i] *= static_cast<float>(raisedCosine(1 - static_cast<double>(i) / static_cast<double>(fade)));
    });
    out->note = worded("shortened to 12 s");
  }
  toEnergyOne(audio);
  out->decaySeconds = decayOf(audio, rate);
  out->audio = std::move(audio);
  out->digest = std::move(digest);
  return out;
}

ImpulseResponse windowed(const Impulse& impulse, double t60, double rate) {
  ImpulseResponse h = impulse.audio;
  if (t60 >= impulse.decaySeconds) return h;
  // Rates of decay add: 1/t60 = 1/own + 1/window.
  const double fall = std::pow(10.0, -3 * (1 / t60 - 1 / impulse.decaySeconds) / rate);
  if (fall >= 1) return h; // as good as the same
  const auto last =
      static_cast<std::int64_t>(std::min(static_cast<double>(h.frames() - 1), std::log(1e-7) / std::log(fall)));
  cutTo(h, last + 1);
  forEachPath(h, [&](float* x) {
    double g = 1;
    for (std::int64_t i = 0; i < h.frames(); ++i, g *= fall) x[i] *= static_cast<float>(g);
  });
  toEnergyOne(h);
  return h;
}

std::shared_ptr<const Impulse> Impulses::shipped(const std::string& name, double rate) {
  static std::mutex mutex;
  static std::map<std::pair<std::string, double>, std::shared_ptr<const Impulse>> kept;
  std::lock_guard lock(mutex);
  auto& entry = kept[{name, rate}];
  if (!entry) {
    ImpulseResponse h = shippedImpulse(name, rate);
    if (h.frames() == 0) return nullptr;
    entry = makeImpulse(std::move(h), rate, name);
  }
  return entry;
}

std::int64_t Impulses::framesOf(const Impulses* loaded, const std::string& file, double rate) {
  if (!loaded || !loaded->has(file)) return shippedImpulseFrames(file, rate);
  const auto& impulse = loaded->loaded_.at(file);
  return impulse ? impulse->audio.frames() : 0;
}

std::shared_ptr<const Impulse> Impulses::find(const std::string& file, double rate) const {
  if (const auto it = loaded_.find(file); it != loaded_.end()) return it->second;
  return shipped(file, rate);
}

} // namespace ivrin

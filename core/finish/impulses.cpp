#include "finish/impulses.h"

#include "dsp/edges.h"
#include "dsp/shipped_impulses.h"
#include "words/words.h"

#include <cmath>
#include <mutex>

namespace ivrin {
namespace {

double decayOf(const StereoBuffer& h, double rate) {
  std::vector<double> left(static_cast<std::size_t>(h.frames()) + 1, 0.0);
  for (std::int64_t i = h.frames(); i-- > 0;)
    left[static_cast<std::size_t>(i)] = left[static_cast<std::size_t>(i) + 1] +
                                        static_cast<double>(h.left()[i]) * h.left()[i] +
                                        static_cast<double>(h.right()[i]) * h.right()[i];
  std::int64_t from = 0, to = 0;
  for (std::int64_t i = 0; i < h.frames(); ++i) {
    const double db = 10 * std::log10(left[static_cast<std::size_t>(i)] / (left[0] + 1e-30) + 1e-30);
    if (db > -5) from = i;
    if (db > -25) to = i;
  }
  return std::max(0.05, 3 * static_cast<double>(to - from) / rate);
}

} // namespace

std::shared_ptr<const Impulse> makeImpulse(StereoBuffer audio, double rate, std::string digest) {
  auto out = std::make_shared<Impulse>();
  const auto most = static_cast<std::int64_t>(kLongestImpulseSeconds * rate);
  if (audio.frames() > most) {
    audio.resize(most);
    const auto fade = static_cast<std::int64_t>(0.5 * rate);
    for (std::int64_t i = 0; i < fade; ++i) {
      const auto g = static_cast<float>(raisedCosine(1 - static_cast<double>(i) / static_cast<double>(fade)));
      audio.left()[most - fade + i] *= g;
      audio.right()[most - fade + i] *= g;
    }
    out->note = worded("cut to 12 s");
  }
  double energy = 0;
  for (std::int64_t i = 0; i < audio.frames(); ++i)
    energy += 0.5 * (static_cast<double>(audio.left()[i]) * audio.left()[i] +
                     static_cast<double>(audio.right()[i]) * audio.right()[i]);
  const auto g = energy > 1e-12 ? static_cast<float>(1 / std::sqrt(energy)) : 0.0f;
  for (std::int64_t i = 0; i < audio.frames(); ++i) {
    audio.left()[i] *= g;
    audio.right()[i] *= g;
  }
  out->decaySeconds = decayOf(audio, rate);
  out->audio = std::move(audio);
  out->digest = std::move(digest);
  return out;
}

StereoBuffer windowed(const Impulse& impulse, double t60, double rate) {
  StereoBuffer h = impulse.audio;
  if (t60 >= impulse.decaySeconds) return h;
  // Rates of decay add: 1/t60 = 1/own + 1/window.
  const double fall = std::pow(10.0, -3 * (1 / t60 - 1 / impulse.decaySeconds) / rate);
  double g = 1, energy = 0;
  std::int64_t last = 0;
  for (std::int64_t i = 0; i < h.frames(); ++i, g *= fall) {
    h.left()[i] *= static_cast<float>(g);
    h.right()[i] *= static_cast<float>(g);
    energy += 0.5 * (static_cast<double>(h.left()[i]) * h.left()[i] + static_cast<double>(h.right()[i]) * h.right()[i]);
    if (g > 1e-7) last = i;
  }
  h.resize(last + 1);
  const auto level = energy > 1e-12 ? static_cast<float>(1 / std::sqrt(energy)) : 0.0f;
  for (std::int64_t i = 0; i < h.frames(); ++i) {
    h.left()[i] *= level;
    h.right()[i] *= level;
  }
  return h;
}

std::shared_ptr<const Impulse> Impulses::shipped(const std::string& name, double rate) {
  static std::mutex mutex;
  static std::map<std::pair<std::string, double>, std::shared_ptr<const Impulse>> kept;
  std::lock_guard lock(mutex);
  auto& entry = kept[{name, rate}];
  if (!entry) {
    StereoBuffer h = shippedImpulse(name, rate);
    if (h.frames() == 0) return nullptr;
    entry = makeImpulse(std::move(h), rate, name);
  }
  return entry;
}

std::shared_ptr<const Impulse> Impulses::find(const std::string& file, double rate) const {
  if (const auto it = loaded_.find(file); it != loaded_.end()) return it->second;
  return shipped(file, rate);
}

} // namespace ivrin

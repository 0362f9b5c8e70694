#include "dsp/delay/shifted_sound.h"

#include <algorithm>
#include <cmath>
#include <list>

namespace ivrin {
namespace {

constexpr double kRingsSeconds = 0.3; // after its end, for what the windows spread
constexpr std::int64_t kMadeAtOnce = 1024;
constexpr std::int64_t kMostBytes = std::int64_t{64} << 20; // of shifted sounds

} // namespace

ShiftedSound::ShiftedSound(std::shared_ptr<const StereoBuffer> sound, double semitones, double sampleRate)
    : sound_(std::move(sound))
    , semitones_(semitones)
    , rate_(sampleRate)
    , stretch_(sampleRate, 1, std::exp2(semitones / 12),
               [s = sound_.get()](std::int64_t from, StereoSpan out) { s->read(from, out); })
    , shifted_(sound_->frames() + std::llround(kRingsSeconds * sampleRate)) {}

void ShiftedSound::read(std::int64_t from, StereoSpan out) {
  const std::lock_guard lock(mutex_);
  while (made_ < std::min(from + out.frames, shifted_.frames())) {
    const std::int64_t n = std::min(kMadeAtOnce, shifted_.frames() - made_);
    stretch_.read(made_, shifted_.span().part(made_, n));
    made_ += n;
  }
  shifted_.read(from, out);
}

bool ShiftedSound::is(const StereoBuffer& sound, double semitones, double sampleRate) const {
  return semitones_ == semitones && rate_ == sampleRate && (sound_.get() == &sound || *sound_ == sound);
}

std::int64_t ShiftedSound::bytes() const {
  return shifted_.frames() * static_cast<std::int64_t>(2 * sizeof(float));
}

std::shared_ptr<ShiftedSound> ShiftedSound::of(std::shared_ptr<const StereoBuffer> sound, double semitones,
                                               double sampleRate) {
  static std::mutex mutex;
  static std::list<std::shared_ptr<ShiftedSound>>& kept = *new std::list<std::shared_ptr<ShiftedSound>>; // latest first
  const std::lock_guard lock(mutex);
  const auto known =
      std::find_if(kept.begin(), kept.end(), [&](const auto& s) { return s->is(*sound, semitones, sampleRate); });
  if (known != kept.end()) {
    kept.splice(kept.begin(), kept, known);
    return kept.front();
  }
  // The same sound at other pitches shares its samples.
  for (const auto& s : kept)
    if (*s->sound_ == *sound) {
      sound = s->sound_;
      break;
    }
  kept.push_front(std::make_shared<ShiftedSound>(std::move(sound), semitones, sampleRate));
  std::int64_t all = 0;
  for (auto it = kept.begin(); it != kept.end();) {
    all += (*it)->bytes();
    it = all > kMostBytes && it != kept.begin() ? kept.erase(it) : std::next(it);
  }
  return kept.front();
}

} // namespace ivrin

#include "audio/kept_sound.h"

#include <algorithm>

namespace ivrin {

KeptSound::KeptSound(std::shared_ptr<ChunkStore> store)
    : store_(store ? std::move(store) : std::make_shared<ChunkStore>()) {}

KeptSound::~KeptSound() {
  for (float* chunk : chunks_) store_->give(chunk);
}

void KeptSound::append(StereoSpan sound) {
  for (std::int64_t done = 0; done < sound.frames;) {
    const std::int64_t at = frames_ % kFrames;
    if (at == 0) {
      chunks_.reserve(chunks_.size() + 1); // nothing is lost where this throws
      chunks_.push_back(store_->take());
    }
    const std::int64_t n = std::min(sound.frames - done, kFrames - at);
    std::copy_n(sound.left + done, n, chunks_.back() + at);
    std::copy_n(sound.right + done, n, chunks_.back() + kFrames + at);
    done += n;
    frames_ += n;
  }
}

void KeptSound::read(std::int64_t from, StereoSpan out) const {
  const std::int64_t begin = std::clamp<std::int64_t>(-from, 0, out.frames);
  const std::int64_t end = std::clamp<std::int64_t>(frames_ - from, begin, out.frames);
  out.part(0, begin).clear();
  out.part(end, out.frames - end).clear();
  for (std::int64_t done = begin; done < end;) {
    const std::int64_t at = (from + done) % kFrames, n = std::min(end - done, kFrames - at);
    const float* chunk = chunks_[static_cast<std::size_t>((from + done) / kFrames)];
    std::copy_n(chunk + at, n, out.left + done);
    std::copy_n(chunk + kFrames + at, n, out.right + done);
    done += n;
  }
}

} // namespace ivrin

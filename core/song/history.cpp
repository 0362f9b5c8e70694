#include "song/history.h"

#include "song/song_bytes.h"

namespace ivrin {

void History::cut(std::size_t steps) {
  while (steps_.size() > steps) {
    bytes_ -= steps_.back().bytes;
    steps_.pop_back();
  }
}

void History::dropFirst() {
  first_ = std::move(steps_.front().after);
  bytes_ -= steps_.front().bytes;
  steps_.erase(steps_.begin());
  --done_;
  --savedAt_;
  --savingAt_;
}

void History::edit(std::string label, std::string mergeKey, Song next) {
  if (next == song_) return;
  cut(done_); // what was undone can't be redone any more
  const bool merges = !settled_ && !mergeKey.empty() && done_ > 0 && steps_[done_ - 1].mergeKey == mergeKey;
  if (merges && before(done_ - 1) == next) { // dragged back to where it was
    cut(done_ - 1);
    --done_;
    song_ = std::move(next);
    settled_ = true; // the step before it is another gesture's, even of the same name
    return;
  }
  if (merges) {
    steps_.back().after = next;
  } else {
    steps_.push_back({std::move(label), std::move(mergeKey), next, 0});
    done_ = steps_.size();
  }
  Step& last = steps_.back();
  bytes_ -= last.bytes;
  last.bytes = ownBytes(last.after, before(done_ - 1));
  bytes_ += last.bytes;
  while (steps_.size() > kMost || (bytes_ > kMostBytes && steps_.size() > kFewest)) dropFirst();
  settled_ = false;
  song_ = std::move(next);
}

std::set<std::string> History::settingsChanged(const std::string& ornament, std::string_view butBy) const {
  std::set<std::string> keys;
  for (std::size_t i = 0; i < done_; ++i) {
    const Ornament *was = before(i).ornament(ornament), *is = steps_[i].after.ornament(ornament);
    if (!was || !is || was == is || steps_[i].mergeKey.starts_with(butBy)) continue;
    for (const auto* side : {&was->settings, &is->settings})
      for (const auto& [key, value] : *side) {
        const auto a = was->settings.find(key), b = is->settings.find(key);
        if (a == was->settings.end() || b == is->settings.end() || !(a->second == b->second)) keys.insert(key);
      }
  }
  return keys;
}

void History::settle() {
  settled_ = true;
}

void History::undo() {
  if (!canUndo()) return;
  song_ = before(--done_);
  settled_ = true;
}

void History::redo() {
  if (!canRedo()) return;
  song_ = steps_[done_++].after;
  settled_ = true;
}

} // namespace ivrin

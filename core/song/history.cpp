#include "song/history.h"

namespace ivrin {

void History::edit(std::string label, std::string mergeKey, Song next) {
  if (next == song_) return;
  steps_.resize(done_); // what was undone can't be redone any more
  const bool merges = !settled_ && !mergeKey.empty() && done_ > 0 && steps_[done_ - 1].mergeKey == mergeKey;
  if (merges) {
    steps_[done_ - 1].after = next;
    if (steps_[done_ - 1].before == next) { // dragged back to where it was
      steps_.pop_back();
      --done_;
      song_ = std::move(next);
      settled_ = true; // the step before it is another gesture's, even of the same name
      return;
    }
  } else {
    if (steps_.size() == kMost) {
      steps_.erase(steps_.begin());
      --savedAt_;
    }
    steps_.push_back({std::move(label), std::move(mergeKey), song_, next});
    done_ = steps_.size();
  }
  settled_ = false;
  song_ = std::move(next);
}

void History::settle() {
  settled_ = true;
}

void History::undo() {
  if (!canUndo()) return;
  song_ = steps_[--done_].before;
  settled_ = true;
}

void History::redo() {
  if (!canRedo()) return;
  song_ = steps_[done_++].after;
  settled_ = true;
}

} // namespace ivrin

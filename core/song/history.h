// Undo: one snapshot for each step, with words and a merge key. A value; nothing here knows a window. The steps kept
// are bounded by their number and by what they take; the oldest go first.
#pragma once

#include "song/song.h"

#include <cstdint>
#include <cstdlib>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

class History {
 public:
  History() = default;
  explicit History(Song song)
      : song_(song)
      , first_(std::move(song)) {}

  const Song& song() const { return song_; }
  /// One edit. With the same non-empty `mergeKey` as the edit before it, both become one step (a drag). An edit that
  /// changes nothing leaves no step.
  void edit(std::string label, std::string mergeKey, Song next);
  /// Ends merging: the next edit begins a step of its own.
  void settle();

  bool canUndo() const { return done_ > 0; }
  bool canRedo() const { return done_ < steps_.size(); }
  /// "move of delay throw"; empty when there is nothing.
  std::string undoLabel() const { return canUndo() ? steps_[done_ - 1].label : std::string(); }
  std::string redoLabel() const { return canRedo() ? steps_[done_].label : std::string(); }
  void undo();
  void redo();

  /// Saving does not clear the steps; it marks this state as the saved one.
  void markSaved() {
    saved_ = song_;
    savedAt_ = static_cast<std::int64_t>(done_);
  }
  /// The state as it is now is being saved, and edits go on meanwhile.
  void beginSaving() {
    settle();
    saving_ = song_;
    savingAt_ = static_cast<std::int64_t>(done_);
  }
  /// It is: the state of then is the saved one.
  void endSaving() {
    saved_ = saving_;
    savedAt_ = savingAt_;
  }
  /// Edits that lie between the saved state and this one.
  int editsSinceSave() const { return static_cast<int>(std::abs(static_cast<std::int64_t>(done_) - savedAt_)); }
  bool changedSinceSave() const { return !saved_ || !(*saved_ == song_); }
  /// The settings of an ornament that steps have changed since it came, but for those whose merge key begins so.
  std::set<std::string> settingsChanged(const std::string& ornament, std::string_view butBy) const;
  /// What the steps take, roughly.
  std::int64_t bytes() const { return bytes_; }

 private:
  struct Step {
    std::string label, mergeKey;
    Song after;
    std::int64_t bytes;
  };
  static constexpr std::size_t kMost = 1000, kFewest = 10;
  static constexpr std::int64_t kMostBytes = 64 << 20;
  /// What step `i` began from.
  const Song& before(std::size_t i) const { return i == 0 ? first_ : steps_[i - 1].after; }
  void dropFirst();
  void cut(std::size_t steps);
  Song song_, first_; // before the first step that is kept
  std::optional<Song> saved_, saving_;
  std::vector<Step> steps_;
  std::size_t done_ = 0;
  std::int64_t bytes_ = 0;
  std::int64_t savedAt_ = 0, savingAt_ = 0; // below 0 where the steps before the first one kept lie
  bool settled_ = true;
};

} // namespace ivrin

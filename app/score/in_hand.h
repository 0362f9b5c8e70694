// InHand knows the ornaments that an action means: those that are marked, else the open one, else the one at the caret.
// It moves them by keys.
#pragma once

#include <QCoreApplication>

#include <set>
#include <string>
#include <vector>

namespace ivrin::app {

class ScoreView;
class Session;

class InHand {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::InHand)
 public:
  explicit InHand(ScoreView& view);

  std::vector<std::string> ids() const;
  /// Ornaments marked to be handled together.
  const std::set<std::string>& marked() const { return marked_; }
  void mark(std::set<std::string> ids);
  /// Marks one together with the others, or no longer.
  void toggleMark(const std::string& id);
  /// Those that are gone from the song are marked no more.
  void renew();
  /// Without telling: another song, or other rows.
  void forget() { marked_.clear(); }
  /// The open ornament, else the one that Return would open; empty where the caret's row has none.
  std::string atCaret() const;
  /// Moves what is in hand by grid steps, or by single frames.
  void nudge(int steps);
  void nudgeFrames(int frames);
  /// Changes the place of the ornament in hand in the order of its row.
  void reorder(int steps);

 private:
  ScoreView& view_;
  Session& session_;
  std::set<std::string> marked_;
};

} // namespace ivrin::app

// The ScoreCaret is the keyboard's place in the score. The keys select from there.
#pragma once

#include "app/axis/selection.h"
#include "app/score/caret_steps.h"
#include "render/render_plan.h"

#include <QCoreApplication>

#include <optional>
#include <string>

namespace ivrin::app {

class ScoreView;
class Session;

class ScoreCaret {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::ScoreCaret)
 public:
  explicit ScoreCaret(ScoreView& view);

  Beats at() const { return at_; }
  const std::string& row() const { return row_; }
  /// The place alone: nothing is selected, sought or scrolled.
  void put(Beats b);
  void setRow(const std::string& row);
  /// By rows and steps of the grid, as arrow keys go.
  void move(int rows, int steps, bool extend);
  void travel(CaretUnit unit, int step, bool extend);
  /// Selects the word at the caret, or the next one; what is selected already grows to its phrase, and the next one.
  void selectSpoken();
  /// Back: to fewer phrases, to a word.
  void selectLess();
  void selectOnRow(const std::string& row, BeatRange stretch);
  /// What is said there, a word or its phrase; false where nothing is.
  bool selectSaidAt(const std::string& row, Beats at, bool phrase);
  /// Why nothing was found on its row.
  QString nothingHeard() const;
  /// The next extension of the selection starts anew.
  void forgetAnchor() { anchor_.reset(); }
  /// The grid's; off the grid what can be seen: a sixty-fourth, or a few pixels where that is less, and no less than a
  /// sample.
  Beats step() const;

 private:
  void beginExtending();
  void go(Beats to, bool extend);
  ScoreView& view_;
  Session& session_;
  Beats at_;
  std::string row_;
  std::optional<Beats> anchor_;
  std::string anchorRow_;
};

} // namespace ivrin::app

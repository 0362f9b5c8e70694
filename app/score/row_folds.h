// RowFolds knows which rows are folded to thin staves: those folded by hand, and those that fold by themselves while
// they have no ornament in view.
#pragma once

#include <QTimer>

#include <set>
#include <string>

namespace ivrin::app {

class ScoreView;
class Session;

class RowFolds : public QObject {
 public:
  explicit RowFolds(ScoreView& view);

  bool folded(const std::string& row) const;
  /// Folds a row to a thin staff, or unfolds it.
  void toggle(const std::string& row);
  /// Those folded by hand.
  const std::set<std::string>& byHand() const { return byHand_; }
  /// Staves without ornaments in view fold by themselves.
  void setFoldsQuiet(bool on);
  bool foldsQuiet() const { return foldsQuiet_; }
  void restore(std::set<std::string> byHand, bool foldsQuiet);
  /// Rows have come or gone.
  void renewRows();
  /// The view has moved: which rows are quiet is looked at in a moment.
  void viewMoved();
  bool waiting() const { return timer_.isActive(); }
  void foldNow();

 private:
  bool isQuiet(const std::string& row) const;
  ScoreView& view_;
  Session& session_;
  std::set<std::string> byHand_, quiet_; // quiet: rows that are folded by themselves now
  bool foldsQuiet_ = false;
  QTimer timer_;
};

} // namespace ivrin::app

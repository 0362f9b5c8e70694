// These actions step from one opening of the caret's row to the next. Each opening is selected, so that the next key
// places an ornament there.
#pragma once

#include "app/actions/action_group.h"
#include "app/actions/listening.h"

namespace ivrin::app {

class OpeningActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::OpeningActions)
 public:
  OpeningActions(const Desk& desk, Listening& listening);
  void addActions(const QString& menu);
  /// Whether what is selected is the last opening that was stepped to.
  bool standsOnOne() const;

 private:
  void step(int by);
  void show();
  /// What was waited for is there.
  void ready();
  Listening& listening_;
  bool awaited_ = false;                              // they are to be counted once they are there
  int wanted_ = 0;                                    // a step that waits for openings to be found
  std::optional<std::pair<Selection, Beats>> chosen_; // what was selected for the last one, and where that is
};

} // namespace ivrin::app

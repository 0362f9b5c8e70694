// These actions make what is selected larger, smaller and cleaner by keys.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class SelectionActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::SelectionActions)
 public:
  using ActionGroup::ActionGroup;
  void addActions(const QString& menu);

 private:
  bool selectionWanted();
  void selectLess();
  void putEdges(BeatRange to, const QString& said);
  void edgesToAttacks();
  void edgesToZero();
  void fromVowel();
};

} // namespace ivrin::app

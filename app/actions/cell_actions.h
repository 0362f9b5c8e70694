// These actions are the tools for cells. They act on the open ornament, else on the one at the caret.
#pragma once

#include "app/actions/action_group.h"
#include "app/openrow/pattern_line.h"

namespace ivrin::app {

class CellActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::CellActions)
 public:
  using ActionGroup::ActionGroup;
  void addActions(const QString& menu);

 private:
  std::optional<Pattern> copied_;
};

} // namespace ivrin::app

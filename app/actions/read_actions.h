// These actions say on request what is seen at a glance. The words stand in the measure line, and screen readers read
// them out.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class ReadActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::ReadActions)
 public:
  using ActionGroup::ActionGroup;
  /// Where the song plays and what its meters show, as the head says it.
  struct Says {
    std::function<QString()> position, meters;
  };
  void addActions(const QString& menu, const Says& says);
};

} // namespace ivrin::app

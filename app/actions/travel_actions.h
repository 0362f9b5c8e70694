// These actions move the caret as in a text: by words, phrases and pages, which are landings here.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class TravelActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::TravelActions)
 public:
  using ActionGroup::ActionGroup;
  void addActions(const QString& menu);
  void addCentre(const QString& menu);
};

} // namespace ivrin::app

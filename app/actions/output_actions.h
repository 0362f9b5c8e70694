// This action chooses the device that is listened through, in a dialog. The choice is kept between runs.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class OutputActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::OutputActions)
 public:
  using ActionGroup::ActionGroup;
  void addActions(const QString& menu);
  static OutputChoice storedChoice();
  /// From now on the choice is kept between runs.
  void keepState() { keepsState_ = true; }

 private:
  void look();
  void dialog(const std::vector<OutputDevice>& devices);
  bool keepsState_ = false;
};

} // namespace ivrin::app

// These actions show help: all keys on one page, the last messages, and what this program is.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class HelpActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::HelpActions)
 public:
  using ActionGroup::ActionGroup;
  void addActions(const QString& menu);

 private:
  void showKeys();
  void showMessages();
  void about();
};

} // namespace ivrin::app

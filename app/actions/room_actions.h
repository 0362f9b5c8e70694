// These actions make room for what leads to a landing, and let a landing open wide.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class RoomActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::RoomActions)
 public:
  explicit RoomActions(const Desk& desk);
  void addActions(const QString& menu);

 private:
  void makeRoom();
  void openWide();
  std::string wanted_; // room for this one, once it is measured what it covers
};

} // namespace ivrin::app

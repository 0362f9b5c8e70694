// These actions place ornaments on what is selected, and make, name and move landings and sections.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class FormLine;

class PlaceActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::PlaceActions)
 public:
  PlaceActions(const Desk& desk, FormLine& form);
  void addActions(const QString& menu);

 private:
  FormLine* form_;
};

} // namespace ivrin::app

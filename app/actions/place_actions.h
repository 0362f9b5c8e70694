// Ornaments are placed on what is selected; landings and sections are made, named and moved.
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

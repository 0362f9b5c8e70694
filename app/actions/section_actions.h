// These actions propose sections that are heard in the stems, and take them into the song.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class SectionActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::SectionActions)
 public:
  explicit SectionActions(const Desk& desk);
  void addActions(const QString& menu);
  /// Proposed sections go; false where there were none.
  bool letProposedGo();

 private:
  void proposeOrTake();
  void tellSections();
  bool wanted_ = false; // asked for by hand: what comes of it is said
};

} // namespace ivrin::app

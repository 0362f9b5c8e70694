// These actions change what is seen: following, zooming, folding and the paper. They change nothing in the song.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class LookActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::LookActions)
 public:
  explicit LookActions(const Desk& desk);
  void addActions(const QString& menu);
  void addPapers(const QString& menu);
  void setNight(bool on);
  /// "desktop", "day" or "night".
  void setPaperChoice(const QString& choice);
  /// The choice of paper is kept between runs; what was kept is taken up.
  void keepState();
  void applyPaper();

 private:
  bool desktopIsDark_ = false, keepsState_ = false;
};

} // namespace ivrin::app

// These actions choose the grid that the hand snaps to: a note value, dotted, triplet or free.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class SnapActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::SnapActions)
 public:
  using ActionGroup::ActionGroup;
  void addActions(const QString& menu);
  /// The submenu of its values.
  static QString menuTitle() { return tr("Grid"); }
  /// "1/16", "1/8.", "1/4t" or "free".
  QString text() const;
  void setText(const QString& text);
  void apply();

 private:
  void walk(int by);
  int value_ = 16; // 1/16; 0 is free
  QString form_;   // "", "." or "t"
};

} // namespace ivrin::app

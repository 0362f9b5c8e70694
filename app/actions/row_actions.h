// These actions name, order and remove rows and put them on buses. Everything acts on the row of the caret.
#pragma once

#include "app/actions/action_group.h"

namespace ivrin::app {

class RowActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::RowActions)
 public:
  explicit RowActions(const Desk& desk);
  void addActions(const QString& menu);
  /// The submenu of what is done to rows.
  static QString menuTitle();

 private:
  void showMenu(const QPoint& at);
  /// A row was dropped before another one, or onto a bus.
  void drop(const std::string& row, const std::string& before, bool onto);
  std::optional<std::string> rowInHand();
  void newEmptyRow();
  void newBus();
  void nameRow();
  void chooseRole();
  void chooseBus();
  void moveRow(int step);
  void removeRow();
};

} // namespace ivrin::app

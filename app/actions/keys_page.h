// The KeysPage shows all keys and what the mouse does on one page that scrolls and can be searched. It is made from the
// actions there are.
#pragma once

#include "app/actions/key_list.h"

#include <QDialog>
#include <QLineEdit>
#include <QTextBrowser>

namespace ivrin::app {

class KeysPage : public QDialog {
  Q_OBJECT
 public:
  KeysPage(const ActionRegistry& actions, QWidget* parent);
  QLineEdit& search() { return *search_; }
  /// The page as it is shown.
  QString shown() const { return page_->toPlainText(); }

 protected:
  void showEvent(QShowEvent* e) override;

 private:
  void fill();
  std::vector<KeyGroup> groups_;
  QLineEdit* search_;
  QTextBrowser* page_;
};

} // namespace ivrin::app

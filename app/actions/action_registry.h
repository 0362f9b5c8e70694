// The ActionRegistry lists every action of the window: its menu, words, key, and what it does. Menus, tooltips and the
// page of keys are made from this list, so they cannot disagree.
#pragma once

#include <QAction>
#include <QKeySequence>
#include <QMap>
#include <QObject>

#include <functional>
#include <vector>

namespace ivrin::app {

struct ActionSpec {
  QString id;   // "undo"
  QString menu; // "Edit"; a separator stands before entries with `apart`
  QString text; // with a mnemonic
  QString tip;
  QList<QKeySequence> keys;
  std::function<void()> run;
  bool checkable = false;
  bool apart = false;
  QString sub{}; // a submenu's title; entries of one submenu stand together
};

/// An action's words, without its mnemonic and dots.
QString plainText(const QAction* a);

class ActionRegistry : public QObject {
  Q_OBJECT
 public:
  explicit ActionRegistry(QWidget* window);
  QAction* add(const ActionSpec& spec);
  QAction* action(const QString& id) const { return actions_.value(id); }
  QList<QAction*> all() const { return actions_.values(); }
  /// Menus in order of first use, each with its actions.
  const std::vector<std::pair<QString, std::vector<QAction*>>>& menus() const { return menus_; }
  /// "Undo (Ctrl+Z)"
  static QString withKey(const QAction* a);

 private:
  QWidget* window_;
  QMap<QString, QAction*> actions_;
  std::vector<std::pair<QString, std::vector<QAction*>>> menus_;
};

} // namespace ivrin::app

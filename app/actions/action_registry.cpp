#include "app/actions/action_registry.h"

#include <QWidget>

#include <algorithm>

namespace ivrin::app {

QString plainText(const QAction* a) {
  return a->text().remove('&').remove(QChar(0x2026));
}

ActionRegistry::ActionRegistry(QWidget* window)
    : QObject(window)
    , window_(window) {}

QAction* ActionRegistry::add(const ActionSpec& spec) {
  auto* a = new QAction(spec.text, window_);
  a->setObjectName(spec.id);
  a->setShortcuts(spec.keys);
  a->setCheckable(spec.checkable);
  a->setToolTip(spec.tip.isEmpty() ? plainText(a) : spec.tip);
  a->setStatusTip(a->toolTip());
  a->setProperty("sub", spec.sub);
  connect(a, &QAction::triggered, window_, [run = spec.run] { run(); });
  window_->addAction(a);
  actions_[spec.id] = a;
  auto it = std::find_if(menus_.begin(), menus_.end(), [&](const auto& m) { return m.first == spec.menu; });
  if (it == menus_.end()) it = menus_.insert(menus_.end(), {spec.menu, {}});
  if (spec.apart) it->second.push_back(nullptr);
  it->second.push_back(a);
  return a;
}

QString ActionRegistry::withKey(const QAction* a) {
  const QString key = a->shortcut().toString(QKeySequence::NativeText);
  return key.isEmpty() ? a->toolTip() : QStringLiteral("%1 (%2)").arg(a->toolTip(), key);
}

} // namespace ivrin::app

// This file lists all keys and what the mouse does, grouped as the menus are. The page of keys and docs/keys.md are
// made from it.
#pragma once

#include "app/actions/action_registry.h"

namespace ivrin::app {

struct KeyLine {
  QString keys, words;
};
struct KeyGroup {
  QString title;
  std::vector<KeyLine> lines;
};

/// `native`: keys as the desktop writes them; otherwise as any keyboard has them.
std::vector<KeyGroup> keyList(const ActionRegistry& actions, bool native);
/// The same as a page of Markdown.
QString keysAsMarkdown(const ActionRegistry& actions);

} // namespace ivrin::app

#include "app/actions/key_list.h"

#include <algorithm>

namespace ivrin::app {

std::vector<KeyGroup> keyList(const ActionRegistry& actions, bool native) {
  std::vector<KeyGroup> groups;
  const auto group = [&groups](const QString& title) -> KeyGroup& {
    const auto it = std::find_if(groups.begin(), groups.end(), [&](const KeyGroup& g) { return g.title == title; });
    return it != groups.end() ? *it : groups.emplace_back(KeyGroup{title, {}});
  };
  for (const auto& [menu, entries] : actions.menus())
    for (const QAction* a : entries) {
      if (!a || a->shortcut().isEmpty()) continue;
      QStringList keys;
      for (const QKeySequence& k : a->shortcuts())
        keys << k.toString(native ? QKeySequence::NativeText : QKeySequence::PortableText);
      const QString sub = a->property("sub").toString();
      group(sub.isEmpty() ? menu : QObject::tr("%1: %2").arg(menu, sub))
          .lines.push_back({keys.join(QObject::tr(" or ")), plainText(a)});
    }
  group(QObject::tr("In the score")).lines = {
      {QObject::tr("arrows"), QObject::tr("the caret by the grid, between rows")},
      {QObject::tr("Shift+arrows"), QObject::tr("select, also across rows")},
      {QObject::tr("Return, Esc"), QObject::tr("open the ornament at the caret, and go to its numbers; fold it again")},
      {QObject::tr("in a number: a letter"), QObject::tr("to the number whose name starts so")},
      {QObject::tr("in the finish: arrows, Return, +, Delete, Ctrl+arrows"),
       QObject::tr("along it, open, add, take away, move")},
      {QObject::tr("in a curve: arrows, Insert, Delete, Ctrl+Up, Ctrl+Down"),
       QObject::tr("the point, a new one, take it away, bend the way to it")},
  };
  group(QObject::tr("With the mouse")).lines = {
      {QObject::tr("drag"),
       QObject::tr("select; a sign moves its ornament; its bracket the source and the end of the tail")},
      {QObject::tr("Shift while dragging"), QObject::tr("off the grid, to the sample")},
      {QObject::tr("Ctrl+Shift while dragging"), QObject::tr("onto an attack that is near")},
      {QObject::tr("Ctrl and a drag"),
       QObject::tr("takes the source elsewhere; on a cell's shoulder: of this cell alone")},
      {QObject::tr("Shift and a click"), QObject::tr("marks several ornaments")},
      {QObject::tr("wheel"),
       QObject::tr("along the song; over a stutter's cell: cut, join; with Ctrl: zoom; with Shift: over the rows")},
      {QObject::tr("double click on a number"), QObject::tr("as it was at first")},
  };
  return groups;
}

QString keysAsMarkdown(const ActionRegistry& actions) {
  QString page = QObject::tr("# Keys\n\nMade by `ivrin --keys` from the actions there are; F1 shows the same in the "
                             "window.\n");
  for (const KeyGroup& g : keyList(actions, false)) {
    page += QStringLiteral("\n## %1\n\n| | |\n|---|---|\n").arg(g.title);
    for (const KeyLine& l : g.lines) page += QStringLiteral("| %1 | %2 |\n").arg(l.keys, l.words);
  }
  return page;
}

} // namespace ivrin::app

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
      {QObject::tr("arrow keys"), QObject::tr("move the cursor by the grid and between rows")},
      {QObject::tr("Shift+arrow keys"), QObject::tr("select time, also across rows")},
      {QObject::tr("Return, Esc"), QObject::tr("open the ornament at the cursor and go to its settings; close it")},
      {QObject::tr("in a setting: a letter"), QObject::tr("go to the next setting that starts with this letter")},
      {QObject::tr("in the finish: arrow keys, Return, +, Delete, Ctrl+arrow keys"),
       QObject::tr("choose a processor, open, add, remove, move it")},
      {QObject::tr("in a curve: arrow keys, Insert, Delete, Ctrl+Up, Ctrl+Down"),
       QObject::tr("move a point, add one, remove it, bend the line before it")},
  };
  group(QObject::tr("With the mouse")).lines = {
      {QObject::tr("drag"), QObject::tr("select time; drag an ornament's symbol to move it, its bracket to change the "
                                        "source or the end of the tail")},
      {QObject::tr("Shift while dragging"), QObject::tr("ignore the grid")},
      {QObject::tr("Ctrl+Shift while dragging"), QObject::tr("snap to a nearby transient")},
      {QObject::tr("Ctrl while dragging"),
       QObject::tr("take the source from elsewhere; on the edge of a cell's fade: change this cell only")},
      {QObject::tr("Shift+click"), QObject::tr("select several ornaments")},
      {QObject::tr("wheel"),
       QObject::tr(
           "scroll the song; over a stutter's cell: split or join; with Ctrl: zoom; with Shift: scroll the rows")},
      {QObject::tr("double-click on a setting"), QObject::tr("set it to its default")},
  };
  return groups;
}

QString keysAsMarkdown(const ActionRegistry& actions) {
  QString page = QObject::tr("# Keyboard shortcuts\n\nMade by `ivrin --keys`. The window shows the same list under "
                             "Help > Keyboard shortcuts.\n");
  for (const KeyGroup& g : keyList(actions, false)) {
    page += QStringLiteral("\n## %1\n\n| | |\n|---|---|\n").arg(g.title);
    for (const KeyLine& l : g.lines) page += QStringLiteral("| %1 | %2 |\n").arg(l.keys, l.words);
  }
  return page;
}

} // namespace ivrin::app

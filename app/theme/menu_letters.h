// This file gives the entries of a menu the letters by which they are chosen.
#pragma once

#include <QAction>
#include <QList>

namespace ivrin::app {

/// Gives every entry of a menu a letter of its own: that which its text marks where it is free, else the first free one
/// of its text.
void giveMenuLetters(const QList<QAction*>& entries);
/// Other words for an entry, which keeps its letter.
void retitleEntry(QAction* a, const QString& text);

} // namespace ivrin::app

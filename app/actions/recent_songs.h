// This file keeps the songs that were opened last between runs, newest first. Songs whose file has gone are left out.
#pragma once

#include <QStringList>

namespace ivrin::app {

inline constexpr int kMostRecent = 10;
QStringList recentSongs();
void rememberSong(const QString& file);
void forgetSongs();

} // namespace ivrin::app

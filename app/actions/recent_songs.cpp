#include "app/actions/recent_songs.h"

#include <QFileInfo>
#include <QSettings>

namespace ivrin::app {
namespace {
const auto kKey = QStringLiteral("recent");
}

QStringList recentSongs() {
  QStringList there;
  for (const QString& f : QSettings().value(kKey).toStringList())
    if (QFileInfo::exists(f)) there << f;
  return there;
}

void rememberSong(const QString& file) {
  QStringList all = QSettings().value(kKey).toStringList();
  const QString absolute = QFileInfo(file).absoluteFilePath();
  all.removeAll(absolute);
  all.prepend(absolute);
  while (all.size() > kMostRecent) all.removeLast();
  QSettings().setValue(kKey, all);
}

void forgetSongs() {
  QSettings().remove(kKey);
}

} // namespace ivrin::app

#include "app/actions/sound_files.h"

#include "audio/audio_reader.h"

#include <QObject>
#include <QSettings>

namespace ivrin::app {
namespace {

QStringList soundFiles() {
  QStringList endings;
  for (const char* e : kSoundEndings) endings << "*" + QString::fromLatin1(e);
  return endings;
}

} // namespace

QString audioFilter() {
  return QObject::tr("Audio (%1)").arg(soundFiles().join(' '));
}

void rememberReach(const QString& folder) {
  QSettings s;
  QStringList known = s.value(QStringLiteral("reach")).toStringList();
  if (known.contains(folder)) return;
  known << folder;
  s.setValue(QStringLiteral("reach"), known);
}

} // namespace ivrin::app

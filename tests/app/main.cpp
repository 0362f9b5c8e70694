#include "slowest_event.h"

#include "app/theme/type.h"
#include "app/words/words.h"

#include <QTemporaryDir>

int runCatch(int argc, char** argv);

int main(int argc, char** argv) {
  QTemporaryDir home;
  for (const char* name : {"XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME"}) qputenv(name, home.path().toUtf8());
  int one = 1; // Catch's options are not Qt's
  ivrin::app::test::TimedApplication app(one, argv);
  QApplication::setApplicationName(QStringLiteral("ivrin"));
  QApplication::setStyle(QStringLiteral("Fusion"));
  ivrin::app::loadFonts();
  ivrin::app::loadWords();
  return runCatch(argc, argv);
}

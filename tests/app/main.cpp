#include "slowest_event.h"
#include "test_support/signals.h"

#include "app/theme/type.h"
#include "app/words/words.h"

#include <QTemporaryDir>

#include <algorithm>
#include <cstdio>

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
  const int failed = runCatch(argc, argv);
  // The window's thread never waits, and computes for no longer than an eye sees as at once.
  // 50 ms are wanted, and told; half as much again is what the pace of a shared machine may not show.
  constexpr double kLongest = 50, kAllowed = 75;
  const ivrin::app::test::SlowestEvent& slowest = ivrin::app::test::slowestEvent();
  if (ivrin::test::kSanitized || slowest.milliseconds <= kLongest) return failed;
  std::printf("an event of the window took %.0f ms of its thread: %s\n", slowest.milliseconds, slowest.what.c_str());
  return slowest.milliseconds <= kAllowed ? failed : std::max(failed, 1);
}

#include "slowest_event.h"
#include "test_support/signals.h"

#include "app/theme/type.h"
#include "app/words/words.h"

#include <QProcess>
#include <QTemporaryDir>

#define CATCH_CONFIG_EXTERNAL_INTERFACES
#include <catch2/catch.hpp>
#include <cstdio>

int runCatch(int argc, char** argv);

namespace {

struct NamesTests : Catch::TestEventListenerBase {
  using TestEventListenerBase::TestEventListenerBase;
  void testCaseStarting(const Catch::TestCaseInfo& info) override { ivrin::app::test::testUnderWay() = info.name; }
};
CATCH_REGISTER_LISTENER(NamesTests)

constexpr const char* kAgain = "IVRIN_SLOW_AGAIN";

/// Whether a test shows an event that takes too long also when it runs again, in a process of its own. A machine that
/// stood still for a moment does not do so twice.
bool slowAgain(const char* program, const std::string& test) {
  if (qEnvironmentVariableIsSet(kAgain)) return true;
  qputenv(kAgain, "1");
  QString name = QString::fromStdString(test);
  for (const QChar special : {'\\', ',', '[', ']', '"', '~', '*'}) name.replace(special, QString('\\') + special);
  for (int again = 0; again < 2; ++again)
    if (QProcess::execute(QString::fromLocal8Bit(program), {name}) == 0) return false;
  return true;
}

} // namespace

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
  std::printf("an event of the window took %.0f ms of its thread: %s, in \"%s\"\n", slowest.milliseconds,
              slowest.what.c_str(), slowest.test.c_str());
  std::fflush(stdout);
  return failed != 0 || slowest.milliseconds <= kAllowed || !slowAgain(argv[0], slowest.test) ? failed : 1;
}

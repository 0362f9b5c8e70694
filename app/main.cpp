// ivrin [SONG]: the window. `--shot FILE.png` takes its picture instead of staying open.
#include "app/actions/look_actions.h"
#include "app/actions/output_actions.h"
#include "app/actions/snap_actions.h"
#include "app/frame/main_window.h"
#include "app/frame/steps.h"
#include "app/theme/type.h"
#include "app/words/core_words.h"
#include "app/words/words.h"
#include "devices/rtaudio_output.h"
#include "files/journal.h"
#include "services/memory.h"
#include "words/terminal.h"
#include "words/words.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QDialog>
#include <QSettings>

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <functional>
#include <string_view>

using namespace ivrin;
using namespace ivrin::app;

namespace {

constexpr const char* kVersion = "0.1.0";

/// An exception that leaves an event is told, and the window goes on.
class App : public QApplication {
 public:
  using QApplication::QApplication;
  std::function<void(const QString&)> failed;
  bool notify(QObject* receiver, QEvent* event) override {
    try {
      return QApplication::notify(receiver, event);
    } catch (const std::exception& e) {
      std::fprintf(stderr, "ivrin: %s\n", e.what());
      if (failed) failed(QString::fromStdString(inWords(e)));
      return false;
    }
  }
};

void describe(QCommandLineParser& args) {
  args.setApplicationDescription(
      QStringLiteral("Transitions and ear candy from the stems of a song, on the beat grid."));
  args.addHelpOption();
  args.addVersionOption();
  args.addPositionalArgument(QStringLiteral("SONG"), QStringLiteral("the song to open"));
  args.addOptions(
      {{QStringLiteral("shot"), QStringLiteral("take a picture of the window and quit"), QStringLiteral("FILE.png")},
       {QStringLiteral("do"), QStringLiteral("do a step before the picture (repeatable): ") + stepsInWords(),
        QStringLiteral("STEP")},
       {QStringLiteral("size"), QStringLiteral("of the window"), QStringLiteral("WxH"), QStringLiteral("1280x800")},
       {QStringLiteral("text"), QStringLiteral("scale of all text, 1 to 2; the desktop's otherwise"),
        QStringLiteral("N")},
       {QStringLiteral("night"), QStringLiteral("night appearance")},
       {QStringLiteral("keys"), QStringLiteral("print the keyboard shortcuts as Markdown and quit")},
       {QStringLiteral("words"), QStringLiteral("print every text of the tables, one per line, and quit")},
       {QStringLiteral("demo"), QStringLiteral("folder of the demo song"), QStringLiteral("FILE")}});
}

} // namespace

int main(int argc, char** argv) {
  keepMemoryTidy();
  std::signal(SIGXFSZ, SIG_IGN); // a limit on the size of files is an error that is told, not an end
  qInstallMessageHandler([](QtMsgType, const QMessageLogContext&, const QString& text) { // names never steer a terminal
    std::fprintf(stderr, "%s\n", ivrin::shownPlainly(text.toStdString()).c_str());
  });
  // What is only said needs no display.
  const bool says = std::any_of(argv + 1, argv + argc, [](const std::string_view arg) {
    return arg == "--help" || arg == "-h" || arg == "--version" || arg == "-v";
  });
  QCoreApplication::setApplicationName(QStringLiteral("ivrin"));
  QCoreApplication::setOrganizationName(QStringLiteral("ivrin"));
  QCoreApplication::setApplicationVersion(QString::fromLatin1(kVersion));
  QCommandLineParser args;
  describe(args);
  if (says) args.process(QCoreApplication(argc, argv)); // ends the program
  App app(argc, argv);
  QApplication::setStyle(QStringLiteral("Fusion"));
  loadFonts();
  loadWords();
  args.process(app);
  if (args.isSet(QStringLiteral("words"))) {
    for (const std::string& line : coreWords()) std::puts(line.c_str());
    return 0;
  }
  const bool shot = args.isSet(QStringLiteral("shot"));
  if (args.isSet(QStringLiteral("text"))) setTextScale(args.value(QStringLiteral("text")).toDouble());

  Session::Options options;
  if (!shot) {
    options.journalFolder = journalFolder();
    for (const QString& f : QSettings().value(QStringLiteral("reach")).toStringList())
      options.reach.emplace_back(f.toStdString());
  }
  if (!shot) {
    options.playback.outputs = realDevices();
    options.playback.choice = OutputActions::storedChoice();
  }
  Session session(std::move(options));
  MainWindow window(session, args.value(QStringLiteral("demo")).toStdString());
  if (args.isSet(QStringLiteral("keys"))) {
    std::fputs(qPrintable(window.keysAsMarkdown()), stdout);
    return 0;
  }
  const QStringList size = args.value(QStringLiteral("size")).split('x');
  if (size.size() == 2) window.resize(size[0].toInt(), size[1].toInt());
  if (args.isSet(QStringLiteral("night"))) window.looks().setNight(true);
  if (!shot) window.keepState();
  app.failed = [&window](const QString& why) {
    window.measure().say(QObject::tr("Ivrin could not finish this: %1. Your song is unchanged.").arg(why), true);
  };
  window.show();
  QString song = args.positionalArguments().isEmpty() ? QString() : args.positionalArguments().front();
  if (song.isEmpty() && !shot) song = MainWindow::lastSong();
  if (!song.isEmpty()) session.files().open(pathOf(song));
  session.files().lookForLeft();
  if (!shot) return QApplication::exec();

  window.files().setAsks(false);
  session.waitUntilIdle();
  for (const QString& step : args.values(QStringLiteral("do")))
    if (const QString why = takeStep(window, step); !why.isEmpty()) {
      std::fprintf(stderr, "ivrin: %s\n", qPrintable(why));
      return 2;
    }
  if (session.isOpen()) session.player().stop();
  QApplication::processEvents();
  window.score().comeToRest();
  session.waitUntilIdle();
  window.score().comeToRest();
  window.tick();
  QWidget* shown = &window;
  if (QWidget* page = window.findChild<QDialog*>(); page && page->isVisible()) shown = page; // what stands over it
  if (!shown->grab().save(args.value(QStringLiteral("shot")))) {
    std::fprintf(stderr, "ivrin: cannot write %s\n", qPrintable(args.value(QStringLiteral("shot"))));
    return 1;
  }
  return 0;
}

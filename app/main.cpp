// ivrin [SONG]: the window. `--shot FILE.png` takes its picture instead of staying open.
#include "app/actions/core_words.h"
#include "app/dialogs/export_dialog.h"
#include "app/dialogs/note_values_page.h"
#include "app/frame/main_window.h"
#include "app/openrow/open_row.h"
#include "app/theme/type.h"
#include "app/theme/words.h"
#include "devices/rtaudio_output.h"
#include "services/memory.h"
#include "song/journal.h"
#include "words/terminal.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QDialog>
#include <QMouseEvent>
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

/// Brings the window into one of the states that the pictures in docs/screenshots show.
bool arrange(MainWindow& w, const QString& view) {
  ScoreView& score = w.score();
  if (view == QLatin1String("score") || view == QLatin1String("empty")) return true;
  if (view == QLatin1String("keys")) {
    w.action(QStringLiteral("keys"))->trigger();
    return true;
  }
  if (view == QLatin1String("export")) {
    (new ExportDialog(QStringLiteral("prints"), &w))->show();
    return true;
  }
  if (view == QLatin1String("selecting")) {
    score.showRange(80, 116, false);
    score.select(Selection{"voice", Beats::ofQuarters(92), Beats::ofQuarters(93.5)});
    return true;
  }
  if (view == QLatin1String("found") || view == QLatin1String("grid")) { // as a new song of these stems is
    Song bare = w.session().song();
    bare.sections.clear();
    bare.landings.clear();
    bare.ornaments = {};
    w.session().edit(QStringLiteral("bare stems"), std::move(bare));
    w.session().waitUntilIdle();
    w.action(QStringLiteral("sections"))->trigger();
    if (view == QLatin1String("grid"))
      w.action(QStringLiteral("gridCheck"))->trigger();
    else
      w.action(QStringLiteral("openings"))->trigger();
    w.session().waitUntilIdle();
    score.showRange(28, 60, false);
    return true;
  }
  if (view == QLatin1String("note-values")) {
    (new NoteValuesPage(w.session().plan()->map(), Beats(0), {}, &w))->show();
    return true;
  }
  if (view == QLatin1String("recipes")) {
    score.goToLanding("s3");
    w.action(QStringLiteral("recipes"))->trigger();
    w.session().waitUntilIdle();
    w.session().player().stop();
    return true;
  }
  if (view == QLatin1String("open-throw")) {
    score.openOrnament("o5");
    return true;
  }
  if (view == QLatin1String("open-curve")) {
    score.openOrnament("o5");
    score.openCurve("feedback_percent");
    return true;
  }
  if (view == QLatin1String("handling")) { // ornaments marked, another one held by its source's end, under the lens
    score.showRange(104, 140, false);
    score.mark({"o7"});
    const QRectF sign = score.signOf("o5");
    const auto mouse = [&](QEvent::Type type, QPointF p, Qt::MouseButtons held) {
      QMouseEvent e(type, p, score.mapToGlobal(p), type == QEvent::MouseMove ? Qt::NoButton : Qt::LeftButton, held,
                    Qt::NoModifier);
      QApplication::sendEvent(&score, &e);
    };
    mouse(QEvent::MouseMove, sign.center(), Qt::NoButton);
    const OrnamentBox* box = score.layoutOfOrnaments().box("o5");
    if (!box) return false;
    const QPointF edge(box->end, box->bracketY);
    mouse(QEvent::MouseButtonPress, edge, Qt::LeftButton);
    mouse(QEvent::MouseMove, edge + QPointF(9, 0), Qt::LeftButton);
    return true;
  }
  if (view == QLatin1String("rows")) { // several rows selected, quiet staves folded
    score.showRange(80, 116, false);
    score.setFoldsQuiet(true);
    score.select(Selection{"voice", Beats::ofQuarters(92), Beats::ofQuarters(93.5), {"bass", "drums"}});
    return true;
  }
  if (view == QLatin1String("open-gap")) {
    score.openOrnament("o7");
    return true;
  }
  if (view.startsWith(QLatin1String("finish-"))) { // an ornament with the first processor of its finish opened
    const QStringList parts = view.split('-');
    const std::string id = parts.value(1).toStdString();
    if (!w.session().song().ornament(id)) return false;
    score.openOrnament(id);
    score.openRow()->openFinish(parts.value(2).toInt());
    return true;
  }
  if (view.startsWith(QLatin1String("tries-"))) { // four tries of an ornament
    const std::string id = view.mid(6).toStdString();
    if (!w.session().song().ornament(id)) return false;
    score.openOrnament(id);
    score.tries().begin();
    score.tries().hear(2);
    return true;
  }
  if (view.startsWith(QLatin1String("open-"))) { // any ornament by its id
    const std::string id = view.mid(5).toStdString();
    if (!w.session().song().ornament(id)) return false;
    score.openOrnament(id);
    return true;
  }
  return false;
}

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
      if (failed) failed(QString::fromUtf8(e.what()));
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
      {{QStringLiteral("shot"), QStringLiteral("take a picture of the window and end"), QStringLiteral("FILE.png")},
       {QStringLiteral("view"),
        QStringLiteral("what the picture shows: score, selecting, rows, handling, open-throw, open-curve, open-gap, "
                       "open-ID, finish-ID-N, tries-ID, keys, export, empty"),
        QStringLiteral("NAME"), QStringLiteral("score")},
       {QStringLiteral("size"), QStringLiteral("of the window"), QStringLiteral("WxH"), QStringLiteral("1280x800")},
       {QStringLiteral("text"), QStringLiteral("scale of all text, 1 to 2; the desktop's otherwise"),
        QStringLiteral("N")},
       {QStringLiteral("night"), QStringLiteral("on dark paper")},
       {QStringLiteral("keys"), QStringLiteral("write the page of keys and end")},
       {QStringLiteral("words"), QStringLiteral("write what the tables say, a line each, and end")},
       {QStringLiteral("demo"), QStringLiteral("where the demo song lies"), QStringLiteral("FILE")}});
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
    options.playback.choice = MainWindow::storedOutputChoice();
  }
  Session session(std::move(options));
  MainWindow window(session, args.value(QStringLiteral("demo")).toStdString());
  if (args.isSet(QStringLiteral("keys"))) {
    std::fputs(qPrintable(window.keysAsMarkdown()), stdout);
    return 0;
  }
  const QStringList size = args.value(QStringLiteral("size")).split('x');
  if (size.size() == 2) window.resize(size[0].toInt(), size[1].toInt());
  if (args.isSet(QStringLiteral("night"))) window.setNight(true);
  if (!shot) window.keepState();
  app.failed = [&window](const QString& why) {
    window.measure().say(QObject::tr("Something went wrong: %1").arg(why), true);
  };
  window.show();
  QString song = args.positionalArguments().isEmpty() ? QString() : args.positionalArguments().front();
  if (song.isEmpty() && !shot) song = MainWindow::lastSong();
  if (!song.isEmpty()) session.files().open(pathOf(song));
  session.files().lookForLeft();
  if (!shot) return QApplication::exec();

  window.setAsksBeforeClosing(false);
  session.waitUntilIdle();
  if (!arrange(window, args.value(QStringLiteral("view")))) {
    std::fprintf(stderr, "ivrin: there is no view %s\n", qPrintable(args.value(QStringLiteral("view"))));
    return 2;
  }
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

// The real main window over a small song of its own, with the stepped output.
#pragma once

#include "app/actions/look_actions.h"
#include "app/actions/output_actions.h"
#include "app/actions/snap_actions.h"
#include "app/frame/main_window.h"
#include "app/openrow/open_row.h"
#include "song/edits.h"
#include "test_support/signals.h"
#include "test_support/test_devices.h"

#include <catch2/catch.hpp>

#include <QTest>
#include <QTimer>
#include <QWheelEvent>

#include <cmath>
#include <fstream>

namespace ivrin::app::test {

using namespace ivrin::test;

/// Sung-like words at the given beats (120 bpm), with harmonics so that filters have something to do.
inline Signal words(std::vector<std::pair<double, double>> beats) {
  return [beats = std::move(beats)](std::int64_t f, int) {
    const double t = static_cast<double>(f) / 48000, b = t * 2;
    for (const auto& [from, to] : beats)
      if (b >= from && b < to) {
        const double envelope = std::min({1.0, (b - from) / 0.04, (to - b) / 0.1});
        return static_cast<float>(0.3 * envelope * (std::sin(2 * M_PI * 330 * t) + 0.5 * std::sin(2 * M_PI * 990 * t)));
      }
    return 0.0f;
  };
}

inline bool writeSmallStems(const TempFolder& dir) {
  constexpr std::int64_t kFrames = 64 * 24000;
  writeWav(dir / "voice.wav", 48000, 1, kFrames,
           words({{1, 2}, {2.5, 4}, {8, 9.5}, {12, 13}, {16, 17}, {24, 26}, {40, 44}}));
  writeWav(dir / "keys.wav", 48000, 2, kFrames, sine(220, 48000, 0.1));
  writeWav(dir / "drums.wav", 48000, 2, kFrames, [n = noise(3, 0.4)](std::int64_t f, int side) {
    return n(f, side) * static_cast<float>(std::exp(-static_cast<double>(f % 24000) / 2000));
  });
  return true;
}

/// Folder with song.ivrin: voice and keys on a bus, drums; 16 bars of 4/4 at 120, sections at bars 1, 5, 9.
inline std::filesystem::path writeSmallSong(const TempFolder& dir) {
  // The stems are computed once for all songs of a run, and decoded once: the rig's store is one too.
  static const TempFolder stems;
  static const bool written = writeSmallStems(stems);
  static_cast<void>(written);
  for (const char* id : {"voice", "keys", "drums"}) {
    const std::string name = std::string(id) + ".wav";
    std::filesystem::create_hard_link(stems / name, dir / name);
  }
  Song s;
  s.title = "Small";
  s.key = Key{9, true};
  s.sections = {{"a", Beats(0), "One"}, {"b", Beats::ofQuarters(16), "Two"}, {"c", Beats::ofQuarters(32), "Three"}};
  s.buses = {{"music", "Music", {}}};
  for (const char* id : {"voice", "keys", "drums"}) {
    Stem stem;
    stem.id = id;
    stem.name = std::string(1, static_cast<char>(std::toupper(id[0]))) + (id + 1);
    stem.file = std::string(id) + ".wav";
    if (std::string(id) == "keys") stem.bus = "music";
    s.stems.push_back(stem);
  }
  std::ofstream(dir / "song.ivrin") << writeSong(s, allKinds().registry());
  return dir / "song.ivrin";
}

struct Rig {
  explicit Rig(std::filesystem::path journal = {}) {
    Session::Options o;
    static const TempFolder store;
    static const auto findings = std::make_shared<Findings>();
    o.cacheFolder = store.path();
    o.findings = findings;
    o.journalFolder = std::move(journal);
    o.playback.stepped = true;
    devices = std::make_shared<TestDevices>();
    o.playback.outputs = devices;
    session = std::make_unique<Session>(std::move(o));
    window = std::make_unique<MainWindow>(*session, std::filesystem::path());
    window->files().setAsks(false);
    window->resize(1280, 800);
    window->show();
    window->activateWindow();
    static_cast<void>(QTest::qWaitForWindowActive(window.get()));
  }
  ~Rig() { window->close(); }
  void open(const std::filesystem::path& f) {
    session->files().open(f);
    session->waitUntilIdle();
    settleView();
  }
  /// Whether it was saved.
  bool save(const std::filesystem::path& f) {
    bool saved = false;
    session->files().save(f, [&saved](bool ok) { saved = ok; });
    session->waitUntilIdle();
    return saved;
  }
  /// Beside a window that has it.
  void openReadOnly(const std::filesystem::path& f) {
    session->files().open(f, SongFiles::OpenAs{true, false, {}});
    session->waitUntilIdle();
    settleView();
  }
  /// The eased view comes to its end at once, and the window draws what moves by itself; no time passes.
  void settleView() {
    QCoreApplication::processEvents(); // what was posted begins
    score().comeToRest();
    window->tick();
    QCoreApplication::processEvents();
    CHECK(score().atRest());
  }
  ScoreView& score() { return window->score(); }
  QPoint at(const std::string& row, double beat) {
    return {static_cast<int>(std::lround(score().axis().xOf(Beats::ofQuarters(beat)))),
            score().staffOf(row).center().y()};
  }
  void select(const std::string& row, double from, double to, Qt::KeyboardModifiers m = {}) {
    QTest::mousePress(&score(), Qt::LeftButton, m, at(row, from));
    QTest::mouseMove(&score(), (at(row, from) + at(row, to)) / 2);
    moveTo(&score(), at(row, to), m);
    QTest::mouseRelease(&score(), Qt::LeftButton, m, at(row, to));
  }
  /// A move with the button held, as a drag has it.
  static void moveTo(QWidget* w, QPoint p, Qt::KeyboardModifiers m = {}) {
    QMouseEvent e(QEvent::MouseMove, QPointF(p), w->mapToGlobal(QPointF(p)), Qt::NoButton, Qt::LeftButton, m);
    QApplication::sendEvent(w, &e);
  }
  void drag(QWidget* w, QPoint from, QPoint to, Qt::KeyboardModifiers m = {}) {
    QTest::mousePress(w, Qt::LeftButton, m, from);
    for (int i = 1; i <= 8; ++i) moveTo(w, from + (to - from) * i / 8, m);
    QTest::mouseRelease(w, Qt::LeftButton, m, to);
  }
  void key(Qt::Key k, Qt::KeyboardModifiers m = {}) {
    QTest::keyClick(window->focusWidget() ? window->focusWidget() : window.get(), k, m);
  }
  /// As fingers do: every key to what has the focus then.
  void type(QWidget* w, const char* text) {
    w->setFocus();
    for (const char* c = text; *c; ++c) QTest::keyClick(QApplication::focusWidget(), *c);
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
  }
  /// Places an ornament as the sign strip would, and folds its row again; returns its id.
  std::string place(const char* kind, const char* row, double from, double to) {
    score().select(Selection{row, Beats::ofQuarters(from), Beats::ofQuarters(to)});
    score().placeOnSelection(kind);
    settle();
    const std::string id = session->chosen();
    INFO(kind << " on " << row << " from " << from << " to " << to);
    REQUIRE(session->song().ornament(id)); // where nothing sounds it is refused
    session->player().stop();
    score().opened().close();
    settleView();
    return id;
  }
  /// The same, with its row open.
  std::string placeOpen(const char* kind, const char* row, double from, double to) {
    const std::string id = place(kind, row, from, to);
    score().opened().open(id);
    settle();
    return id;
  }
  /// The middle of a handle of the open row.
  QPoint handle(const char* name) { return score().opened().handleRect(QString::fromLatin1(name)).center().toPoint(); }
  const Ornament& ornament(const std::string& id) { return *session->song().ornament(id); }
  void hoverAt(QPointF p) {
    QMouseEvent e(QEvent::MouseMove, p, score().mapToGlobal(p), Qt::NoButton, Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(&score(), &e);
  }
  void settle() {
    session->waitUntilIdle();
    settleView();
  }
  StereoBuffer hear(std::int64_t frames) {
    out().forgetRecording();
    out().step(frames);
    return out().recorded();
  }
  SimulatedOutput& out() { return *devices->out; }

  std::shared_ptr<TestDevices> devices;
  std::unique_ptr<Session> session;
  std::unique_ptr<MainWindow> window;
};

/// A turn of the wheel over a point; 120 is one step, forwards over 0.
inline void turnWheel(QWidget& over, QPointF at, int angle, Qt::KeyboardModifiers held = {}) {
  QWheelEvent e(at, over.mapToGlobal(at), {}, {0, angle}, Qt::NoButton, held, Qt::NoScrollPhase, false);
  QApplication::sendEvent(&over, &e);
}

/// What was placed last.
inline const Ornament& last(const Rig& rig) {
  return *rig.session->song().ornaments.back();
}

/// A folder that outlives the rig over it.
struct SongFolder {
  TempFolder dir;
};

/// The window with the small song open.
struct SmallSongRig : SongFolder, Rig {
  explicit SmallSongRig(std::filesystem::path journal = {})
      : Rig(std::move(journal)) {
    open(writeSmallSong(dir));
  }
};

/// How many pixels of an area are within `reach` (sum over the channels) of a colour.
inline int pixelsNear(const QImage& image, const QRect& area, const QColor& colour, int reach = 40) {
  int n = 0;
  for (int y = area.top(); y <= area.bottom(); ++y)
    for (int x = area.left(); x <= area.right(); ++x) {
      const QColor c = image.pixelColor(x, y);
      if (std::abs(c.red() - colour.red()) + std::abs(c.green() - colour.green()) + std::abs(c.blue() - colour.blue()) <
          reach)
        ++n;
    }
  return n;
}

/// Runs once a dialog of this type is up.
template <class Dialog> void whenUp(std::function<void(Dialog*)> act) {
  auto* timer = new QTimer(qApp);
  timer->setInterval(10);
  QObject::connect(timer, &QTimer::timeout, timer, [timer, act] {
    if (auto* d = qobject_cast<Dialog*>(QApplication::activeModalWidget())) {
      timer->stop();
      timer->deleteLater();
      act(d);
    }
  });
  timer->start();
}

inline double setting(const Ornament& o, const char* key) {
  return *settingOr(allKinds().find(o.kind)->table(), o.settings, key).number();
}
inline std::string textSetting(const Ornament& o, const char* key) {
  return *settingOr(allKinds().find(o.kind)->table(), o.settings, key).text();
}

} // namespace ivrin::app::test

// Painting and start-up, offscreen.
#include "bench.h"

#include "app/actions/look_actions.h"
#include "app/actions/output_actions.h"
#include "app/actions/snap_actions.h"
#include "app/frame/main_window.h"
#include "app/session/recipe_trial.h"
#include "files/song_file.h"
#include "song/edits.h"
#include "test_support/bench_song.h"
#include "test_support/places.h"
#include "test_support/test_devices.h"

#include <QApplication>
#include <QImage>
#include <QPainter>
#include <QThread>

#include <cstdlib>
#include <fstream>

namespace ivrin::bench {
using namespace ivrin::app;
using namespace ivrin::test;
namespace {

Session::Options options(const std::filesystem::path& cache, SimulatedOutput::Mode mode) {
  Session::Options o;
  o.cacheFolder = cache;
  o.playback.stepped = mode == SimulatedOutput::Mode::stepped;
  o.playback.outputs = std::make_shared<TestDevices>(mode);
  return o;
}

struct Shown {
  Shown(const std::filesystem::path& cache, const std::filesystem::path& song, QSize size,
        SimulatedOutput::Mode mode = SimulatedOutput::Mode::stepped)
      : session(options(cache, mode))
      , window(session, {}) {
    window.files().setAsks(false);
    window.resize(size);
    window.show();
    session.files().open(song);
  }
  Session session;
  MainWindow window;
};

} // namespace

namespace {

void benchScrolling() {
  const auto t = bigSong(23, 60, 40);
  t->plan();
  std::ofstream(t->folder / "song.ivrin") << writeSong(t->song, allKinds().registry());
  Shown s(t->folder / "cache", t->folder / "song.ivrin", {2560, 1440});
  s.session.waitUntilIdle();
  ScoreView& score = s.window.score();
  QImage screen(s.window.size(), QImage::Format_RGB32);
  std::vector<double> scrolling, zooming, painting, bare;
  score.showRange(0, 64, false);
  QApplication::processEvents();
  for (int i = 0; i < 300; ++i) {
    const double start = now();
    score.scrollBy(i < 150 ? 9 : -9);
    QApplication::processEvents();
    scrolling.push_back((now() - start) * 1e3);
  }
  for (int i = 0; i < (std::getenv("IVRIN_BENCH_LONG") ? 1500 : 120); ++i) {
    const double start = now();
    score.zoom(i % 40 < 20 ? 1.05 : 1 / 1.05, 1400);
    QApplication::processEvents();
    zooming.push_back((now() - start) * 1e3);
    const double paint = now();
    score.render(&screen);
    painting.push_back((now() - paint) * 1e3);
    // The reference: filling as many pixels, twice (ground and wave).
    const double again = now();
    for (int k = 0; k < 2; ++k) screen.fill(qRgb(k, 2, 3));
    keep(screen.bits());
    bare.push_back((now() - again) * 1e3);
  }
  spread("scrolling the score, 24 rows with prints, 2560 x 1440, with the flush", "<= 2 ms", scrolling);
  spread("zooming it (everything painted), with the flush", "median <= 8 ms, p99 <= 16 ms", zooming);
  spread("painting all of it into an image", "median <= 8 ms, p99 <= 16 ms", painting);
  spread("  reference: filling that many pixels twice", "-", bare);
  std::vector<double> opening;
  for (int i = 0; i < 120; ++i) {
    const std::string id = t->ornaments[static_cast<std::size_t>(i % 30)].id;
    const double start = now();
    score.opened().open(id);
    QApplication::processEvents(); // its first picture; the eased way goes on from there
    opening.push_back((now() - start) * 1e3);
    score.opened().close();
    QApplication::processEvents();
  }
  spread("opening a row, to its first picture", "two frames: <= 33 ms", opening);
}

void benchOpening() {
  const std::filesystem::path song = sourceFolder() / "demo/song/lantern-ferry.ivrin";
  const TempFolder cache;
  std::vector<double> ms;
  for (int i = 0; i < 9; ++i) {
    const double start = now();
    Shown s(cache.path(), song, {1280, 800});
    while (!s.session.isOpen()) QApplication::processEvents();
    s.window.grab();
    if (i > 0) ms.push_back((now() - start) * 1e3); // the first one fills the cache
  }
  spread("start to the first picture of the demo song, warm cache (in process)", "<= 700 ms", ms);
}

/// Tempo, sections and openings of 16 stems are found while the score is scrolled and drawn.
void benchFinding() {
  const auto t = bigSong(16, 240, 0);
  t->plan();
  std::ofstream(t->folder / "song.ivrin") << writeSong(t->song, allKinds().registry());
  Shown s(t->folder / "cache", t->folder / "song.ivrin", {1280, 800});
  while (!s.session.isOpen()) QApplication::processEvents();
  s.session.findings().lookForGrid();
  s.session.findings().lookForSections();
  s.session.findings().lookForOpenings();
  std::vector<double> ms;
  for (int frame = 0; s.session.working() || frame < 100; ++frame) {
    const double start = now(), until = start + 1.0 / 60;
    s.window.score().showRange(frame % 300, 32 + frame % 300, false);
    s.window.tick();
    QApplication::processEvents();
    ms.push_back((now() - start) * 1e3);
    while (now() < until) QThread::msleep(1);
  }
  spread("a picture's events while 16 stems of 4 minutes are listened to", "p99 <= 16 ms", ms);
}

/// Recipes at the chorus of the demo song, one after another, as the card hears them.
void benchRecipes() {
  const TempFolder cache;
  Shown s(cache.path(), sourceFolder() / "demo/song/lantern-ferry.ivrin", {1280, 800}, SimulatedOutput::Mode::realTime);
  s.session.waitUntilIdle();
  RecipeTrial trial(s.session);
  bool made = false;
  double first = 0; // when the player was given the first part
  QObject::connect(&trial, &RecipeTrial::heardAnother, [&] { first = now(); });
  QObject::connect(&trial, &RecipeTrial::whole, [&] { made = true; });
  std::vector<double> ms, events, sounds;
  s.session.player().play(s.session.plan()->map().frameAt(Beats::ofQuarters(112)));
  const auto wait = [&](double start) {
    first = 0;
    double heard = 0; // it plays
    while (!made || heard == 0) {
      if (heard == 0 && first > 0 && s.session.player().newestPlanHeard()) heard = now();
      QApplication::processEvents(QEventLoop::AllEvents, 1);
    }
    ms.push_back((now() - start) * 1e3);
    sounds.push_back((heard - start) * 1e3);
  };
  eventTimes().clear();
  eventOwnTimes().clear();
  double start = now();
  trial.begin("s4");
  wait(start);
  for (std::size_t i = 1; i < trial.all().size(); ++i) {
    made = false;
    start = now();
    trial.hear(i);
    wait(start);
  }
  for (const double took : eventTimes())
    if (took > 0.2) events.push_back(took); // the rest is nothing
  const double longest = *std::max_element(events.begin(), events.end());
  trial.letGo();
  spread("a recipe at the demo's chorus: the press to all of it placed", "<= 900 ms", ms);
  spread("  and to its first sound in the player", "<= 300 ms", sounds);
  spread("  the window's events meanwhile", "<= 16 ms", events);
  char text[40];
  std::snprintf(text, sizeof text, "%.1f ms", longest);
  line("  the longest of them", text, "<= 16 ms");
  std::snprintf(text, sizeof text, "%.1f ms", *std::max_element(eventOwnTimes().begin(), eventOwnTimes().end()));
  line("  and in the window's own time", text, "<= 16 ms");
}

/// A handle is dragged while the song plays: from the mouse's move to the new sound in the player.
void benchDragging() {
  const TempFolder cache;
  Shown s(cache.path(), sourceFolder() / "demo/song/lantern-ferry.ivrin", {1280, 800}, SimulatedOutput::Mode::realTime);
  s.session.waitUntilIdle();
  std::string id;
  for (const auto& o : s.session.song().ornaments)
    if (id.empty() && allKinds().find(o->kind)->table().find("feedback_percent")) id = o->id;
  s.window.score().opened().open(id);
  s.session.waitUntilIdle();
  s.window.action(QStringLiteral("audition"))->trigger();
  std::vector<double> ms;
  for (int i = 0; i < 300; ++i) {
    const double start = now();
    s.session.edit(QStringLiteral("drag"), withSetting(s.session.song(), id, "feedback_percent", 30.0 + i % 40),
                   "drag");
    while (!s.session.player().newestPlanHeard()) QApplication::processEvents(QEventLoop::AllEvents, 1);
    ms.push_back((now() - start) * 1e3);
    const double until = now() + 0.012; // as often as a mouse moves
    while (now() < until) QApplication::processEvents(QEventLoop::AllEvents, 2);
  }
  if (!s.session.history().canUndo()) throw std::runtime_error("nothing was dragged");
  spread("a handle dragged while playing: the move to its sound in the player", "median <= 20 ms, p99 <= 50 ms", ms);
}

} // namespace

void windowBenchmarks() {
  benchScrolling();
  benchOpening();
  benchFinding();
  benchRecipes();
  benchDragging();
}

} // namespace ivrin::bench

// The real window, driven by mouse and keys, checked through the song it makes and the sound that comes out.
#include "rig.h"

#include "app/dialogs/export_dialog.h"
#include "app/theme/palette.h"
#include "dsp/dynamics/mix_limiter.h"

#include "test_support/places.h"
#include <catch2/catch.hpp>

#include <QDialogButtonBox>
#include <QDropEvent>
#include <QMimeData>
#include <QPushButton>
#include <QSet>
#include <QTimer>

#include <sstream>
#include <sys/wait.h>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

TEST_CASE("the whole first run by mouse: select, throw, hear, change, undo, save, reopen, export",
          "[window][display]") {
  SmallSongRig rig;
  REQUIRE(rig.session->isOpen());
  rig.score().showRange(0, 20, false);

  // A stretch of the voice is selected with the mouse; it snaps to sixteenths.
  rig.select("voice", 8.07, 9.47);
  REQUIRE(rig.score().selection());
  CHECK(rig.score().selection()->row == "voice");
  CHECK(rig.score().selection()->begin == Beats::ofQuarters(8));
  CHECK(rig.score().selection()->end == Beats::ofQuarters(9.5));

  // One key places a delay throw; it opens and sounds in a loop.
  rig.key(Qt::Key_D);
  rig.settle();
  REQUIRE(rig.session->song().ornaments.size() == 1);
  const Ornament placed = *rig.session->song().ornaments[0];
  CHECK(placed.kind == "delay-throw");
  CHECK(placed.start == Beats::ofQuarters(8));
  CHECK(placed.length == Beats::ofQuarters(1.5));
  CHECK(rig.score().opened().isOpen());
  CHECK(rig.session->player().playing());

  // Its echoes are drawn over the row from the computed sound: ink in the tail's colour where the echoes are.
  const QImage shot = rig.score().grab().toImage();
  const QRect area = rig.score().openArea();
  const int x1 = static_cast<int>(rig.score().axis().xOf(Beats::ofQuarters(9.6))),
            x2 = static_cast<int>(rig.score().axis().xOf(Beats::ofQuarters(11)));
  CHECK(pixelsNear(shot, QRect(x1, area.top(), x2 - x1, area.height()), paper().blue, 120) > 300);

  // What is heard, with the click off, are the samples of the export: from the loop's begin on.
  rig.session->player().stop();
  rig.hear(2048);
  rig.window->action("loop")->setChecked(false);
  rig.session->player().setLoop(std::nullopt);
  const auto plan = rig.session->plan();
  const Frames from = plan->map().frameAt(Beats::ofQuarters(8));
  rig.session->player().setPosition(from);
  rig.key(Qt::Key_Space);
  const StereoBuffer heard = rig.hear(96000);
  Evaluator e(*plan, Evaluator::Missing::compute);
  MixLimiter limiter(48000, -1, [&](Frames at, StereoSpan out) { e.mix(at, out); });
  StereoBuffer want(96000);
  limiter.read(from, want.span());
  const std::int64_t delay = Player::monitorDelay(48000);
  for (std::int64_t i = 500; i < 95000; ++i) REQUIRE(heard.left()[i + delay] == want.left()[i]);

  // In time with the click: it is there, on the beat.
  rig.key(Qt::Key_F3);
  rig.hear(4800);
  const StereoBuffer clicked = rig.hear(48000);
  CHECK(largest(clicked) > largest(heard) * 0.5f);
  rig.key(Qt::Key_F3);
  rig.key(Qt::Key_Space);
  CHECK_FALSE(rig.session->player().playing());

  // Time and feedback are changed at the handles of the drawing.
  const QPoint head = rig.score().opened().handleRect("time").center().toPoint();
  const std::string before = textSetting(placed, "time_left");
  rig.drag(&rig.score(), head, head + QPoint(static_cast<int>(rig.score().axis().pxPerBeat * 0.25), 0));
  const std::string after = textSetting(*rig.session->song().ornaments[0], "time_left");
  CHECK(after != before);
  CHECK(textSetting(*rig.session->song().ornaments[0], "time_right") == after);
  const QPoint slope = rig.score().opened().handleRect("slope").center().toPoint();
  const double feedback = setting(*rig.session->song().ornaments[0], "feedback_percent");
  rig.drag(&rig.score(), slope, slope - QPoint(0, 20));
  CHECK(setting(*rig.session->song().ornaments[0], "feedback_percent") > feedback);
  rig.settle();

  // Each drag is one step of undo, with words.
  CHECK(rig.session->history().undoLabel() == "feedback of delay throw");
  const Song latest = rig.session->song();
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(setting(*rig.session->song().ornaments[0], "feedback_percent") == feedback);
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(*rig.session->song().ornaments[0] == placed);
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song().ornaments.empty());
  CHECK_FALSE(rig.score().opened().isOpen());
  for (int i = 0; i < 3; ++i) rig.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(rig.session->song() == latest);

  // Saved and opened again it is the same song.
  rig.key(Qt::Key_S, Qt::ControlModifier);
  rig.session->waitUntilIdle();
  CHECK_FALSE(rig.session->history().changedSinceSave());
  Rig again;
  again.openReadOnly(rig.dir / "song.ivrin");
  CHECK(again.session->song() == latest);

  // The window's export and the command line's render are the same bytes.
  ExportOptions o;
  o.stems = o.ornaments = true;
  rig.session->exports().exportTo(rig.dir / "window", o);
  rig.session->waitUntilIdle();
  const std::string line = "XDG_CACHE_HOME='" + (rig.dir / "c").string() + "' '" + cliProgram() + "' render '" +
                           (rig.dir / "song.ivrin").string() + "' --what mix,stems,ornaments --threads 1 --out '" +
                           (rig.dir / "cli").string() + "' > /dev/null 2>&1";
  REQUIRE(std::system(line.c_str()) == 0);
  for (const char* f : {"mix.wav", "stems/voice.wav", "stems/music.wav", "stems/mix.wav", "ornaments/o1.wav"}) {
    INFO(f);
    CHECK(fileBytes(rig.dir / (std::string("window/") + f)).size() > 1000000);
    CHECK(fileBytes(rig.dir / (std::string("window/") + f)) == fileBytes(rig.dir / (std::string("cli/") + f)));
  }
}

TEST_CASE("the same by keyboard alone", "[window]") {
  SmallSongRig rig;
  rig.score().setFocus();
  rig.key(Qt::Key_Home);
  for (int i = 0; i < 32; ++i) rig.key(Qt::Key_Right); // eight beats of sixteenths
  CHECK(rig.score().caret().at() == Beats::ofQuarters(8));
  for (int i = 0; i < 6; ++i) rig.key(Qt::Key_Right, Qt::ShiftModifier);
  REQUIRE(rig.score().selection());
  CHECK(rig.score().selection()->range() == BeatRange{Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.key(Qt::Key_D);
  rig.settle();
  REQUIRE(rig.session->song().ornaments.size() == 1);
  CHECK(rig.session->song().ornaments[0]->on == "voice");
  NumberField* feedback = rig.score().opened().row()->field("feedback_percent");
  REQUIRE(feedback);
  rig.type(feedback, "66");
  CHECK(setting(*rig.session->song().ornaments[0], "feedback_percent") == 66);
  QTest::keyClick(feedback, Qt::Key_Up);
  QTest::keyClick(feedback, Qt::Key_Up);
  CHECK(setting(*rig.session->song().ornaments[0], "feedback_percent") == 68);
  rig.key(Qt::Key_Escape);
  rig.settle();
  CHECK_FALSE(rig.score().opened().isOpen());
  rig.key(Qt::Key_Return); // the ornament at the caret opens again
  CHECK(rig.score().opened().isOpen());
  rig.key(Qt::Key_Delete);
  CHECK(rig.session->song().ornaments.empty());
}

TEST_CASE("what cannot be, cannot be entered, and says why", "[window]") {
  SmallSongRig rig;
  rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.score().placeOnSelection("delay-throw");
  rig.settle();
  const Song before = rig.session->song();
  NumberField* feedback = rig.score().opened().row()->field("feedback_percent");
  rig.type(feedback, "250");
  CHECK(rig.session->song() == before);
  CHECK(feedback->note().contains("0..200 %"));
  QTest::keyClick(feedback->findChild<QLineEdit*>(), Qt::Key_Escape);
  CHECK(feedback->note().isEmpty());
  for (int i = 0; i < 400; ++i) QTest::keyClick(feedback, Qt::Key_PageUp);
  CHECK(setting(*rig.session->song().ornaments[0], "feedback_percent") == 200);
  CHECK(rig.score().opened().row()->sentence().startsWith("grows"));
  CHECK(rig.score().opened().row()->sentenceWarns());
}

TEST_CASE("every setting of both kinds is reachable and editable in the open row at 1280 × 800", "[window]") {
  SmallSongRig rig;
  for (const char* kind : {"delay-throw", "gap"}) {
    rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
    rig.score().placeOnSelection(kind);
    rig.settle();
    for (const SettingSpec& s : allKinds().find(kind)->table().settings) {
      NumberField* f = rig.score().opened().row()->field(s.key);
      INFO(kind << "." << s.key);
      REQUIRE(f);
      CHECK(f->isVisible());
      CHECK(f->height() >= 20);
      // Whole inside the window, and apart from its neighbours.
      const QRect r(f->mapTo(rig.window.get(), QPoint()), f->size());
      CHECK(QRect(0, 0, 1280, 800).contains(r));
      for (const SettingSpec& other : allKinds().find(kind)->table().settings)
        if (NumberField* g = rig.score().opened().row()->field(other.key); g != f)
          CHECK_FALSE(r.intersects(QRect(g->mapTo(rig.window.get(), QPoint()), g->size())));
      f->setFocus();
      const Song before = rig.session->song();
      QTest::keyClick(f, Qt::Key_Up);
      if (rig.session->song() == before) QTest::keyClick(f, Qt::Key_Down);
      CHECK_FALSE(rig.session->song() == before);
    }
    rig.key(Qt::Key_Escape);
    rig.settleView();
  }
}

TEST_CASE("a gap on the mix by its key leaves the throw's tail sounding", "[window]") {
  SmallSongRig rig;
  rig.place("delay-throw", "voice", 12, 13);
  rig.score().showRange(8, 20, false);
  rig.select("mix", 14, 16);
  rig.key(Qt::Key_Z);
  rig.settle();
  REQUIRE(rig.session->song().ornaments.size() == 2);
  CHECK(rig.session->song().ornaments[1]->on == "mix");
  CHECK(rig.session->song().ornaments[1]->landing == "b"); // it ends on the section
  rig.session->player().stop();
  rig.hear(1024);
  rig.session->player().setLoop(std::nullopt);
  rig.session->player().play(rig.session->plan()->map().frameAt(Beats::ofQuarters(14.2)));
  const StereoBuffer heard = rig.hear(36000), tail = printOf(*rig.session->plan(), "o1");
  const std::int64_t offset = rig.session->plan()->map().frameAt(Beats::ofQuarters(14.2)).count -
                              rig.session->plan()->node("o1")->print->first().count,
                     delay = Player::monitorDelay(48000);
  for (std::int64_t i = 1000; i < 35000; ++i) REQUIRE(heard.left()[i + delay] == tail.left()[offset + i]);
  CHECK(rmsDb(heard.left(), 36000) > -60);
}

TEST_CASE("with and without: the open ornament is left out, and comes back", "[window]") {
  SmallSongRig rig;
  rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.score().placeOnSelection("delay-throw");
  rig.settle();
  rig.session->player().stop();
  rig.hear(1024);
  rig.session->player().setLoop(std::nullopt);
  const auto level = [&] {
    rig.session->player().play(rig.session->plan()->map().frameAt(Beats::ofQuarters(9.6)));
    const StereoBuffer b = rig.hear(40000);
    rig.session->player().stop();
    rig.hear(1024);
    return toneLevel(b.left() + 4000, 30000, 990, 48000);
  };
  const double with = level();
  QTest::mouseClick(rig.window->head().button("with"), Qt::LeftButton);
  const double without = level();
  rig.key(Qt::Key_W);
  CHECK(level() == Approx(with).epsilon(1e-6));
  CHECK(with > 4 * without);
  CHECK(rig.session->song().ornaments[0]->enabled); // listening changes no song
}

TEST_CASE("Esc folds the row and gives the former view back; the open row shows lead-in to tail", "[window]") {
  SmallSongRig rig;
  rig.score().showRange(2, 30, false);
  rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.score().placeOnSelection("delay-throw");
  rig.settle();
  const auto node = rig.session->plan()->node("o1");
  CHECK(rig.score().axis().left < 8);
  CHECK(rig.score().axis().left > 6);
  CHECK(rig.score().axis().right() > 9.5);
  CHECK(rig.score().staffOf("voice").height() > 3 * rig.score().staffOf("drums").height());
  rig.key(Qt::Key_Escape);
  rig.settleView();
  CHECK(rig.score().axis().left == Approx(2).margin(1e-6));
  CHECK(rig.score().axis().right() == Approx(30).margin(1e-6));
  // A click on its sign opens it again.
  QTest::mouseClick(&rig.score(), Qt::LeftButton, {}, rig.score().signOf("o1").center().toPoint());
  CHECK(rig.score().opened().isOpen());
}

TEST_CASE("source edges are dragged with the grid, freely with Alt", "[window][display]") {
  SmallSongRig rig;
  rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.score().placeOnSelection("delay-throw");
  rig.settle();
  const double px = rig.score().axis().pxPerBeat;
  QPoint edge = rig.score().opened().handleRect("end").center().toPoint();
  rig.drag(&rig.score(), edge, edge + QPoint(static_cast<int>(px * 0.45), 0));
  CHECK(rig.session->song().ornaments[0]->span().end == Beats::ofQuarters(10));
  edge = rig.score().opened().handleRect("begin").center().toPoint();
  rig.drag(&rig.score(), edge, edge + QPoint(static_cast<int>(px * 0.13), 0), Qt::ShiftModifier);
  CHECK(rig.session->song().ornaments[0]->start.quarters() == Approx(8.13).margin(0.03));
  CHECK(rig.session->song().ornaments[0]->span().end == Beats::ofQuarters(10));
}

TEST_CASE("mute, solo and gain of a row by mouse", "[window]") {
  SmallSongRig rig;
  const auto find = [&](const char* name) {
    for (QWidget* w : rig.score().findChildren<QWidget*>())
      if (w->accessibleName() == QLatin1String(name)) return w;
    return static_cast<QWidget*>(nullptr);
  };
  QTest::mouseClick(find("Mute Drums"), Qt::LeftButton);
  CHECK(rig.session->song().rowMix("drums").mute);
  CHECK(rig.session->history().undoLabel() == "mute of Drums");
  QTest::mouseClick(find("Solo Voice"), Qt::LeftButton);
  CHECK(rig.session->song().rowMix("voice").solo);
  QWidget* gain = find("Gain of Keys");
  rig.drag(gain, QPoint(10, 10), QPoint(10, 10 + 24)); // six steps of half a decibel down
  CHECK(rig.session->song().rowMix("keys").gainDb == -3);
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song().rowMix("keys").gainDb == 0); // one step
}

TEST_CASE("a click places the playhead, the ruler too; landings and the form line travel", "[window]") {
  SmallSongRig rig;
  rig.score().showRange(0, 24, false);
  QTest::mouseClick(&rig.score(), Qt::LeftButton, {}, rig.at("drums", 5.03));
  CHECK(rig.session->player().position() == rig.session->plan()->map().frameAt(Beats::ofQuarters(5)));
  CHECK(rig.window->head().positionText() == "2.2.1");
  QTest::mouseClick(&rig.score(), Qt::LeftButton, {}, QPoint(rig.at("drums", 7.5).x(), 6));
  CHECK(rig.window->head().positionText() == "2.4.3");
  rig.key(Qt::Key_PageDown);
  rig.settleView();
  REQUIRE(rig.score().landing());
  const std::string first = rig.score().landing()->id;
  rig.key(Qt::Key_PageUp);
  rig.settleView();
  CHECK(rig.score().landing()->id != first);
  CHECK(rig.score().landing()->at.quarters() > rig.score().axis().left);
  CHECK(rig.score().landing()->at.quarters() < rig.score().axis().right());
  QTest::mouseClick(&rig.window->form(), Qt::LeftButton, {},
                    QPoint(static_cast<int>(rig.window->form().xOf(Beats::ofQuarters(48))), 30));
  CHECK((rig.score().axis().left + rig.score().axis().right()) / 2 == Approx(48).margin(0.5));
}

TEST_CASE("dropped stems make a new song at the tempo that is heard in them", "[window][display]") {
  const TempFolder dir;
  writeSmallSong(dir);
  writeWav(dir / "drums.wav", 48000, 1, 48000 * 24, [n = noise(3, 0.4)](std::int64_t f, int side) { // 100 BPM
    const double in = static_cast<double>(f % 28800) / 48000;
    return in < 0.05 ? n(f, side) * static_cast<float>(std::exp(-80 * in)) : 0.0f;
  });
  Rig rig;
  QMimeData data;
  data.setUrls({QUrl::fromLocalFile(QString::fromStdString((dir / "voice.wav").string())),
                QUrl::fromLocalFile(QString::fromStdString((dir / "drums.wav").string()))});
  QDragEnterEvent enter(QPoint(200, 200), Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(rig.window.get(), &enter);
  CHECK(enter.isAccepted());
  QDropEvent drop(QPointF(200, 200), Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(rig.window.get(), &drop);
  REQUIRE(QTest::qWaitFor([&] { return rig.session->isOpen(); }, 60000));
  rig.settle();
  CHECK(rig.session->song().stems.size() == 2);
  CHECK(rig.session->song().stems[0].name == "Voice");
  CHECK(rig.session->song().tempo[0].bpm == 100);
  CHECK(rig.session->history().changedSinceSave());
  // Saved beside its stems it names them from there.
  REQUIRE(rig.save(dir / "new.ivrin"));
  CHECK(rig.session->song().stems[0].file == (dir / "voice.wav").string());
  CHECK(fileBytes(dir / "new.ivrin").find("\"file\": \"voice.wav\"") != std::string::npos);
  Rig again;
  again.openReadOnly(dir / "new.ivrin");
  CHECK(again.session->song() == rig.session->song());
}

TEST_CASE("files that are wrong say so by name, and what was open stays", "[window]") {
  SmallSongRig rig;
  const Song before = rig.session->song();
  std::ofstream(rig.dir / "broken.ivrin") << "{ not a song";
  rig.open(rig.dir / "broken.ivrin");
  CHECK(rig.window->measure().said().contains("broken.ivrin"));
  CHECK(rig.session->song() == before);
  rig.open(rig.dir / "gone.ivrin");
  CHECK(rig.window->measure().said().contains("gone.ivrin"));
  CHECK(rig.session->song() == before);
  std::ofstream(rig.dir / "later.ivrin") << "{\"format\": \"ivrin-song\", \"version\": 9}";
  rig.open(rig.dir / "later.ivrin");
  CHECK(rig.window->measure().said().contains("newer version of Ivrin"));
}

TEST_CASE("a song with a missing stem opens, the row is marked, the rest sounds", "[window]") {
  const TempFolder dir;
  const auto file = writeSmallSong(dir);
  std::filesystem::remove(dir / "keys.wav");
  Rig rig;
  rig.open(file);
  REQUIRE(rig.session->isOpen());
  CHECK(rig.session->stems().problem("keys").contains("keys.wav"));
  CHECK(rig.window->measure().said().contains("keys.wav"));
  rig.session->player().play(rig.session->plan()->map().frameAt(Beats::ofQuarters(8)));
  CHECK(largest(rig.hear(24000)) > 0.1f);
  rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.score().placeOnSelection("delay-throw");
  rig.settle();
  CHECK(rig.session->song().ornaments.size() == 1);
}

TEST_CASE("the export dialog writes what is ticked; cancelling leaves nothing half written", "[window]") {
  SmallSongRig rig;
  whenUp<ExportDialog>([](ExportDialog* d) {
    d->findChild<QCheckBox*>("export-stems")->setChecked(false);
    d->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok)->click();
  });
  rig.key(Qt::Key_E, Qt::ControlModifier);
  rig.session->waitUntilIdle();
  CHECK(std::filesystem::exists(rig.dir / "prints/mix.wav"));
  CHECK_FALSE(std::filesystem::exists(rig.dir / "prints/stems"));
  CHECK(rig.window->measure().said().contains("1 file written"));
  ExportOptions o;
  o.stems = true;
  rig.session->exports().exportTo(rig.dir / "more", o);
  rig.session->exports().cancel();
  rig.session->waitUntilIdle();
  int halves = 0;
  if (std::filesystem::exists(rig.dir / "more"))
    for (const auto& f : std::filesystem::recursive_directory_iterator(rig.dir / "more"))
      if (f.is_regular_file()) halves += readWav(f.path()).frames() == rig.session->plan()->end().count ? 0 : 1;
  CHECK(halves == 0);
}

TEST_CASE("every action has words, a tip and a key of its own; everything that takes focus has a name",
          "[window][display]") {
  SmallSongRig rig;
  rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.score().placeOnSelection("delay-throw");
  rig.settle();
  QSet<QString> keys;
  int actions = 0;
  for (QAction* a : rig.window->actions()) {
    ++actions;
    INFO(a->objectName().toStdString());
    CHECK_FALSE(a->text().isEmpty());
    CHECK_FALSE(a->toolTip().isEmpty());
    for (const QKeySequence& k : a->shortcuts()) {
      const QString text = k.toString();
      if (text.isEmpty()) continue;
      INFO(text.toStdString());
      CHECK_FALSE(keys.contains(text));
      keys.insert(text);
    }
  }
  CHECK(actions > 25);
  for (QWidget* w : rig.window->findChildren<QWidget*>()) {
    if (!w->isVisible() || w->focusPolicy() == Qt::NoFocus) continue;
    INFO(w->metaObject()->className() << " " << w->objectName().toStdString());
    CHECK((!w->accessibleName().isEmpty() || qobject_cast<QMenuBar*>(w) || !w->property("text").toString().isEmpty()));
    if (qobject_cast<QAbstractButton*>(w)) CHECK(w->height() >= 20);
  }
}

TEST_CASE("an empty start teaches, and its buttons are there", "[window]") {
  Rig rig;
  CHECK_FALSE(rig.session->isOpen());
  auto* stems = rig.window->findChild<QAbstractButton*>("empty-stems");
  REQUIRE(stems);
  CHECK(stems->isVisible());
  CHECK_FALSE(rig.window->action("play")->isEnabled());
  CHECK_FALSE(rig.window->action("save")->isEnabled());
  QTest::keyClick(rig.window.get(), Qt::Key_Space); // nothing to play: nothing happens
  QTest::keyClick(rig.window.get(), Qt::Key_D);
  CHECK_FALSE(rig.session->isOpen());
}

TEST_CASE("an ornament is moved by its sign, along the grid, freely, and to another row; each drag is one step",
          "[window][display]") {
  SmallSongRig rig;
  rig.place("delay-throw", "voice", 8, 9.5);
  rig.score().showRange(0, 24, false);
  const Song before = rig.session->song();
  const auto grip = [&] { return rig.score().signOf("o1").center().toPoint(); };
  const double px = rig.score().axis().pxPerBeat;
  rig.drag(&rig.score(), grip(), grip() + QPoint(static_cast<int>(px * 4.05), 2));
  CHECK_FALSE(rig.score().opened().isOpen());
  CHECK(rig.session->song().ornament("o1")->start == Beats::ofQuarters(12));
  CHECK(rig.session->history().undoLabel() == "move delay throw");
  // Its print moved with it, echoes and all.
  CHECK(rig.session->plan()->node("o1")->print->first() == rig.session->plan()->map().frameAt(Beats::ofQuarters(12)));
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song() == before);
  rig.drag(&rig.score(), grip(), grip() + QPoint(11, 0), Qt::ShiftModifier);
  CHECK(rig.session->song().ornament("o1")->start.quarters() == Approx(8 + 11 / px).margin(1.5 / px));
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  rig.drag(&rig.score(), grip(), QPoint(grip().x(), rig.score().staffOf("drums").center().y()));
  CHECK(rig.session->song().ornament("o1")->on == "drums");
  CHECK(rig.session->song().ornament("o1")->start == Beats::ofQuarters(8));
}

TEST_CASE("copy, paste, duplicate to the next landing, nudge", "[window]") {
  SmallSongRig rig;
  rig.score().select(Selection{"voice", Beats::ofQuarters(12), Beats::ofQuarters(13)});
  rig.score().placeOnSelection("delay-throw");
  rig.settle();
  rig.key(Qt::Key_C, Qt::ControlModifier);
  rig.key(Qt::Key_D, Qt::ControlModifier); // from before landing b at 16 to before c at 32
  REQUIRE(rig.session->song().ornaments.size() == 2);
  CHECK(rig.session->song().ornaments[1]->start == Beats::ofQuarters(28));
  CHECK(rig.session->song().ornaments[1]->settings == rig.session->song().ornaments[0]->settings);
  rig.key(Qt::Key_Escape);
  rig.settleView();
  rig.score().setFocus();
  rig.score().caret().put(Beats::ofQuarters(40));
  rig.key(Qt::Key_V, Qt::ControlModifier);
  REQUIRE(rig.session->song().ornaments.size() == 3);
  CHECK(rig.session->song().ornaments[2]->start == Beats::ofQuarters(40));
  CHECK(rig.session->song().ornaments[2]->id == "o3");
  rig.key(Qt::Key_Right, Qt::ControlModifier | Qt::ShiftModifier);
  rig.key(Qt::Key_Right, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(rig.session->song().ornaments[2]->start == Beats::ofQuarters(40.5));
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song().ornaments[2]->start == Beats::ofQuarters(40)); // two nudges, one step
}

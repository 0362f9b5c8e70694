// What a desktop application keeps and offers: output choice, recent songs, window and view state, unsaved changes,
// papers, large scales; and listening at equal loudness.
#include "app/actions/recent_songs.h"
#include "app/dialogs/export_dialog.h"
#include "app/dialogs/output_dialog.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "rig.h"

#include <catch2/catch.hpp>

#include <QDialogButtonBox>
#include <QLabel>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

/// Settings of their own for one test.
struct OwnSettings {
  OwnSettings() {
    QSettings::setDefaultFormat(QSettings::IniFormat);
    QSettings::setPath(QSettings::IniFormat, QSettings::UserScope, QString::fromStdString(dir.path().string()));
    QSettings().clear();
  }
  ~OwnSettings() { QSettings().clear(); }
  TempFolder dir;
};

} // namespace

TEST_CASE("the output is chosen in a dialog, used at once, and remembered", "[desktop][display]") {
  const OwnSettings own;
  const TempFolder dir;
  Rig rig;
  rig.window->keepState();
  rig.open(writeSmallSong(dir));
  whenUp<OutputDialog>([](OutputDialog* d) {
    auto* device = d->findChild<QComboBox*>("output-device");
    CHECK(device->count() == 3);
    device->setCurrentIndex(device->findData("Phones"));
    auto* rate = d->findChild<QComboBox*>("output-rate");
    CHECK(rate->count() == 3); // the song's, and the two of this device
    rate->setCurrentIndex(rate->findData(44100));
    auto* buffer = d->findChild<QComboBox*>("output-buffer");
    buffer->setCurrentIndex(buffer->findData(512));
    d->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok)->click();
  });
  rig.window->action("output")->trigger();
  rig.settle(); // devices are looked for, and one is opened
  CHECK(rig.window->measure().said() == "Playing through simulated output.");
  REQUIRE_FALSE(rig.devices->opened.empty());
  CHECK(rig.devices->opened.back() == OutputChoice{"Phones", 44100, 512});
  CHECK(rig.out().periodFrames() == 512);
  CHECK(OutputActions::storedChoice() == OutputChoice{"Phones", 44100, 512});
  // It plays through the new one.
  rig.session->player().play(Frames(48000 * 4));
  CHECK(largest(rig.hear(9600)) > 0.05f);
}

TEST_CASE("levels: click and monitor are set, and neither touches what is exported", "[desktop]") {
  const OwnSettings own;
  SmallSongRig rig;
  const auto loudest = [&] {
    rig.session->player().play(Frames(48000 * 4));
    rig.hear(1000);
    return Decibels::ofGain(static_cast<double>(largest(rig.hear(24000)))).value;
  };
  const double full = loudest();
  rig.window->listening().setMonitorDb(-12);
  CHECK(loudest() == Approx(full - 12).margin(0.1));
  CHECK(*rig.window->head().monitor()->value().number() == -12);
  rig.window->head().monitor()->setFocus();
  rig.key(Qt::Key_Up); // steps of half a decibel
  CHECK(rig.window->listening().monitorDb() == -11.5);
  rig.window->listening().setMonitorDb(7); // never louder than the song
  CHECK(rig.window->listening().monitorDb() == 0);
  rig.score().setFocus();
  rig.key(Qt::Key_F3, Qt::ShiftModifier);
  CHECK(rig.window->listening().clickDb() == Click().levelDb + 2);
  // The meter's true peak is the mix's, not what the monitor level makes of it.
  rig.window->listening().setMonitorDb(-40);
  rig.session->player().stop();
  rig.hear(4800);
  rig.window->head().tick();
  rig.session->player().play(Frames(48000 * 4));
  rig.hear(24000);
  rig.window->head().tick();
  CHECK(rig.window->head().meterText().contains("dBTP"));
  const QString peak = rig.window->head().meterText().section(QStringLiteral(" dBTP"), 0, 0).section(' ', -1);
  CHECK(QString(peak).replace(QChar(0x2212), '-').toDouble() > full - 1.5);
}

TEST_CASE("equal loudness turns the louder side down by the measured difference, and shows it", "[desktop]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 8, 9.5);
  rig.session->edit("loud", [&] {
    Ornament o = rig.ornament(id);
    o.gainDb = 6;
    return withOrnamentReplaced(rig.session->song(), o);
  }());
  rig.score().opened().open(id);
  rig.settle();
  const double louder = rig.session->rows().chosen()->lufsWith - rig.session->rows().chosen()->lufsWithout;
  REQUIRE(louder > 0.3);
  CHECK(rig.session->playback().matchDb() == 0);
  rig.score().setFocus();
  rig.key(Qt::Key_Q);
  CHECK(rig.session->playback().matchDb() == Approx(-louder));
  CHECK(rig.window->head().button("equal")->text().startsWith("equal, "));
  rig.key(Qt::Key_W); // without is the softer one: as it is
  CHECK(rig.session->playback().matchDb() == 0);
  rig.key(Qt::Key_W);
  // Where the level is the effect nothing is matched.
  rig.score().opened().close();
  rig.settleView();
  rig.placeOpen("gap", "drums", 20, 22);
  CHECK(rig.session->playback().matchDb() == 0);
}

TEST_CASE("recent songs, the window and the view are taken up again", "[desktop][display]") {
  const OwnSettings own;
  const TempFolder dir;
  const auto file = writeSmallSong(dir);
  {
    Rig rig;
    rig.window->keepState();
    rig.open(file);
    rig.score().showRange(20, 30, false);
    rig.score().folds().toggle("drums");
    rig.window->snap().setText("1/8t");
    rig.window->listening().setClickDb(-9);
    rig.session->player().setPosition(Frames(96000));
    rig.window->close();
  }
  CHECK(recentSongs() == QStringList{QString::fromStdString(file.string())});
  CHECK(MainWindow::lastSong() == QString::fromStdString(file.string()));
  {
    Rig rig;
    rig.window->keepState();
    CHECK(rig.window->snap().text() == "1/8t");
    CHECK(rig.window->listening().clickDb() == -9);
    QMenu* song = rig.window->head().menu("Song");
    REQUIRE(song);
    QAction* recent = nullptr;
    for (QAction* a : song->actions())
      if (a->menu() && a->text().remove('&').contains("recent", Qt::CaseInsensitive))
        recent = a->menu()->actions().value(0);
    REQUIRE(recent);
    CHECK(recent->text() == "song");
    recent->trigger();
    rig.settle();
    REQUIRE(rig.session->isOpen());
    CHECK(rig.score().axis().left == Approx(20).margin(0.01));
    CHECK(rig.score().axis().right() == Approx(30).margin(0.01));
    CHECK(rig.score().folds().folded("drums"));
    CHECK(rig.session->player().position() == Frames(96000));
  }
  std::filesystem::remove(file);
  CHECK(recentSongs().isEmpty()); // what has gone is not offered
}

TEST_CASE("unsaved changes are asked about before another song opens; cancel stays", "[desktop][display]") {
  const TempFolder dir;
  Rig rig;
  const auto file = writeSmallSong(dir);
  rig.open(file);
  rig.window->files().setAsks(true);
  rig.session->edit("title", [&] {
    Song s = rig.session->song();
    s.title = "Changed";
    return s;
  }());
  const auto answer = [](QMessageBox::StandardButton b) {
    whenUp<QMessageBox>([b](QMessageBox* box) { box->button(b)->click(); });
  };
  answer(QMessageBox::Cancel);
  rig.window->files().openSong(file);
  rig.settle();
  CHECK(rig.session->song().title == "Changed");
  answer(QMessageBox::Save);
  rig.window->files().openSong(file);
  rig.settle();
  CHECK(rig.session->song().title == "Changed");
  CHECK_FALSE(rig.session->history().changedSinceSave());
  CHECK(fileBytes(file).find("Changed") != std::string::npos);
  rig.session->edit("title", [&] {
    Song s = rig.session->song();
    s.title = "Lost";
    return s;
  }());
  answer(QMessageBox::Discard);
  rig.window->files().openSong(file);
  rig.settle();
  CHECK(rig.session->song().title == "Changed");
  rig.window->files().setAsks(false);
}

TEST_CASE("papers follow the choice and are kept", "[desktop]") {
  const OwnSettings own;
  {
    Rig rig;
    rig.window->keepState();
    rig.window->action("paper-night")->trigger();
    CHECK(paper().night);
    CHECK(rig.window->action("paper-night")->isChecked());
    CHECK_FALSE(rig.window->action("paper-desktop")->isChecked());
  }
  setPaper(false);
  {
    Rig rig;
    rig.window->keepState();
    CHECK(paper().night);
    rig.key(Qt::Key_N, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK_FALSE(paper().night);
    rig.window->action("paper-desktop")->trigger();
  }
  setPaper(false);
}

TEST_CASE("keys are unique, and every action has words", "[desktop]") {
  Rig rig;
  QMap<QString, QString> taken;
  for (const QAction* a : rig.window->actions())
    for (const QKeySequence& k : a->shortcuts()) {
      INFO(k.toString().toStdString() << " of " << a->objectName().toStdString());
      CHECK_FALSE(taken.contains(k.toString()));
      taken[k.toString()] = a->objectName();
      CHECK_FALSE(a->text().isEmpty());
    }
  CHECK(taken.size() > 60);
}

TEST_CASE("at larger fonts nothing of the open row is cut off at 1280 by 800", "[desktop][display]") {
  const double scale = GENERATE(1.0, 1.15, 1.3, 1.5);
  CAPTURE(scale);
  setTextScale(scale);
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  OpenRow* row = rig.score().opened().row();
  QRect last;
  for (const SettingSpec& s : allKinds().find("delay-throw")->table().settings) {
    NumberField* f = row->field(s.key);
    REQUIRE(f);
    const QRect place(f->mapTo(rig.window.get(), QPoint(0, 0)), f->size());
    INFO(s.key);
    CHECK(rig.window->rect().contains(place)); // reachable without scrolling
    CHECK(f->height() >= 20);
    CHECK_FALSE(place.intersects(last));
    last = place;
  }
  CHECK(rig.score().openArea().height() >= 110);
  CHECK(rig.window->size() == QSize(1280, 800));
  if (scale < 1.5) // else the others are scrolled to
    for (const std::string& r : rig.session->song().rowsInScoreOrder())
      CHECK(rig.score().rect().contains(rig.score().staffOf(r)));
  const auto whole = [&] { return rig.score().rect().contains(rig.score().opened().row()->geometry()); };
  CHECK(whole());
  // An ornament of the lowest row, in a window too low for all: its row is scrolled to, down to its finish.
  const std::string low = rig.place("tape", "mix", 12, 16);
  rig.window->resize(1280, scale < 1.5 ? 640 : 800);
  rig.score().opened().open(low);
  rig.settle();
  CHECK(whole());
  CHECK(rig.score().openArea().height() >= static_cast<int>(96 * scale));
  rig.window->resize(1280, 800);
  // The head's parts stand beside one another.
  const QRect head(QPoint(0, 0), rig.window->head().size());
  std::vector<QRect> parts;
  for (QWidget* w : rig.window->head().findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly)) {
    if (!w->isVisible()) continue;
    INFO(w->metaObject()->className() << " " << w->accessibleName().toStdString());
    CHECK(head.contains(w->geometry()));
    for (const QRect& other : parts) CHECK_FALSE(other.adjusted(1, 1, -1, -1).intersects(w->geometry()));
    parts.push_back(w->geometry());
  }
  setTextScale(1);
}

TEST_CASE("dialogs stand on the page's own paper, in its type, by day and by night", "[desktop]") {
  SmallSongRig rig;
  for (const bool night : {false, true}) {
    rig.window->looks().setNight(night);
    ExportDialog d(QStringLiteral("prints"), 2, rig.window.get());
    CHECK(d.findChild<QLabel*>("export-where")->text().contains("2 bars before your stems"));
    d.show();
    const auto* head = d.findChild<QLabel*>(QStringLiteral("heading"));
    REQUIRE(head);
    CHECK(head->text() == "Export");
    CHECK(head->font().family() == serif(24, true).family());
    const QImage picture = d.grab().toImage();
    CHECK(picture.pixelColor(3, 3) == paper().paper);
    const auto* go = d.findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok);
    CHECK(go->height() >= 20);
    CHECK(go->font().family() == sans(14).family());
    // Its frame is plain to see: 3 to 1 on the paper at least.
    const QColor edge = picture.pixelColor(go->mapTo(&d, QPoint(go->width() / 2, 0)));
    const auto light = [](const QColor& c) {
      const auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
      return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
    };
    const double a = light(edge) + 0.05, b = light(paper().paper) + 0.05;
    CHECK(std::max(a, b) / std::min(a, b) >= 3);
  }
  rig.window->looks().setNight(false);
}

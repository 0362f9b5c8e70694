// A song from bare stems, and its grid put right in the window.
#include "app/dialogs/tempo_dialog.h"
#include "rig.h"

#include <catch2/catch.hpp>

#include <QDialogButtonBox>

#include <cmath>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
using namespace ivrin::test;

namespace {

/// Kick and snare at 100 BPM from half a second on, 20 s, in files.
std::vector<std::filesystem::path> stemsOf(const TempFolder& dir) {
  const auto every = [](double seconds, double from, Signal s) -> Signal {
    return [=](std::int64_t f, int side) {
      const double t = static_cast<double>(f) / 48000 - from, in = t - std::floor(t / seconds) * seconds;
      return t >= 0 && in < 0.05 ? s(std::llround(in * 48000), side) * static_cast<float>(std::exp(-in * 80)) : 0.0f;
    };
  };
  writeWav(dir / "kick.wav", 48000, 1, 48000 * 20, every(1.2, 0.5, sine(60, 48000, 0.8)));
  writeWav(dir / "snare.wav", 48000, 1, 48000 * 20, every(1.2, 1.1, noise(3, 0.4)));
  writeWav(dir / "hats.wav", 48000, 1, 48000 * 20, every(0.3, 0.5, noise(4, 0.05)));
  return {dir / "kick.wav", dir / "snare.wav", dir / "hats.wav"};
}

template <class Widget> Widget* in(QDialog* d, const char* name) {
  auto* w = d->findChild<Widget*>(QString::fromLatin1(name));
  REQUIRE(w);
  return w;
}
void press(QDialog* d, const char* name) {
  QTest::mouseClick(in<QPushButton>(d, name), Qt::LeftButton);
}
void accept(QDialog* d) {
  QTest::mouseClick(d->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok), Qt::LeftButton);
}

} // namespace

TEST_CASE("a new song from stems has its tempo and bar 1 from them, and says so", "[app][tempo]") {
  const TempFolder dir;
  Rig rig;
  rig.session->files().begin(stemsOf(dir), std::nullopt);
  rig.session->waitUntilIdle();
  const Song& song = rig.session->song();
  REQUIRE(song.stems.size() == 3);
  CHECK(song.tempo[0].bpm == 100);
  const double beats = (song.startSeconds - 0.5) / 0.6; // on a beat
  CHECK(std::abs(beats - std::round(beats)) * 0.6 < 0.004);
  CHECK(rig.window->measure().said().contains("Detected 100 BPM"));
}

TEST_CASE("a tempo in doubt stands in the head as buttons, each heard with its click, and is taken by the second press",
          "[app][tempo]") {
  const TempFolder dir;
  writeWav(dir / "hiss.wav", 48000, 2, 48000 * 12, noise(3, 0.2));
  Rig rig;
  rig.session->files().begin({dir / "hiss.wav"}, std::nullopt);
  rig.session->waitUntilIdle();
  const auto bpm = [&] { return rig.session->song().tempo[0].bpm; };
  const double best = bpm();
  TempoChoices& choices = *rig.window->head().tempoChoices();
  REQUIRE(choices.isVisible());
  REQUIRE(choices.buttons().size() == 3);
  CHECK(rig.window->measure().said().contains("uncertain"));
  CHECK(choices.buttons()[0]->hasFocus());
  CHECK(choices.buttons()[0]->isChecked());
  QTest::mouseClick(choices.buttons()[1], Qt::LeftButton);
  CHECK((bpm() == Approx(best / 2) || bpm() == Approx(best * 2)));
  CHECK(choices.buttons()[1]->isChecked());
  CHECK(rig.session->player().playing());
  CHECK(rig.window->action("click")->isChecked());
  const double taken = bpm();
  QTest::mouseClick(choices.buttons()[1], Qt::LeftButton);
  CHECK_FALSE(choices.isVisible());
  CHECK(bpm() == taken);
  rig.session->undo(); // one step, however many were tried
  CHECK(bpm() == best);
}

TEST_CASE("the head's tempo opens its panel, whose likely tempi are heard and let go again", "[app][tempo]") {
  const TempFolder dir;
  Rig rig;
  rig.session->files().begin(stemsOf(dir), std::nullopt);
  rig.session->waitUntilIdle();
  const Song before = rig.session->song();
  whenUp<TempoDialog>([&](TempoDialog* d) {
    press(d, "tempo-listen");
    rig.session->waitUntilIdle();
    const auto likely = d->findChildren<QPushButton*>(QStringLiteral("tempo-likely"));
    REQUIRE(likely.size() == 3);
    CHECK(likely[0]->text() == "100");
    QTest::mouseClick(likely[1], Qt::LeftButton);
    CHECK(rig.session->song().tempo[0].bpm == likely[1]->text().toDouble());
    CHECK(rig.session->player().playing());
    d->reject();
  });
  QTest::mouseClick(rig.window->head().tempo(), Qt::LeftButton);
  CHECK(rig.session->song() == before);
  CHECK_FALSE(rig.session->player().playing());
  CHECK_FALSE(rig.window->action("click")->isChecked());
}

TEST_CASE("the tempo is corrected under the ornaments, or changed with them, one step of undo each", "[app][tempo]") {
  SmallSongRig rig;
  const std::string id = rig.place("gap", "voice", 8, 10);
  const Song before = rig.session->song();
  const double at = before.tempoMap().secondsAt(Beats::ofQuarters(8)).value;
  whenUp<TempoDialog>([](TempoDialog* d) {
    press(d, "tempo-half");
    CHECK(d->bpm() == 60);
    accept(d);
  });
  rig.window->action("tempo")->trigger();
  CHECK(rig.session->song().tempo[0].bpm == 60);
  CHECK(rig.ornament(id).start == Beats::ofQuarters(4)); // the same moment of the sound
  CHECK(rig.session->song().tempoMap().secondsAt(rig.ornament(id).start).value == Approx(at));
  CHECK(rig.window->measure().said() == "60 BPM: 1 ornament stayed with the audio");
  rig.session->undo();
  CHECK(rig.session->song() == before);

  whenUp<TempoDialog>([](TempoDialog* d) {
    in<QRadioButton>(d, "tempo-changes")->setChecked(true);
    in<QDoubleSpinBox>(d, "tempo-bpm")->setValue(132.5);
    accept(d);
  });
  rig.window->action("tempo")->trigger();
  CHECK(rig.session->song().tempo[0].bpm == 132.5);
  CHECK(rig.ornament(id).start == Beats::ofQuarters(8));
  CHECK(rig.window->measure().said().contains("kept"));
  rig.session->undo();
  CHECK(rig.session->song() == before);
}

TEST_CASE("listening from the dialog fills in what is found", "[app][tempo]") {
  const TempFolder dir;
  Rig rig;
  rig.session->files().begin(stemsOf(dir), 87);
  rig.session->waitUntilIdle();
  CHECK(rig.session->song().tempo[0].bpm == 87); // what was said is not looked for
  whenUp<TempoDialog>([&](TempoDialog* d) {
    press(d, "tempo-listen");
    rig.session->waitUntilIdle();
    CHECK(d->bpm() == 100);
    CHECK(in<QLabel>(d, "tempo-said")->text().contains("Detected 100 BPM"));
    CHECK_FALSE(in<QRadioButton>(d, "tempo-corrects")->isVisible()); // nothing is placed: nothing to choose
    accept(d);
  });
  rig.window->action("tempo")->trigger();
  CHECK(rig.session->song().tempo[0].bpm == 100);
}

TEST_CASE("bar 1 is put at the caret, and what is placed stays on the sound", "[app][tempo]") {
  SmallSongRig rig;
  const std::string id = rig.place("gap", "voice", 8, 10);
  rig.score().setFocus();
  rig.score().caret().put(Beats::ofQuarters(1));
  rig.window->action("barOne")->trigger();
  CHECK(rig.session->song().startSeconds == Approx(0.5));
  CHECK(rig.ornament(id).start == Beats::ofQuarters(7));
  CHECK(rig.window->measure().said().contains("Bar 1 is now at 0.500 s"));
  rig.window->action("barOne")->trigger();
  CHECK(rig.window->measure().said().contains("already here"));
}

TEST_CASE("taps give a tempo from the fourth on, and one that is off is left out", "[app][tempo]") {
  CHECK_FALSE(tappedTempo({0, 0.5, 1}));
  CHECK(*tappedTempo({0, 0.5, 1, 1.5}) == Approx(120));
  CHECK(*tappedTempo({0, 0.49, 1.01, 1.5, 2.0, 2.49}) == Approx(120).margin(1.5));
  CHECK(*tappedTempo({0, 0.6, 1.2, 2.4, 3.0, 3.6}) == Approx(100).margin(0.5));          // one was missed
  CHECK(*tappedTempo({0, 0.6, 1.2, 1.42, 1.8, 2.4, 3.0, 3.6}) == Approx(100).margin(4)); // one too many
  CHECK_FALSE(tappedTempo({1, 1, 1, 1}));
}

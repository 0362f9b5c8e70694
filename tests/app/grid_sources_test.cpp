// Where a song's grid comes from beside the ear: MIDI files, playing that is followed; the click it is checked with;
// and stems that were written anew.
#include "app/dialogs/click_dialog.h"
#include "app/dialogs/tempo_dialog.h"
#include "bare_stems.h"
#include "rig.h"
#include "test_support/midi_bytes.h"

#include <catch2/catch.hpp>

#include <QCheckBox>
#include <QDialogButtonBox>
#include <QSignalSpy>

#include <cmath>
#include <fstream>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
using namespace ivrin::test;

namespace {

std::filesystem::path midiAt(const std::filesystem::path& file, const MidiTrack& track) {
  std::ofstream(file, std::ios::binary) << midiFile({track});
  return file;
}

void press(QDialog* d, QDialogButtonBox::StandardButton which) {
  QTest::mouseClick(d->findChild<QDialogButtonBox*>()->button(which), Qt::LeftButton);
}

void takeOffer(Rig& rig) {
  auto* offer = rig.window->measure().findChild<QAbstractButton*>(QStringLiteral("offer"));
  REQUIRE(offer);
  QTest::mouseClick(offer, Qt::LeftButton);
}

/// A kit that gets faster, from 90 to about 100 BPM in 24 s.
std::filesystem::path gettingFaster(const TempFolder& dir) {
  Part kit(26, 24000, 3);
  double t = 0.5;
  for (int beat = 0; t < 24; ++beat) {
    beat % 2 == 0 ? kit.kick(t, -14) : kit.snare(t, -16);
    const double length = 60 / (90 + 0.25 * beat);
    for (int half = 0; half < 2; ++half) kit.hat(t + half * length / 2, -30);
    t += length;
  }
  writeWav(dir / "kit.wav", 24000, 1, kit.frames(),
           [&](std::int64_t f, int) { return kit.x[static_cast<std::size_t>(f)]; });
  return dir / "kit.wav";
}

} // namespace

TEST_CASE("a MIDI file dropped on a song gives it its grid, on the sound or on the beats", "[app][tempo][midi]") {
  const TempFolder dir;
  SmallSongRig rig;
  const std::string id = rig.place("gap", "voice", 8, 10);
  const Song before = rig.session->song();
  const double at = before.tempoMap().secondsAt(Beats::ofQuarters(8)).value;
  dropFiles(rig, {midiAt(dir / "ferry.mid", MidiTrack().tempo(0, 90).meter(0, 3, 2).tempo(480 * 12, 100))});
  const Song& song = rig.session->song();
  CHECK(song.tempo == std::vector<TempoEntry>{{Beats(0), 90}, {Beats::ofQuarters(12), 100}});
  CHECK(song.meter == std::vector<MeterEntry>{{Beats(0), 3, 4}});
  CHECK(song.tempoMap().secondsAt(rig.ornament(id).start).value == Approx(at).margin(1e-6));
  CHECK(rig.window->measure().said() ==
        "Tempo map imported from ferry.mid: 2 tempo changes from 90 to 100 BPM: 1 ornament stayed with the audio");
  takeOffer(rig); // the other way
  CHECK(rig.session->song().tempo[0].bpm == 90);
  CHECK(rig.ornament(id).start == Beats::ofQuarters(8));
  rig.session->undo();
  CHECK(rig.session->song() == before); // one step
  // What is broken is said, and changes nothing.
  std::ofstream(dir / "broken.mid", std::ios::binary) << "MThd and so on";
  dropFiles(rig, {dir / "broken.mid"});
  CHECK(rig.window->measure().said().startsWith("broken.mid: "));
  dropFiles(rig, {midiAt(dir / "fast.mid", MidiTrack().tempo(0, 500))});
  CHECK(rig.window->measure().said() == "fast.mid: bar 1: the tempo 500.0 BPM is not supported (20 to 400)");
  CHECK(rig.session->song() == before);
}

TEST_CASE("stems dropped with a MIDI file: a new song on its grid", "[app][tempo][midi]") {
  const TempFolder dir;
  Rig rig;
  dropFiles(rig, {spoken(dir), midiAt(dir / "spoken.mid", MidiTrack().tempo(0, 75))});
  REQUIRE(rig.session->isOpen());
  CHECK(rig.session->song().stems.size() == 1);
  CHECK(rig.session->song().tempo == std::vector<TempoEntry>{{Beats(0), 75}});
  CHECK(rig.session->song().startSeconds == 0);
}

TEST_CASE("a new song that was not played to a click is followed, and said so", "[app][tempo]") {
  const TempFolder dir;
  Rig rig;
  rig.session->files().begin({gettingFaster(dir)}, std::nullopt);
  rig.session->waitUntilIdle();
  const Song& song = rig.session->song();
  REQUIRE(song.tempo.size() >= 3);
  CHECK(song.tempo.front().bpm == Approx(91).margin(2));
  CHECK(song.tempo.back().bpm > 97);
  CHECK(song.startSeconds == Approx(0.5).margin(0.01));
  // The 32nd beat as it was played.
  double t = 0.5;
  for (int beat = 0; beat < 32; ++beat) t += 60 / (90 + 0.25 * beat);
  CHECK(song.tempoMap().secondsAt(Beats::ofQuarters(32)).value == Approx(t).margin(0.01));
}

TEST_CASE("from the tempo dialog the playing is followed, or one tempo taken all the same", "[app][tempo]") {
  const TempFolder dir;
  Rig rig;
  rig.session->files().begin({gettingFaster(dir)}, 120);
  rig.session->waitUntilIdle();
  const Song before = rig.session->song();
  const auto listen = [&](TempoDialog* d) {
    QTest::mouseClick(d->findChild<QPushButton*>("tempo-listen"), Qt::LeftButton);
    rig.session->waitUntilIdle();
    CHECK(d->findChild<QLabel*>("tempo-said")->text().startsWith("Played without a click: "));
    auto* follows = d->findChild<QCheckBox*>("tempo-follows");
    REQUIRE(follows->isVisible());
    CHECK(follows->isChecked());
    CHECK_FALSE(d->findChild<QDoubleSpinBox*>("tempo-bpm")->isEnabled());
    return follows;
  };
  whenUp<TempoDialog>([&](TempoDialog* d) {
    listen(d);
    press(d, QDialogButtonBox::Ok);
  });
  rig.window->action("tempo")->trigger();
  CHECK(rig.session->song().tempo.size() >= 3);
  CHECK(rig.window->measure().said().contains(" tempo changes from 9"));
  rig.session->undo();
  CHECK(rig.session->song() == before);
  whenUp<TempoDialog>([&](TempoDialog* d) {
    listen(d)->setChecked(false);
    d->findChild<QDoubleSpinBox*>("tempo-bpm")->setValue(95);
    press(d, QDialogButtonBox::Ok);
  });
  rig.window->action("tempo")->trigger();
  CHECK(rig.session->song().tempo == std::vector<TempoEntry>{{Beats(0), 95}});
}

TEST_CASE("the click has its sound, level and accents, and counts in", "[app][click]") {
  SmallSongRig rig;
  whenUp<ClickDialog>([&](ClickDialog* d) {
    d->findChild<QComboBox*>("click-sound")->setCurrentIndex(1);
    d->findChild<QComboBox*>("click-parts")->setCurrentIndex(1);
    d->findChild<QDoubleSpinBox*>("click-level")->setValue(-20);
    d->findChild<QDoubleSpinBox*>("click-accent")->setValue(9);
    d->findChild<QSpinBox*>("click-count-in")->setValue(1);
    press(d, QDialogButtonBox::Ok);
  });
  rig.window->action("clickHow")->trigger();
  CHECK(rig.window->listening().click() == Click{ClickSound::wood, -20, 9, true, 2});
  CHECK(rig.window->listening().countIn() == 1);
  // A bar of click before the place, and back to it where it is stopped meanwhile.
  Player& player = rig.session->player();
  player.setPosition(Frames(192000));
  rig.window->action("play")->trigger();
  CHECK(player.position() == Frames(192000 - 96000));
  rig.window->action("play")->trigger();
  CHECK(player.position() == Frames(192000));
  // Let go, all is as it was.
  whenUp<ClickDialog>([&](ClickDialog* d) {
    d->findChild<QDoubleSpinBox*>("click-level")->setValue(-3);
    CHECK(rig.window->listening().clickDb() == -3); // heard at once
    press(d, QDialogButtonBox::Cancel);
  });
  rig.window->action("clickHow")->trigger();
  CHECK(rig.window->listening().clickDb() == -20);
}

TEST_CASE("a stem that is written anew is noticed and, when wanted, heard as it is now", "[app][rows]") {
  const TempFolder dir;
  writeWav(dir / "voice.wav", 48000, 1, 96000, sine(300, 48000, 0.2));
  writeWav(dir / "keys.wav", 48000, 1, 96000, sine(200, 48000, 0.1));
  Rig rig;
  rig.session->files().begin({dir / "voice.wav", dir / "keys.wav"}, 120);
  rig.session->waitUntilIdle();
  const Song before = rig.session->song();
  std::string voice;
  for (const Stem& s : before.stems)
    if (s.name == "Voice") voice = s.id;
  const auto heard = rig.session->audio().of(voice);
  REQUIRE(heard);
  rig.session->stems().lookForReexports();
  rig.session->waitUntilIdle();
  CHECK_FALSE(rig.window->measure().said().contains("anew"));
  // Half written: not yet.
  std::ofstream(dir / "voice.wav", std::ios::binary) << "RIFF";
  rig.session->stems().lookForReexports();
  rig.session->waitUntilIdle();
  CHECK_FALSE(rig.window->measure().said().contains("anew"));
  writeWav(dir / "new.wav", 48000, 1, 120000, sine(300, 48000, 0.4));
  std::filesystem::rename(dir / "new.wav", dir / "voice.wav");
  rig.session->stems().lookForReexports();
  rig.session->waitUntilIdle();
  CHECK(rig.window->measure().said() == "The file of Voice changed on disk.");
  CHECK(rig.session->audio().of(voice) == heard); // as it was until then
  takeOffer(rig);
  rig.session->waitUntilIdle();
  REQUIRE(rig.session->audio().of(voice));
  CHECK(rig.session->audio().of(voice)->frames() == 120000);
  CHECK(rig.session->audio().of(voice)->left()[1000] == Approx(2 * heard->left()[1000]).margin(1e-4));
  CHECK(rig.session->song() == before);
  // By itself, too.
  QSignalSpy told(rig.session.get(), &Session::offered);
  writeWav(dir / "keys.wav", 48000, 1, 96000, sine(200, 48000, 0.3));
  CHECK(told.wait(10000));
}

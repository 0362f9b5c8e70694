// From opening to opening by keys.
#include "rig.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
using namespace ivrin::test;

TEST_CASE("openings of the caret's row are stepped through, and a key places an ornament there", "[app][openings]") {
  const TempFolder dir;
  // 120 BPM: a word, two beats of rest, a long one, a beat and a half of rest, a third.
  writeWav(dir / "voice.wav", 48000, 1, 48000 * 12, [](std::int64_t f, int) {
    const double t = static_cast<double>(f) / 48000;
    const bool sounds = (t >= 1 && t < 1.5) || (t >= 2.5 && t < 5) || (t >= 5.75 && t < 6.2);
    return sounds ? static_cast<float>(0.3 * std::sin(2 * M_PI * 330 * t)) : 0.0f;
  });
  writeWav(dir / "noise.wav", 48000, 1, 48000 * 12, noise(3, 0.1));
  Rig rig;
  rig.session->files().begin({dir / "voice.wav", dir / "noise.wav"}, 120);
  rig.session->waitUntilIdle();
  rig.settleView();
  const auto next = [&](Qt::KeyboardModifiers more = {}) {
    QTest::keyClick(&rig.score(), Qt::Key_G, Qt::ControlModifier | more);
    rig.session->waitUntilIdle();
    rig.settleView();
  };
  rig.score().setFocus();
  REQUIRE(rig.score().caret().row() == rig.session->song().stems[0].id);
  const auto selected = [&] {
    REQUIRE(rig.score().selection());
    return std::pair{rig.score().selection()->begin.quarters(), rig.score().selection()->end.quarters()};
  };
  // A word of a beat is held long enough to be one.
  next();
  CHECK(rig.window->measure().said().startsWith("Held note"));
  next(); // then its gap: the word before it is selected
  CHECK(rig.window->measure().said().startsWith("A rest of 2 beats"));
  CHECK(rig.window->measure().said().contains("delay throw"));
  CHECK(selected().first == Approx(2).margin(0.07));
  CHECK(selected().second == Approx(3).margin(0.07));
  next();
  CHECK(rig.window->measure().said().startsWith("Held note"));
  CHECK(selected().first == Approx(5).margin(0.1));
  CHECK(selected().second == Approx(10).margin(0.4));
  next();
  CHECK(rig.window->measure().said().startsWith("A rest of 1½ beats"));
  next(Qt::ShiftModifier);
  CHECK(rig.window->measure().said().startsWith("Held note"));
  next(Qt::ShiftModifier);
  CHECK(rig.window->measure().said().startsWith("A rest of 2 beats"));
  // One key, and the throw is there, from the word into the gap.
  QTest::keyClick(&rig.score(), Qt::Key_D);
  rig.session->waitUntilIdle();
  REQUIRE(rig.session->song().ornaments.size() == 1);
  CHECK(rig.session->song().ornaments[0]->kind == "delay-throw");
  CHECK(rig.session->song().ornaments[0]->start.quarters() == Approx(2).margin(0.07));
  // Noise says nothing.
  rig.score().opened().close();
  rig.score().caret().move(1, 0, false);
  REQUIRE(rig.score().caret().row() == rig.session->song().stems[1].id);
  next();
  INFO(rig.window->measure().said().toStdString());
  CHECK(rig.window->measure().said().startsWith("No opening was found on"));
}

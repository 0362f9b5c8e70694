// What sounds before the stems: placed and grown in the window, it gets its bars by itself, and it is heard and seen.
#include "app/lines/form_line.h"
#include "rig.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

std::int64_t soundBefore(Rig& rig) { // frames before the stems in which something sounds
  rig.session->waitUntilIdle();
  rig.key(Qt::Key_Home);
  const Frames first = rig.session->song().firstFrame();
  CHECK(rig.session->player().position() == first);
  rig.session->player().stop();
  rig.key(Qt::Key_Space);
  const StereoBuffer heard = rig.hear(-first.count);
  rig.session->player().stop();
  std::int64_t loud = 0;
  for (std::int64_t f = 0; f < heard.frames(); ++f) loud += std::abs(heard.left()[f]) > 1e-4f;
  return loud;
}

} // namespace

TEST_CASE("a swell on the first word starts before the song and is heard from there, in one undo step", "[lead]") {
  SmallSongRig rig;
  const Song before = rig.session->song();
  const std::string id = rig.placeOpen("reverse-reverb", "voice", 1, 2);
  rig.settle();
  INFO("lead-in " << setting(last(rig), "lead_beats"));
  // A bar before the word: three beats before the stems.
  CHECK(rig.session->song().leadBars == 1);
  CHECK(rig.window->measure().said().contains("Added 1 bar before the stems"));
  CHECK(soundBefore(rig) > 24000);
  // Grown by the number: as many bars as it needs; back again: as many as before.
  Ornament o = last(rig);
  o.settings["lead_beats"] = 16.0;
  rig.session->edit(QStringLiteral("lead-in"), withOrnamentReplaced(rig.session->song(), o), "drag");
  CHECK(rig.session->song().leadBars == 4);
  o.settings["lead_beats"] = 12.0;
  rig.session->edit(QStringLiteral("lead-in"), withOrnamentReplaced(rig.session->song(), o), "drag");
  CHECK(rig.session->song().leadBars == 3);
  rig.session->settle();
  rig.session->undo();
  CHECK(rig.session->song().leadBars == 1);
  rig.session->undo();
  CHECK(rig.session->song() == before);
  CHECK(rig.session->song().leadBars == 0);
}

TEST_CASE("the form line and the loop reach before the stems", "[lead]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("reverse-reverb", "voice", 1, 2);
  Ornament o = last(rig);
  o.settings["lead_beats"] = 16.0;
  rig.session->edit(QStringLiteral("lead-in"), withOrnamentReplaced(rig.session->song(), o));
  rig.settle();
  const auto& map = rig.session->plan()->map();
  // A click on the form line's left end travels there.
  rig.key(Qt::Key_Escape);
  QTest::mouseClick(rig.window->findChild<FormLine*>(), Qt::LeftButton, {}, QPoint(26, 30));
  const TimeAxis axis = rig.score().axis();
  CHECK(axis.left < map.quartersAt(rig.session->song().firstFrame()));
  CHECK(axis.right() > map.quartersAt(rig.session->song().firstFrame()));
  // What the loop plays begins where the song does.
  rig.session->choose(id);
  if (!rig.window->action(QStringLiteral("loop"))->isChecked()) rig.key(Qt::Key_L);
  rig.settle();
  rig.session->player().setPosition(Frames(1000000));
  rig.key(Qt::Key_Space);
  CHECK(rig.session->player().position().count == rig.session->song().firstFrame().count);
}

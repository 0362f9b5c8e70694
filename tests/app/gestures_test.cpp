// Every gesture does what it says.
#include "rig.h"

#include <QSpinBox>

namespace {

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

NumberField* field(Rig& rig, const char* key) {
  for (NumberField* f : rig.window->findChildren<NumberField*>())
    if (f->spec().key == key && f->isVisible()) return f;
  return nullptr;
}

} // namespace

TEST_CASE("feedback turned over 100 % is cut at the next section, with a handle; turned back it is not", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  rig.session->edit("feedback", withSetting(rig.session->song(), id, "feedback_percent", 99.0));
  rig.session->settle();
  const Song before = rig.session->song();
  const Frames end = rig.session->plan()->end(true);
  NumberField* feedback = field(rig, "feedback_percent");
  REQUIRE(feedback);
  const auto turn = [&](int steps) {
    for (int i = 0; i < std::abs(steps); ++i) turnWheel(*feedback, QPointF(4, 4), steps > 0 ? 120 : -120);
  };
  turn(3);
  CHECK(setting(rig.ornament(id), "feedback_percent") > 100);
  CHECK(setting(rig.ornament(id), "cut_at") == 4); // beat 16, where section "Two" begins
  CHECK(rig.session->plan()->end(true) <= end);
  CHECK(rig.window->measure().said().contains("cut at Two"));
  rig.settle();
  CHECK(rig.handle("cut").x() == Approx(rig.score().axis().xOf(Beats::ofQuarters(16))).margin(2));
  turn(-3);
  CHECK(rig.session->song() == before);
  turn(3);
  rig.session->settle();
  rig.session->undo();
  CHECK(rig.session->song() == before);
}

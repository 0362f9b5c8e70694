// Cells in the window: a chord that pulses, by mouse and by keys, through the song it makes and the sound that comes
// out.
#include "ornaments/pulse.h"
#include "rig.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

std::vector<double> listOf(const Ornament& o, const char* key) {
  std::vector<double> all;
  if (const auto it = o.settings.find(key); it != o.settings.end())
    for (const Value& v : *it->second.list()) all.push_back(*v.number());
  return all;
}

/// The middle of a cell in the open row, so far up (1) or down (−1) from the middle line.
QPoint cell(Rig& rig, int k, double up) {
  const QRectF all = rig.score().handleRect(QStringLiteral("cells"));
  const PulseShape shape({last(rig), rig.session->plan()->context()});
  const TempoMap& map = rig.session->plan()->map();
  const PulseShape::Step step = shape.step(k);
  const FrameRange span = map.frames(last(rig).span());
  const double at = static_cast<double>((step.begin - span.begin).count + step.length / 2);
  return QPointF(all.left() + all.width() * at / static_cast<double>(span.length()),
                 all.center().y() - up * all.height() / 2)
      .toPoint();
}

} // namespace

TEST_CASE("a chord pulses, every third step silent and the sides apart: selected, pressed twice, drawn once",
          "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.select("keys", 12, 16);
  rig.key(Qt::Key_P);
  rig.settle();
  CHECK(last(rig).kind == "pulse");
  CHECK(*last(rig).settings.at("length_percent").number() == 60);
  rig.key(Qt::Key_P);
  rig.settle();
  CHECK(listOf(last(rig), "levels") == std::vector<double>{1, 1, 0});
  rig.score().openOrnament(last(rig).id);
  rig.settleView();
  // Free of the grid a hand over the cells sets them to the sides: down from the left, up from the right.
  rig.drag(&rig.score(), cell(rig, 0, 0.95), cell(rig, 7, -0.95), Qt::AltModifier);
  rig.settle();
  const std::vector<double> pans = listOf(last(rig), "pans");
  REQUIRE(pans.size() == 16);
  CHECK(pans[0] <= -0.7);
  CHECK(pans[7] >= 0.7);
  for (std::size_t k = 1; k < 8; ++k) CHECK(pans[k] >= pans[k - 1]);
  // It is heard: the first step to the left, the eighth (which sounds: 8 = 3·2 + 2) to the right, the third not at all.
  const auto plan = rig.session->plan();
  const auto node = plan->node(last(rig).id);
  REQUIRE(node->print->ensure(*plan, *node));
  const PulseShape shape({last(rig), plan->context()});
  const auto loud = [&](int k, int side) {
    const PulseShape::Step s = shape.step(k);
    StereoBuffer b(s.length);
    node->print->addTo(s.begin, b.span());
    double sum = 0;
    for (std::int64_t i = 0; i < s.length; ++i) sum += std::abs((side == 0 ? b.left() : b.right())[i]);
    return sum;
  };
  CHECK(loud(0, 0) > 2 * loud(0, 1));
  CHECK(loud(7, 1) > 2 * loud(7, 0));
  CHECK(loud(2, 0) + loud(2, 1) == 0);
}

TEST_CASE("cells are painted in one go and one step of undo, and turned by keys", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  const std::string id = rig.placeOpen("pulse", "keys", 12, 16);
  rig.drag(&rig.score(), cell(rig, 2, 0.0), cell(rig, 4, 0.0));
  rig.settle();
  std::vector<double> levels = listOf(last(rig), "levels");
  REQUIRE(levels.size() == 16);
  for (std::size_t k = 0; k < 16; ++k) CHECK(levels[k] == (k >= 2 && k <= 4 ? 0 : 1));
  rig.drag(&rig.score(), cell(rig, 8, 0.5), cell(rig, 8, 0.5));
  rig.settle();
  CHECK(listOf(last(rig), "levels")[8] == Approx(0.5).margin(0.101)); // a tenth is a step
  rig.session->undo();
  rig.session->undo();
  CHECK(listOf(last(rig), "levels").empty());
  rig.session->redo();
  rig.score().setFocus();
  for (int i = 0; i < 12 && rig.score().activeHandle() != "cells"; ++i) rig.key(Qt::Key_N);
  REQUIRE(rig.score().activeHandle() == "cells");
  rig.key(Qt::Key_Right);
  rig.settle();
  levels = listOf(last(rig), "levels");
  for (std::size_t k = 0; k < 16; ++k) CHECK(levels[k] == (k >= 3 && k <= 5 ? 0 : 1));
}

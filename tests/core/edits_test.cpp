// Editing the form, the order on a row, variants and curves: values in, values out.
#include "song/curve_edit.h"
#include "song/edits.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;

namespace {

Song songWith(std::vector<Ornament> ornaments) {
  Song s;
  s.sections = {{"s1", Beats(0), "A"}, {"s2", Beats::ofQuarters(16), "B"}};
  s.landings = {{"l1", Beats::ofQuarters(8), "turn"}};
  for (Ornament& o : ornaments) s.ornaments.push_back(std::move(o));
  return s;
}

Ornament on(const char* id, const char* row, double start, std::optional<std::string> landing = {}) {
  Ornament o;
  o.id = id;
  o.kind = "gap";
  o.on = row;
  o.start = Beats::ofQuarters(start);
  o.length = Beats::ofQuarters(1);
  o.landing = std::move(landing);
  return o;
}

std::string orderOf(const Song& s) {
  std::string all;
  for (const auto& o : s.ornaments) all += o->id;
  return all;
}

} // namespace

TEST_CASE("sections and landings are added in their place in time, named and removed", "[edits]") {
  Song s = songWith({on("x", "v", 15, "s2"), on("y", "v", 7, "l1"), on("z", "v", 3)});
  s = withSection(s, {freshLandingId(s, true), Beats::ofQuarters(8), "Mid"});
  REQUIRE(s.sections.size() == 3);
  CHECK(s.sections[1].name == "Mid");
  CHECK(s.sections[1].id == "s3");
  s = withLanding(s, {freshLandingId(s, false), Beats::ofQuarters(4), "early"});
  CHECK(s.landings[0].id == "l2");
  CHECK(s.allLandings().size() == 5);
  s = withLandingNamed(s, "s2", "Lift");
  CHECK(s.landingById("s2")->name == "Lift");
  // Removed: what was tied to it stays where it is and is tied to nothing; other ties hold.
  s = withoutLanding(s, "s2");
  CHECK_FALSE(s.landingById("s2"));
  CHECK(s.ornament("x")->start == Beats::ofQuarters(15));
  CHECK_FALSE(s.ornament("x")->landing);
  CHECK(s.ornament("y")->landing == "l1");
}

TEST_CASE("a landing takes what is tied to it along, to the tick", "[edits]") {
  const Song s = songWith({on("x", "v", 15.3, "s2"), on("y", "v", 7, "l1"), on("z", "v", 3)});
  const Song m = withLandingMoved(s, "s2", Beats::ofQuarters(24) + Beats(7));
  CHECK(m.ornament("x")->start.ticks == s.ornament("x")->start.ticks + 8 * kTicksPerQuarter + 7);
  CHECK(m.ornament("y")->start == s.ornament("y")->start);
  CHECK(withLandingMoved(m, "s2", Beats::ofQuarters(16)) == s);
}

TEST_CASE("several ornaments move by the same ticks", "[edits]") {
  const Song s = songWith({on("x", "v", 1), on("y", "w", 2), on("z", "v", 3)});
  const Song m = withOrnamentsShifted(s, {"x", "y"}, Beats(-5));
  CHECK(m.ornament("x")->start.ticks == kTicksPerQuarter - 5);
  CHECK(m.ornament("y")->start.ticks == 2 * kTicksPerQuarter - 5);
  CHECK(m.ornament("z") == s.ornament("z")); // the very same value, shared
}

TEST_CASE("the order on a row changes and leaves other rows' order alone", "[edits]") {
  const Song s = songWith({on("a", "v", 0), on("p", "w", 0), on("b", "v", 0), on("q", "w", 0), on("c", "v", 0)});
  CHECK(orderOnRow(s, "b") == 1);
  CHECK(orderOf(withOrnamentAt(s, "c", 0)) == "capbq");
  CHECK(orderOf(withOrnamentAt(s, "a", 1)) == "pbqac");
  CHECK(orderOf(withOrnamentAt(s, "a", 2)) == "pbqca");
  CHECK(orderOf(withOrnamentAt(s, "q", 0)) == "aqpbc");
  CHECK(orderOf(withOrnamentAt(s, "none", 0)) == orderOf(s));
}

TEST_CASE("variants keep complete settings under their letters", "[edits]") {
  Ornament o = on("x", "v", 0);
  o.settings["depth_db"] = -12.0;
  Song s = songWith({o});
  s = withVariant(s, "x", "B"); // begins as a copy
  CHECK(s.ornament("x")->variant == "B");
  CHECK(*s.ornament("x")->settings.at("depth_db").number() == -12);
  s = withSetting(s, "x", "depth_db", -40.0);
  s = withVariant(s, "x", "D");
  s = withVariant(s, "x", "A");
  CHECK(*s.ornament("x")->settings.at("depth_db").number() == -12);
  REQUIRE(s.ornament("x")->variants.size() == 2);
  CHECK(s.ornament("x")->variants[0].slot == "B");
  CHECK(s.ornament("x")->variants[1].slot == "D");
  s = withVariant(s, "x", "B");
  CHECK(*s.ornament("x")->settings.at("depth_db").number() == -40);
  CHECK(withVariant(s, "x", "B") == s);
  s = withoutVariant(s, "x", "D");
  CHECK(s.ornament("x")->variants.size() == 1);
}

TEST_CASE("a point set on a curve changes nothing of its shape", "[edits]") {
  for (const double bend : {0.0, 0.6, -0.9}) {
    const Curve before(std::vector<CurvePoint>{{0, 10, 0}, {4, 90, bend}, {6, 20, -bend}});
    Curve after = before;
    CHECK(insertPoint(after, 1.3) == 1);
    CHECK(insertPoint(after, 5.1) == 3);
    CHECK(insertPoint(after, 7) == 5); // past the end: flat there
    REQUIRE(after.points().size() == 6);
    for (double x = -1; x < 8; x += 0.037) CHECK(after.at(x) == Approx(before.at(x)).margin(1e-9));
  }
  Curve flat(50.0); // a plain number gets a second point
  insertPoint(flat, 2);
  CHECK(flat.points().size() == 2);
  CHECK(flat.at(5) == 50);
}

TEST_CASE("points stay between their neighbours and inside the limits; bends pass where they are pulled", "[edits]") {
  const CurveLimits limits{0, 8, 0, 200};
  const Curve c(std::vector<CurvePoint>{{0, 0, 0}, {2, 100, 0}, {4, 50, 0}});
  CHECK(withPointMoved(c, 1, 9, 300, limits).points()[1] == CurvePoint{4, 200, 0});
  CHECK(withPointMoved(c, 1, -3, -1, limits).points()[1] == CurvePoint{0, 0, 0});
  CHECK(withPointMoved(c, 2, 99, 50, limits).points()[2].x == 8);
  for (const double y : {20.0, 50.0, 80.0}) {
    const Curve bent = withBend(c, 1, bendThrough(c, 1, 1.0, y));
    CHECK(bent.at(1.0) == Approx(y).margin(0.01));
    CHECK(bent.at(2.0) == Approx(100));
  }
  CHECK(withBend(c, 1, 3).points()[1].bend == 1);
  CHECK(withBend(c, 0, 0.5) == c); // nothing arrives at the first point
  Curve one = withoutPoint(withoutPoint(c, 0), 0);
  CHECK(one.points().size() == 1);
  CHECK(withoutPoint(one, 0) == one);
  CHECK(one.value().number());
  CHECK(shifted(c, 1.5).at(3.5) == 100);
}

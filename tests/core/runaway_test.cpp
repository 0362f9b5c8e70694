// Feedback over 100 % is given an end by the edit that leaves it there, and by no other.
#include "manners/runaway.h"
#include "song/edits.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::test;

namespace {

double cutOf(const Song& s) {
  const auto& set = s.ornament("o1")->settings;
  const auto cut = set.find("cut_at");
  return cut == set.end() || !cut->second.number() ? 0 : *cut->second.number();
}

} // namespace

TEST_CASE("feedback over 100 % ends at the next landing, or eight bars on", "[throw][runaway]") {
  Ornament o;
  o.id = "o1";
  o.kind = "delay-throw";
  o.on = kMixRow;
  o.start = o.length = Beats::ofQuarters(2);
  Song start;
  start.ornaments.push_back(o);
  const auto turned = [](const Song& s, Value feedback, const char* key = "feedback_percent") {
    std::vector<std::string> ended;
    const Song edited = withSetting(s, "o1", key, std::move(feedback));
    Song next = withRunawaysEnded(s, edited, &ended);
    CHECK(ended.size() == (cutOf(next) != cutOf(edited) ? 1 : 0));
    return next;
  };
  CHECK(cutOf(turned(start, 100.0)) == 0);
  CHECK(cutOf(turned(start, 101.0)) == 34); // bar 2 begins on beat 4: eight bars on is beat 36, counted from beat 2
  CHECK(cutOf(turned(start, 101.0, "feedback_right_percent")) == 34);
  // A curve counts by its end.
  CHECK(cutOf(turned(start, List{List{0.0, 130.0}, List{4.0, 80.0}})) == 0);
  CHECK(cutOf(turned(start, List{List{0.0, 80.0}, List{4.0, 130.0}})) == 34);
  // The next landing after its stretch, where there is one before that.
  Song landed = start;
  landed.landings = {{"l", Beats::ofQuarters(4), "at its end"}, {"m", Beats::ofQuarters(16), "later"}};
  CHECK(cutOf(turned(landed, 101.0)) == 14);
  landed.landings.back().at = Beats::ofQuarters(400);
  CHECK(cutOf(turned(landed, 101.0)) == 34);
  // Songs of before stay as they are, whatever else is changed in them; the end may be taken away.
  const Song old = withSetting(start, "o1", "feedback_percent", 120.0);
  CHECK(cutOf(withRunawaysEnded(old, old)) == 0);
  CHECK(cutOf(turned(old, -6.0, "wet_db")) == 0);
  CHECK(cutOf(turned(old, 125.0)) == 34);
  const Song ended = turned(start, 120.0);
  CHECK(cutOf(turned(ended, Value(), "cut_at")) == 0);
  CHECK(cutOf(turned(ended, 4.0, "cut_at")) == 4); // as it was set
  CHECK(cutOf(turned(withSetting(ended, "o1", "cut_at", 4.0), 130.0)) == 4);
  // Turned back within the same edit it is as it was; an end that was set meanwhile stays.
  const auto back = [&](const Song& from) {
    return cutOf(withEndTakenBack(ended, withSetting(from, "o1", "feedback_percent", 90.0), "o1"));
  };
  CHECK(back(ended) == 0);
  CHECK(back(withSetting(ended, "o1", "cut_at", 4.0)) == 4);
  CHECK(cutOf(withEndTakenBack(ended, withSetting(ended, "o1", "feedback_percent", 110.0), "o1")) == 34);
}

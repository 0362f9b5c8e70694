// Cells of a stutter cut and joined one by one: where they stand, what they keep, what is heard.
#include "ornaments/stutter.h"

#include "audio/chance.h"
#include "song/settings/setting_type.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr int kRate = 48000;

struct Cut {
  StutterShape shape;
  std::unique_ptr<Cells> cells;
};
Cut shapeOf(const RenderPlan& plan, const Ornament& o) {
  const Placed p{o, plan.context()};
  return {StutterShape(p), Stutter().cells(p)};
}

/// What a cell plays, but for where it stands and how long it is.
void sameSound(const StutterShape::Cell& a, const StutterShape::Cell& b) {
  CHECK(a.speed == b.speed);
  CHECK(a.reversed == b.reversed);
  CHECK(a.gains.left == b.gains.left);
  CHECK(a.gains.right == b.gains.right);
}

} // namespace

TEST_CASE("a cut halves one cell and leaves all others; joined again all is as it was", "[stutter]") {
  const std::vector<Settings> all{
      {},
      {{"slice", "1/8."}},
      {{"slice", "1/16t"}},
      {{"slice", "1 bar"}},
      {{"slice", 130.0}},
      {{"count", 5.0}},
      {{"pattern", List{List{"1/8", 2.0}, List{"1/16", 3.0}}}},
      {{"pattern", List{List{"1/8", 1.0}, List{"1/16t", 3.0}, List{77.0, 2.0}}}, {"pattern_fill", "cycle"}},
  };
  const Settings lists{{"gains_db", List{0.0, -6.0, Value()}},
                       {"pitches", List{0.0, 7.0}},
                       {"pan_pattern", List{-0.5, 0.5, 0.0, 0.2}},
                       {"reverse_every", 3.0},
                       {"order", List{1.0, 3.0, 2.0}}};
  for (std::size_t i = 0; i < all.size(); ++i)
    for (const bool withLists : {false, true}) {
      INFO("settings " << i << (withLists ? ", with lists" : ""));
      TestSong t(kRate, 93.7);
      t.stem("v", 30 * kRate, noise(1, 0.5));
      Settings s = all[i];
      if (withLists) s.insert(lists.begin(), lists.end());
      t.ornament("stutter", "v", 3.5, 9, s);
      const auto plan = t.plan();
      const Ornament was = t.ornaments.back();
      const Cut before = shapeOf(*plan, was);
      const std::int64_t n = before.cells->end();
      for (std::int64_t k = 0; k < n; ++k) {
        INFO("cell " << k << " of " << n);
        const auto cut = before.cells->cut(k);
        REQUIRE(cut);
        const Cut after = shapeOf(*plan, *cut);
        const auto end = [&](const Cut& c, std::int64_t cell) { return c.shape.grid.begin(cell + 1).count; };
        REQUIRE(std::abs(after.cells->end() - n - 1) <= (k + 1 == n ? 1 : 0)); // the last one may end at its middle
        for (std::int64_t j = 0; j <= n && j < after.cells->end(); ++j) {
          const std::int64_t from = j <= k ? j : j - 1;
          sameSound(after.shape.cell(j), before.shape.cell(from));
          if (j != k) CHECK(std::abs(end(after, j) - end(before, from)) <= 1);
        }
        // The half is a half in time, to the frame.
        const std::int64_t begin = before.shape.grid.begin(k).count;
        CHECK(std::abs(2 * (end(after, k) - begin) - (end(before, k) - begin)) <= 2);
        const auto joined = after.cells->joined(k, k + 1);
        if (k + 1 == n) continue;
        REQUIRE(joined);
        const Cut again = shapeOf(*plan, *joined);
        REQUIRE(again.cells->end() == n);
        for (std::int64_t j = 0; j < n; ++j) {
          sameSound(again.shape.cell(j), before.shape.cell(j));
          CHECK(again.shape.cell(j).slice == before.shape.cell(j).slice);
          CHECK(std::abs(end(again, j) - end(before, j)) <= 1);
        }
        if (!withLists && i < 6) CHECK(*joined == was); // equal cells again, and nothing left of the cut
      }
    }
}

TEST_CASE("cells that play their own slices are cut and joined without a change of sound", "[stutter]") {
  // All slices in their order are the row itself; however they are cut, it stays so.
  List order;
  for (int k = 1; k <= 32; ++k) order.emplace_back(static_cast<double>(k));
  TestSong t(kRate, 101);
  t.stem("v", 12 * kRate, noise(4, 0.5));
  t.ornament("stutter", "v", 2, 8, {{"order", order}});
  Ornament o = t.ornaments.back();
  const StereoBuffer row = fill(10 * kRate, noise(4, 0.5));
  Chance draw(5);
  int cuts = 0;
  for (int i = 0; i < 40; ++i) {
    const auto plan = t.plan();
    const Cut now = shapeOf(*plan, o);
    const auto n = static_cast<double>(now.cells->end());
    const auto k = static_cast<std::int64_t>(draw.unit() * (n - 2));
    const auto next = draw.unit() < 0.6 ? now.cells->cut(k) : now.cells->joined(k, k + 1 + (i % 3 == 0 ? 1 : 0));
    if (!next) continue;
    o = *next;
    t.ornaments.back() = o;
    ++cuts;
    const StereoBuffer y = rowOut(*t.plan(), "v", 0, 10 * kRate);
    INFO("step " << i);
    float off = 0; // where it comes in the same sound is faded against itself: rounding
    for (std::int64_t f = 0; f < y.frames(); ++f) off = std::max(off, std::abs(y.left()[f] - row.left()[f]));
    CHECK(off < 1e-6f);
  }
  CHECK(cuts >= 30);
}

TEST_CASE("cells are joined over several, and what cannot be cut is left alone", "[stutter]") {
  TestSong t(kRate, 120);
  t.stem("v", 12 * kRate, noise(4, 0.5));
  t.ornament("stutter", "v", 0, 4);
  const auto plan = t.plan();
  const Ornament o = t.ornaments.back();
  const auto lengthsOf = [&](const Ornament& now) {
    const Cut c = shapeOf(*plan, now);
    std::vector<std::string> all;
    for (std::int64_t k = 0; k < c.cells->end(); ++k) all.push_back(c.cells->lengthText(k));
    return all;
  };
  const auto three = shapeOf(*plan, o).cells->joined(1, 3);
  REQUIRE(three);
  CHECK(lengthsOf(*three)[1] == "1/8.");
  CHECK(lengthsOf(*three).size() == 14);
  const auto five = shapeOf(*plan, o).cells->joined(0, 4); // no note value: 625 ms at this tempo
  REQUIRE(five);
  CHECK(shapeOf(*plan, *five).shape.grid.begin(1).count == 30000);
  CHECK(shapeOf(*plan, *five).shape.grid.begin(2).count == 36000);
  // Down to 1/128, then in milliseconds, and never under one.
  Ornament finest = o;
  for (int i = 0; i < 3; ++i) finest = *shapeOf(*plan, finest).cells->cut(0);
  CHECK(lengthsOf(finest)[0] == "1/128");
  int more = 0;
  while (const auto next = shapeOf(*plan, finest).cells->cut(0)) {
    finest = *next;
    ++more;
  }
  CHECK(more == 3); // 15.6 ms: 7.8, 3.9, 1.95
  Problems problems;
  Stutter().table().find("pattern")->type->check(*Stutter().table().find("pattern"), finest.settings.at("pattern"), "",
                                                 problems);
  CHECK(problems.list.empty());
  // At most 64 runs are written.
  Ornament ragged = o;
  ragged.length = Beats::ofQuarters(64);
  int done = 0;
  for (std::int64_t k = 0; k < 200; k += 4) {
    const auto next = shapeOf(*plan, ragged).cells->cut(k);
    if (!next) break;
    ragged = *next;
    ++done;
  }
  CHECK(done == 32); // two runs each
  CHECK(ragged.settings.at("pattern").list()->size() <= 64);
}

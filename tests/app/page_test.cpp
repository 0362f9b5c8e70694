// The parts of the score by themselves: what is on the page, where the view travels, and a picture as a value.
#include "app/theme/type.h"
#include "rig.h"

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

PageSpec pageOf(int rows, int height) {
  PageSpec s;
  s.size = {1280, height};
  for (int i = 0; i < rows; ++i) s.rows.push_back("r" + std::to_string(i));
  return s;
}

Song songWithLandings(std::initializer_list<double> beats) {
  Song s;
  for (const double b : beats)
    s.landings.push_back({"l" + std::to_string(s.landings.size()), Beats::ofQuarters(b), "l"});
  return s;
}

} // namespace

TEST_CASE("rows lie under each other without a gap, between ruler and foot", "[page]") {
  for (const int rows : {1, 2, 5, 11, 24, 60})
    for (const int height : {300, 700, 1440})
      for (const bool open : {false, true}) {
        INFO(rows << " rows in " << height << (open ? ", one open" : ""));
        PageSpec spec = pageOf(rows, height);
        if (rows > 2) spec.folded = {"r1", "r2"};
        if (open) spec.open = {"r0", 36, 130};
        const Page page = layOutPage(spec);
        REQUIRE(page.rows.size() == static_cast<std::size_t>(rows));
        int y = Page::rulerHeight(), sum = 0;
        for (const RowBox& r : page.rows) {
          CHECK(r.y == y);
          CHECK(r.height >= 18);
          CHECK(r.staffTop >= r.y);
          CHECK(r.staffTop + r.staffHeight <= r.y + r.height);
          CHECK(r.staffHeight >= (r.open ? 96 : 12));
          CHECK(r.open == (open && r.id == "r0"));
          CHECK(r.thin == (open ? !r.open : spec.folded.contains(r.id)));
          y += r.height;
          sum += r.height;
        }
        CHECK(page.contentHeight == sum);
        CHECK(page.scrollY == 0);
        CHECK(page.bottom() == std::min(height, y));
      }
}

TEST_CASE("what there is no room for is scrolled to, never past the end", "[page]") {
  PageSpec spec = pageOf(60, 500);
  const int room = 500 - Page::rulerHeight();
  spec.scrollY = 1 << 20;
  const Page end = layOutPage(spec);
  CHECK(end.scrollY == end.contentHeight - room);
  CHECK(end.rows.back().y + end.rows.back().height == 500);
  CHECK(end.rowAt(499)->id == "r59");
  CHECK(end.rowAt(Page::rulerHeight() - 1) == nullptr); // nothing is taken under the ruler
  spec.scrollY = -5;
  const Page begin = layOutPage(spec);
  CHECK(begin.scrollY == 0);
  CHECK(begin.scrollTo("r0") == 0);
  // The least way that shows it whole.
  spec.scrollY = begin.scrollTo("r30");
  const Page there = layOutPage(spec);
  CHECK(there.row("r30")->y + there.row("r30")->height == 500);
  spec.scrollY = there.scrollTo("r3");
  CHECK(layOutPage(spec).row("r3")->y == Page::rulerHeight());
  CHECK(there.scrollTo("nowhere") == there.scrollY);
  CHECK(layOutPage(pageOf(0, 500)).rows.empty());
  CHECK(layOutPage(pageOf(0, 500)).rowAt(200) == nullptr);
  CHECK(begin.between("r2", "r5") == std::vector<std::string>{"r3", "r4", "r5"});
  CHECK(begin.between("r5", "r2") == std::vector<std::string>{"r2", "r3", "r4"});
  CHECK(begin.between("r2", "r2").empty());
}

TEST_CASE("the view zooms about what is under the mouse and scrolls by whole pixels", "[page]") {
  ScoreTravel travel(nullptr);
  travel.fit(112, 1000);
  travel.restore(8, 25);
  int told = 0;
  QObject::connect(&travel, &ScoreTravel::moved, &travel, [&] { ++told; });
  for (const double factor : {1.25, 3.0, 0.1, 1 / 1.25}) {
    const double under = travel.axis().quartersAt(700);
    travel.zoom(factor, 700);
    CHECK(travel.axis().quartersAt(700) == Approx(under).margin(1e-9));
  }
  CHECK(told == 4);
  for (int i = 0; i < 60; ++i) travel.zoom(2, 700);
  CHECK(travel.axis().pxPerBeat == 60000);
  for (int i = 0; i < 60; ++i) travel.zoom(0.5, 700);
  CHECK(travel.axis().pxPerBeat == 1.5);
  // At 150 % whole device pixels are two thirds of one; what is left over is not lost.
  travel.restore(0, 30);
  double sum = 0;
  for (int i = 0; i < 100; ++i) {
    const double by = travel.scrollBy(0.7, 1.5);
    CHECK(std::abs(by * 1.5 - std::round(by * 1.5)) < 1e-9);
    sum += by;
  }
  CHECK(sum == Approx(70).margin(0.7));
  CHECK(travel.axis().left == Approx(sum / 30));
}

TEST_CASE("an eased view travels from where it was to where it goes, both edges one way", "[page]") {
  ScoreTravel travel(nullptr);
  travel.fit(112, 1000);
  travel.restore(0, 25);
  double left = travel.axis().left, right = travel.axis().right();
  int steps = 0;
  QObject::connect(&travel, &ScoreTravel::moved, &travel, [&] {
    CHECK(travel.axis().left >= left - 1e-9);
    CHECK(travel.axis().right() <= right + 1e-9);
    left = travel.axis().left;
    right = travel.axis().right();
    ++steps;
  });
  travel.showRange(10, 14, true);
  CHECK(travel.easing());
  travel.endEasing();
  CHECK_FALSE(travel.easing());
  CHECK(steps >= 1);
  CHECK(travel.axis().left == Approx(10));
  CHECK(travel.axis().right() == Approx(14));
  travel.showRange(10, 10, false); // no width at all is the nearest there is
  CHECK(travel.axis().pxPerBeat == 60000);
}

TEST_CASE("bars are counted to a landing that is there", "[page]") {
  ScoreTravel travel(nullptr);
  travel.fit(112, 1000);
  Song song = songWithLandings({0, 16, 32});
  travel.goHome(song);
  CHECK(travel.landing()->id == "l1"); // the first after bar 1
  CHECK(travel.axis().left == -0.5);   // nothing is tied anywhere: the first bar
  song.startSeconds = 1;               // two beats of the stems before it
  travel.goHome(song);
  CHECK(travel.axis().left == -2);
  Ornament o;
  o.id = "o1";
  o.kind = "delay-throw";
  o.on = "x";
  o.landing = "l2";
  song.ornaments.push_back(o);
  travel.goHome(song);
  CHECK(travel.landing()->id == "l2"); // where something is tied
  CHECK(travel.axis().left == Approx(32 - 21));
  travel.goToLanding(song, -1);
  CHECK(travel.landing()->id == "l1");
  for (int i = 0; i < 5; ++i) travel.goToLanding(song, -1); // no farther than the first
  CHECK(travel.landing()->id == "l0");
  travel.endEasing();
  travel.renewLanding(songWithLandings({4, 16}));
  CHECK(travel.landing()->at == Beats::ofQuarters(4)); // it was moved
  travel.setLanding(song.landingById("l2"));
  travel.renewLanding(songWithLandings({0, 16})); // it has gone: the nearest to the middle
  CHECK(travel.landing()->id == (std::abs((travel.axis().left + travel.axis().right()) / 2 - 16) <
                                         std::abs((travel.axis().left + travel.axis().right()) / 2)
                                     ? "l1"
                                     : "l0"));
  travel.renewLanding(Song());
  CHECK_FALSE(travel.landing());
  travel.goToLanding(Song(), 1); // nothing to go to
  CHECK_FALSE(travel.landing());
}

TEST_CASE("a picture of the score stays what it was when the song moves on", "[page]") {
  SmallSongRig rig;
  rig.place("delay-throw", "voice", 8, 9.5);
  rig.settle();
  RowWaves waves;
  waves.show({rig.session->plan(), rig.session->audio(), rig.session->rows().peaks()});
  OrnamentLayout marks;
  ScorePicture then;
  then.page = layOutPage({{1280, 700}, rig.session->song().rowsInScoreOrder(), {}, std::nullopt, 0});
  then.axis = {static_cast<double>(Page::marginWidth()), 1100, 4, 40};
  then.plan = rig.session->plan();
  std::int64_t frames = std::int64_t{1} << 40;
  marks.learn(*then.plan, [&](const OrnamentNode& n) { return waves.heard(n, frames); });
  marks.place(then.page.rows, then.axis);
  then.ornaments = marks.shared();
  then.selection = Selection{"keys", Beats::ofQuarters(8), Beats::ofQuarters(12), {}};
  StaffPaint memory;
  const auto painted = [&](const ScorePicture& s) {
    QImage image(s.page.size, QImage::Format_RGB32);
    image.fill(Qt::white);
    QPainter p(&image);
    paintStaves(p, s, waves, memory, s.page.staves());
    paintRuler(p, s, QRect(QPoint(), s.page.size));
    paintMargin(p, s, QRect(QPoint(), s.page.size));
    paintMarks(p, s, QRect(QPoint(), s.page.size), {});
    return image;
  };
  const QImage before = painted(then);
  // Everything that is shown changes: an ornament goes, another comes, a row is muted, a section moves.
  rig.session->undo();
  rig.place("tape", "keys", 12, 16);
  Song next = rig.session->song();
  next.sections[1].at = Beats::ofQuarters(20);
  rig.session->edit("sections", next);
  marks.learn(*rig.session->plan(), [](const OrnamentNode&) { return std::nullopt; });
  marks.place(then.page.rows, then.axis);
  rig.settle();
  CHECK(painted(then) == before);
  // And a picture of now is another one.
  ScorePicture now = then;
  now.plan = rig.session->plan();
  now.ornaments = marks.shared();
  CHECK_FALSE(painted(now) == before);
  // With two painting threads as with one: a narrow part of it, painted by this thread alone, is the same.
  QImage part(then.page.size, QImage::Format_RGB32);
  QPainter p(&part);
  const QRect narrow(600, Page::rulerHeight(), 200, 700 - Page::rulerHeight());
  paintStaves(p, then, waves, memory, narrow);
  QImage whole(then.page.size, QImage::Format_RGB32);
  QPainter w(&whole);
  paintStaves(w, then, waves, memory, then.page.staves());
  CHECK(part.copy(narrow) == whole.copy(narrow));
}

TEST_CASE("a long print is looked at piece by piece, and comes to the same", "[page]") {
  SmallSongRig rig;
  Ornament o;
  o.id = "o1";
  o.kind = "pulse";
  o.on = "drums";
  o.start = Beats(0);
  o.length = Beats::ofQuarters(56); // 28 s
  rig.session->edit(QStringLiteral("pulse"), withOrnament(rig.session->song(), o));
  rig.session->waitUntilIdle();
  const auto plan = rig.session->plan();
  const OrnamentNode& node = *plan->node("o1");
  REQUIRE(node.print->complete());
  RowWaves whole, pieces;
  whole.show({plan, rig.session->audio(), {}});
  pieces.show({plan, rig.session->audio(), {}});
  std::int64_t all = std::int64_t{1} << 40, events = 0;
  std::optional<FrameRange> heard;
  for (; !heard && events < 100; ++events) {
    std::int64_t frames = RowWaves::kAtOnce;
    heard = pieces.heard(node, frames);
    CHECK(frames > -65536); // no more than a piece beyond
  }
  const std::int64_t length = (node.print->ready() - node.print->first()).count;
  CHECK(events == (length + RowWaves::kAtOnce - 1) / RowWaves::kAtOnce);
  CHECK(heard == whole.heard(node, all));
}

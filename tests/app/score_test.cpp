// Handling ornaments in the score: lanes and order, brackets, several at once, sources elsewhere, several rows, grids,
// folding, a sign dropped on a row.
#include "app/score/magnifier.h"
#include "app/score/sign_strip.h"
#include "app/theme/palette.h"
#include "app/theme/signs.h"
#include "rig.h"

#include <catch2/catch.hpp>

#include <QDropEvent>
#include <QMimeData>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

BeatRange span(double a, double b) {
  return {Beats::ofQuarters(a), Beats::ofQuarters(b)};
}

} // namespace

TEST_CASE("lanes: what overlaps stands below what comes before it; groups share their number of lanes", "[score]") {
  using Lanes = std::vector<std::pair<int, int>>;
  CHECK(lanesOf({}).empty());
  CHECK(lanesOf({span(0, 1), span(1, 2), span(5, 6)}) == Lanes{{0, 1}, {0, 1}, {0, 1}}); // touching is not overlapping
  CHECK(lanesOf({span(0, 4), span(2, 6), span(8, 9)}) == Lanes{{0, 2}, {1, 2}, {0, 1}});
  // The first and last do not meet, but are joined by the middle one.
  CHECK(lanesOf({span(0, 3), span(5, 8), span(2, 6)}) == Lanes{{0, 2}, {0, 2}, {1, 2}});
  // Never more than four, however many there are.
  for (const auto& [lane, lanes] : lanesOf(std::vector<BeatRange>(9, span(0, 1)))) {
    CHECK(lane < 4);
    CHECK(lanes == 4);
  }
}

TEST_CASE("every kind has a sign of its own, legible at 14 pixels on both papers", "[score]") {
  CHECK(signKinds().size() == 12);
  std::vector<QImage> seen;
  for (const QString& kind : signKinds())
    for (const double ratio : {1.0, 2.0}) {
      QImage image(static_cast<int>(20 * ratio), static_cast<int>(14 * ratio), QImage::Format_RGB32);
      image.setDevicePixelRatio(ratio);
      image.fill(dayPaper().paper);
      QPainter p(&image);
      drawSign(p, kind, QRectF(0, 0, 20, 14), dayPaper().ink);
      p.end();
      INFO(kind.toStdString() << " at " << ratio);
      const int dark = pixelsNear(image, image.rect(), dayPaper().ink, 150), all = image.width() * image.height();
      CHECK(dark > all * 0.04); // there is a mark
      CHECK(dark < all * 0.60); // and not a blot
      // Nothing is cut off at the edges.
      for (int x = 0; x < image.width(); ++x)
        for (const int y : {0, image.height() - 1})
          CHECK(image.pixelColor(x, y).lightness() > dayPaper().paper.lightness() - 90);
      if (ratio == 1) {
        for (const QImage& other : seen) CHECK(image != other);
        seen.push_back(image);
      }
    }
}

TEST_CASE("overlapping ornaments stand in lanes; their order is dragged by the number", "[score]") {
  const TempoMap map;
  SmallSongRig rig;
  const std::string a = rig.place("delay-throw", "voice", 8, 9.5), b = rig.place("delay-throw", "voice", 9, 10);
  rig.score().showRange(4, 20, false);
  const OrnamentBox *first = rig.score().layoutOfOrnaments().box(a), *second = rig.score().layoutOfOrnaments().box(b);
  REQUIRE(first);
  REQUIRE(second);
  CHECK(first->lanes == 2);
  CHECK(second->lane == 1);
  CHECK(second->sign.top() > first->sign.bottom());
  CHECK_FALSE(first->number.isEmpty());
  // The second one is grabbed in its lane, by its own sign.
  QTest::mouseClick(&rig.score(), Qt::LeftButton, {}, second->sign.center().toPoint());
  CHECK(rig.session->chosen() == b);
  rig.score().opened().close();
  rig.settleView();
  rig.score().showRange(4, 20, false);
  // Its number is dragged up into the first lane.
  first = rig.score().layoutOfOrnaments().box(a);
  second = rig.score().layoutOfOrnaments().box(b);
  const QPoint from = second->number.center().toPoint();
  const QPoint to(from.x(), static_cast<int>(first->bandTop + first->bandHeight / 2));
  rig.drag(&rig.score(), from, to);
  CHECK(rig.session->song().ornaments[0]->id == b);
  CHECK(rig.session->history().undoLabel() == "change order of delay throw");
  CHECK(rig.score().layoutOfOrnaments().box(b)->lane == 0);
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song().ornaments[0]->id == a);
  // And by keys.
  rig.score().opened().open(b);
  rig.settle();
  rig.key(Qt::Key_Up, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(rig.session->song().ornaments[0]->id == b);
  rig.key(Qt::Key_Down, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(rig.session->song().ornaments[0]->id == a);
}

TEST_CASE("the bracket under the mouse drags source edges and the end of the tail", "[score]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 8, 9.5);
  rig.score().showRange(4, 24, false);
  const Ornament before = rig.ornament(id);
  const auto box = [&] { return *rig.score().layoutOfOrnaments().box(id); };
  CHECK(rig.score().mouse().hot().empty());
  rig.hoverAt(box().sign.center());
  CHECK(rig.score().mouse().hot() == id);
  const double px = rig.score().axis().pxPerBeat;
  const auto pull = [&](double x, double beats, Qt::KeyboardModifiers m = {}) {
    rig.hoverAt(box().sign.center());
    const QPoint from = QPointF(x, box().bracketY).toPoint();
    rig.drag(&rig.score(), from, from + QPoint(static_cast<int>(std::lround(beats * px)), 0), m);
    rig.settle();
  };
  pull(box().end, -0.5);
  CHECK(rig.ornament(id).length == Beats::ofQuarters(1));
  CHECK(rig.ornament(id).start == before.start);
  CHECK(rig.session->history().undoLabel() == "change source of delay throw");
  pull(box().begin, 0.25);
  CHECK(rig.ornament(id).start == Beats::ofQuarters(8.25));
  CHECK(rig.ornament(id).span().end == Beats::ofQuarters(9));
  // The end of its tail: cut there, and the print really ends there.
  rig.hoverAt(box().sign.center());
  const double wanted = 11;
  const QPoint tail = QPointF(box().tailX, box().bracketY).toPoint();
  const auto x = static_cast<int>(std::lround(rig.score().axis().xOf(Beats::ofQuarters(wanted))));
  INFO("tail at " << box().tailX << ", source end " << box().end << ", to " << x);
  rig.drag(&rig.score(), tail, QPoint(x, tail.y()));
  rig.settle();
  REQUIRE_FALSE(settingOr(allKinds().find("delay-throw")->table(), rig.ornament(id).settings, "cut_at").isNull());
  CHECK(setting(rig.ornament(id), "cut_at") == Approx(wanted - 8.25).margin(1e-6));
  const auto end = rig.session->plan()->node(id)->extent().end;
  CHECK(std::abs(end.count - rig.session->plan()->map().frameAt(Beats::ofQuarters(wanted)).count) < 600);
  CHECK(rig.session->history().undoLabel() == "change tail of delay throw");
  // The body itself.
  pull((box().begin + box().end) / 2, 2);
  CHECK(rig.ornament(id).start == Beats::ofQuarters(10.25));
  for (int i = 0; i < 4; ++i) rig.key(Qt::Key_Z, Qt::ControlModifier); // each drag was one step
  CHECK(rig.ornament(id) == before);
}

TEST_CASE("while dragging, landings draw what comes near, and say so", "[score]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 12, 13);
  rig.window->snap().setText("free");
  rig.score().showRange(4, 24, false);
  const QPoint from = rig.score().signOf(id).center().toPoint();
  const double px = rig.score().axis().pxPerBeat;
  // Almost four beats later lies landing "Two" at 16: three pixels off it is drawn onto it.
  rig.drag(&rig.score(), from, from + QPoint(static_cast<int>(std::lround(4 * px)) + 3, 0));
  CHECK(rig.ornament(id).start == Beats::ofQuarters(16));
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  rig.drag(&rig.score(), from, from + QPoint(static_cast<int>(std::lround(4 * px)) + 3, 0), Qt::ShiftModifier);
  CHECK(rig.ornament(id).start != Beats::ofQuarters(16)); // Alt leaves everything
}

TEST_CASE("several ornaments are marked, moved, silenced, copied and deleted together", "[score]") {
  SmallSongRig rig;
  const std::string a = rig.place("delay-throw", "voice", 8, 9), b = rig.place("gap", "drums", 12, 13),
                    c = rig.place("gap", "keys", 20, 21);
  rig.score().showRange(4, 28, false);
  const auto sign = [&](const std::string& id) { return rig.score().signOf(id).center().toPoint(); };
  QTest::mouseClick(&rig.score(), Qt::LeftButton, Qt::ShiftModifier, sign(a));
  QTest::mouseClick(&rig.score(), Qt::LeftButton, Qt::ShiftModifier, sign(b));
  CHECK(rig.score().hand().marked() == std::set<std::string>{a, b});
  CHECK_FALSE(rig.score().opened().isOpen());
  CHECK(rig.window->measure().figures().startsWith("2 ornaments selected"));
  // One is dragged by a beat: both move, on their rows; the third stays.
  const Song before = rig.session->song();
  rig.drag(&rig.score(), sign(a), sign(a) + QPoint(static_cast<int>(std::lround(rig.score().axis().pxPerBeat)), 0));
  CHECK(rig.ornament(a).start == Beats::ofQuarters(9));
  CHECK(rig.ornament(b).start == Beats::ofQuarters(13));
  CHECK(rig.ornament(c).start == Beats::ofQuarters(20));
  CHECK(rig.session->history().undoLabel() == "move 2 ornaments");
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song() == before);
  // By a sample: exactly one frame.
  const Frames at = rig.session->plan()->map().frameAt(rig.ornament(a).start);
  rig.key(Qt::Key_Period);
  CHECK(rig.session->plan()->map().frameAt(rig.ornament(a).start) == at + Frames(1));
  rig.key(Qt::Key_Comma);
  rig.key(Qt::Key_Comma);
  CHECK(rig.session->plan()->map().frameAt(rig.ornament(a).start) == at - Frames(1));
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song() == before);
  // Silenced and heard again.
  rig.key(Qt::Key_X);
  CHECK_FALSE(rig.ornament(a).enabled);
  CHECK_FALSE(rig.ornament(b).enabled);
  CHECK(rig.ornament(c).enabled);
  rig.key(Qt::Key_X);
  CHECK(rig.ornament(b).enabled);
  // Copied: pasted at the caret with the same distance, on their own rows.
  rig.key(Qt::Key_C, Qt::ControlModifier);
  rig.score().caret().put(Beats::ofQuarters(40));
  rig.key(Qt::Key_V, Qt::ControlModifier);
  REQUIRE(rig.session->song().ornaments.size() == 5);
  CHECK(rig.session->song().ornaments[3]->start == Beats::ofQuarters(40));
  CHECK(rig.session->song().ornaments[3]->on == "voice");
  CHECK(rig.session->song().ornaments[4]->start == Beats::ofQuarters(44));
  CHECK(rig.session->song().ornaments[4]->on == "drums");
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  rig.key(Qt::Key_Delete);
  CHECK(rig.session->song().ornaments.size() == 1);
  CHECK(rig.session->history().undoLabel() == "delete 2 ornaments");
  CHECK(rig.score().hand().marked().empty());
  rig.key(Qt::Key_Delete); // nothing is marked or open: nothing goes
  CHECK(rig.session->song().ornaments.size() == 1);
  rig.key(Qt::Key_A, Qt::ControlModifier);
  CHECK(rig.score().hand().marked().size() == 1);
  rig.key(Qt::Key_Escape);
  CHECK(rig.score().hand().marked().empty());
}

TEST_CASE("a source is taken from elsewhere by a drag or from the selection, and brought home again", "[score]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 16, 17);
  rig.score().showRange(4, 28, false);
  const double px = rig.score().axis().pxPerBeat;
  const QPoint sign = rig.score().signOf(id).center().toPoint();
  // Ctrl: the ornament stays, its source goes two beats back on the drums.
  rig.drag(&rig.score(), sign,
           QPoint(sign.x() - static_cast<int>(std::lround(2 * px)), rig.score().staffOf("drums").center().y()),
           Qt::ControlModifier);
  REQUIRE(rig.ornament(id).source.size() == 1);
  CHECK(rig.ornament(id).source[0].row == "drums");
  CHECK(rig.ornament(id).source[0].start == Beats::ofQuarters(14));
  CHECK(rig.ornament(id).start == Beats::ofQuarters(16));
  rig.settle();
  // What echoes is the drum: the print equals the drums' own sound, a pass later.
  const auto node = rig.session->plan()->node(id);
  REQUIRE(node->print->peak() > 0.05f);
  // The frame on the drums is dragged a beat further, and its end pulled.
  const auto piece = [&] { return rig.score().pieceBoxes().at(0).rect; };
  const QPoint rim(static_cast<int>(piece().center().x()), static_cast<int>(piece().top()) + 2);
  rig.drag(&rig.score(), rim, rim + QPoint(static_cast<int>(std::lround(px)), 0));
  CHECK(rig.ornament(id).source[0].start == Beats::ofQuarters(15));
  const QPoint end(static_cast<int>(std::lround(piece().right())), static_cast<int>(piece().center().y()));
  rig.drag(&rig.score(), end, end + QPoint(static_cast<int>(std::lround(px)), 0));
  CHECK(rig.ornament(id).source[0].length == Beats::ofQuarters(2));
  // It stays when the ornament moves.
  const QPoint again = rig.score().signOf(id).center().toPoint();
  rig.drag(&rig.score(), again, again + QPoint(static_cast<int>(std::lround(4 * px)), 0));
  CHECK(rig.ornament(id).start == Beats::ofQuarters(20));
  CHECK(rig.ornament(id).source[0].start == Beats::ofQuarters(15));
  // Home again by the menu; then from what is selected, with the row open.
  rig.score().opened().open(id);
  rig.settle();
  rig.key(Qt::Key_T, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(rig.ornament(id).source.empty());
  rig.score().select(Selection{"keys", Beats::ofQuarters(18), Beats::ofQuarters(19)});
  rig.key(Qt::Key_T, Qt::ControlModifier);
  REQUIRE(rig.ornament(id).source.size() == 1);
  CHECK(rig.ornament(id).source[0].row == "keys");
  CHECK(rig.ornament(id).source[0].length == Beats::ofQuarters(1));
}

TEST_CASE("a stretch across rows is selected by mouse and by keys; one press places on each, in one step", "[score]") {
  SmallSongRig rig;
  rig.score().showRange(4, 28, false);
  // By mouse from the voice down to the drums.
  rig.drag(&rig.score(), rig.at("voice", 8), rig.at("drums", 10));
  REQUIRE(rig.score().selection());
  const auto rows = rig.score().selection()->rows();
  CHECK(std::set<std::string>(rows.begin(), rows.end()).contains("voice"));
  CHECK(std::set<std::string>(rows.begin(), rows.end()).contains("drums"));
  CHECK(rows.size() >= 2);
  CHECK(rig.window->measure().figures().contains("more"));
  rig.key(Qt::Key_Z);
  rig.settle();
  CHECK(rig.session->song().ornaments.size() == rows.size());
  for (const auto& o : rig.session->song().ornaments) CHECK(o->start == Beats::ofQuarters(8));
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song().ornaments.empty());
  rig.key(Qt::Key_Escape);
  rig.settleView();
  // By keys alone.
  rig.score().setFocus();
  rig.key(Qt::Key_Home);
  for (int i = 0; i < 4; ++i) rig.key(Qt::Key_Right, Qt::ShiftModifier);
  REQUIRE(rig.score().selection());
  CHECK(rig.score().selection()->rows().size() == 1);
  rig.key(Qt::Key_Down, Qt::ShiftModifier);
  CHECK(rig.score().selection()->rows().size() == 2);
  CHECK(rig.score().selection()->end == Beats::ofQuarters(1));
  rig.key(Qt::Key_Up, Qt::ShiftModifier);
  CHECK(rig.score().selection()->rows().size() == 1);
}

TEST_CASE("grids from whole notes to sixty-fourths, dotted, triplet and free", "[score]") {
  SmallSongRig rig;
  rig.score().showRange(0, 8, false);
  rig.score().setFocus();
  const auto snaps = [&](double from, double to) {
    rig.select("voice", from, to);
    const auto s = rig.score().selection();
    rig.score().select(std::nullopt);
    return s ? std::pair{s->begin.quarters(), s->end.quarters()} : std::pair{-1.0, -1.0};
  };
  const auto key = [&](int k) { rig.key(static_cast<Qt::Key>(k), Qt::ControlModifier); };
  key(Qt::Key_3); // quarters
  CHECK(rig.window->snap().text() == "1/4");
  CHECK(rig.score().gridMark()->text() == "grid 1/4");
  CHECK(snaps(1.1, 2.9) == std::pair{1.0, 3.0});
  key(Qt::Key_7);
  CHECK(snaps(1.07, 2.93) == std::pair{1.0625, 2.9375});
  key(Qt::Key_4);
  rig.key(Qt::Key_T, Qt::ShiftModifier); // eighth triplets
  CHECK(rig.window->snap().text() == "1/8t");
  CHECK(snaps(1.3, 2.7).first == Approx(4.0 / 3).margin(1e-9));
  rig.key(Qt::Key_D, Qt::ShiftModifier); // dotted eighths, counted from the bar line
  CHECK(rig.window->snap().text() == "1/8.");
  CHECK(snaps(0.8, 1.4) == std::pair{0.75, 1.5});
  CHECK(snaps(3.9, 4.8) == std::pair{4.0, 4.75}); // and anew at the next one
  rig.key(Qt::Key_D, Qt::ShiftModifier);
  CHECK(rig.window->snap().text() == "1/8");
  rig.key(Qt::Key_Plus);
  CHECK(rig.window->snap().text() == "1/16");
  rig.key(Qt::Key_Minus);
  rig.key(Qt::Key_Minus);
  CHECK(rig.window->snap().text() == "1/4");
  key(Qt::Key_8); // free
  CHECK(snaps(1.1, 2.9).first == Approx(1.1).margin(0.02));
}

TEST_CASE("an edge is seen under the lens with its attacks, and Alt and Shift find the attack", "[score]") {
  SmallSongRig rig;
  CHECK(rig.session->rows().onsets("drums").size() >= 60);                     // a stroke each half second
  CHECK(std::abs(rig.session->rows().onsets("drums")[1].count - 24000) < 144); // within 3 ms
  rig.score().showRange(0, 8, false);
  // Free, but onto the attack: from 60 ms after it.
  rig.drag(&rig.score(), rig.at("drums", 1.05), rig.at("drums", 2.05), Qt::ControlModifier | Qt::ShiftModifier);
  REQUIRE(rig.score().selection());
  const TempoMap& map = rig.session->plan()->map();
  CHECK(std::abs(map.frameAt(rig.score().selection()->begin).count - 24000) < 144);
  CHECK(std::abs(map.frameAt(rig.score().selection()->end).count - 48000) < 144);
  CHECK(nearestOnsetWords(map, rig.session->rows().onsets("drums"), rig.score().selection()->begin) ==
        "on the transient");
  CHECK(nearestOnsetWords(map, rig.session->rows().onsets("drums"), map.beatAt(Frames(24000 + 480)))
            .startsWith("transient 1"));
  // The lens itself: ink on a card above the staff while the edge is held.
  const QPoint edge = rig.at("drums", rig.score().selection()->end.quarters());
  QTest::mousePress(&rig.score(), Qt::LeftButton, {}, edge);
  Rig::moveTo(&rig.score(), edge + QPoint(12, 0));
  const QImage shot = rig.score().grab().toImage();
  const QRect staff = rig.score().staffOf("drums");
  const QRect lens(edge.x() - 90, staff.top() - 90, 180, 60);
  CHECK(pixelsNear(shot, lens, paper().card, 12) > 4000);
  CHECK(pixelsNear(shot, lens, paper().wave, 120) > 60);
  QTest::mouseRelease(&rig.score(), Qt::LeftButton, {}, edge + QPoint(12, 0));
}

TEST_CASE("staves fold by hand and, where nothing happens, by themselves", "[score]") {
  SmallSongRig rig;
  const int full = rig.score().staffOf("drums").height();
  rig.score().folds().toggle("drums");
  CHECK(rig.score().staffOf("drums").height() < full / 2);
  CHECK(rig.score().staffOf("voice").height() >= full);
  rig.score().folds().toggle("drums");
  CHECK(rig.score().staffOf("drums").height() == full);
  // By a double click on its name.
  auto* head = rig.window->findChild<QWidget*>("row-drums");
  REQUIRE(head);
  QTest::mouseDClick(head, Qt::LeftButton, {}, QPoint(50, 8));
  CHECK(rig.score().folds().folded("drums"));
  QTest::mouseDClick(head, Qt::LeftButton, {}, QPoint(50, 8));
  // Quiet ones: only the voice has an ornament in view.
  rig.place("delay-throw", "voice", 8, 9);
  rig.score().showRange(4, 20, false);
  rig.score().setFocus();
  rig.key(Qt::Key_F);
  rig.settleView();
  CHECK(rig.score().folds().folded("drums"));
  CHECK(rig.score().folds().folded("keys"));
  CHECK_FALSE(rig.score().folds().folded("voice"));
  CHECK_FALSE(rig.score().folds().folded("mix"));
  rig.key(Qt::Key_F);
  CHECK_FALSE(rig.score().folds().folded("drums"));
}

TEST_CASE("a sign is dropped on the selection, or on another row", "[score][display]") {
  SmallSongRig rig;
  rig.score().showRange(4, 20, false);
  const auto drop = [&](QPoint at, const char* kind) {
    auto mime = std::make_unique<QMimeData>();
    mime->setData(SignStrip::kMime, kind);
    QDragEnterEvent enter(at, Qt::CopyAction, mime.get(), Qt::LeftButton, {});
    QApplication::sendEvent(&rig.score(), &enter);
    CHECK(enter.isAccepted());
    QDropEvent e(at, Qt::CopyAction, mime.get(), Qt::LeftButton, {});
    QApplication::sendEvent(&rig.score(), &e);
    rig.settle();
  };
  rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  drop(rig.at("voice", 8.6), "gap");
  REQUIRE(rig.session->song().ornaments.size() == 1);
  CHECK(rig.session->song().ornaments[0]->start == Beats::ofQuarters(8));
  rig.score().opened().close();
  rig.settleView();
  rig.score().showRange(4, 20, false);
  rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  drop(rig.at("drums", 12.02), "gap");
  REQUIRE(rig.session->song().ornaments.size() == 2);
  CHECK(rig.session->song().ornaments[1]->on == "drums");
  CHECK(rig.session->song().ornaments[1]->start == Beats::ofQuarters(12));
  CHECK(rig.session->song().ornaments[1]->length == Beats::ofQuarters(1.5));
}

TEST_CASE("a tie to the landing is a slur, made and undone by a key, and travels with it", "[score]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 12, 13);
  rig.score().goToLanding(std::string("b"));
  rig.settleView();
  rig.score().showRange(6, 22, false);
  rig.score().setFocus();
  rig.score().caret().put(Beats::ofQuarters(12));
  const auto arc = [&] {
    const QRectF sign = rig.score().signOf(id);
    const auto end = static_cast<int>(rig.score().axis().xOf(Beats::ofQuarters(16)));
    const QRect area(static_cast<int>(sign.right()) + 2, static_cast<int>(sign.top()) - 8,
                     end - static_cast<int>(sign.right()) - 8, 12);
    return pixelsNear(rig.score().grab().toImage(), area, paper().blue, 150);
  };
  const int none = arc();
  rig.key(Qt::Key_J);
  CHECK(rig.ornament(id).landing == "b");
  CHECK(arc() > none + 30);
  rig.key(Qt::Key_J);
  CHECK_FALSE(rig.ornament(id).landing);
  CHECK(arc() == none);
}

TEST_CASE("the ruler shows a number in every view, from the whole song down to single samples", "[score]") {
  SmallSongRig rig;
  for (const double width : {80.0, 16.0, 4.0, 1.0, 0.25, 0.05, 0.02}) {
    rig.score().showRange(9.03, 9.03 + width, false);
    rig.settleView();
    const int left = static_cast<int>(rig.score().axis().x0);
    const QImage ruler =
        rig.score().grab(QRect(left, 0, rig.score().width() - left, rig.score().page().rulerHeight() - 2)).toImage();
    INFO(width);
    // Figures in quiet ink or in ink, a few dozen pixels at least.
    CHECK(pixelsNear(ruler, ruler.rect(), paper().quiet, 150) > 15); // none without a number
  }
}

// Handles of the open row as values: every one of every kind, by mouse and by keys; cells that are pressed and painted.
#include "app/faces/face.h"
#include "app/openrow/open_hand.h"
#include "app/theme/type.h"
#include "rig.h"
#include "song/curve.h"

#include <set>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

/// Where a kind has something to do: on a word, or on steady keys.
struct KindAt {
  std::string kind;
  const char* row = "voice";
  double from = 8, to = 9.5;
};
std::vector<KindAt> everyKind() {
  std::vector<KindAt> all;
  for (const Kind* k : allKinds().all()) {
    KindAt at{k->table().id};
    if (at.kind == "reverse-reverb") at = {at.kind, "voice", 16, 17}; // its lead-in needs room
    if (at.kind == "tape" || at.kind == "halftime") at = {at.kind, "keys", 12, 16};
    all.push_back(at);
  }
  return all;
}

OpenCanvas canvasOf(Rig& rig, const std::string& id) {
  return {rig.score().axis(), QRectF(rig.score().openArea()), *rig.session, rig.ornament(id),
          rig.session->plan()->node(id)};
}

/// Eight cells over the area that hold a level each, in the points of the throw's feedback.
class CellsOfTest : public OpenDrawing {
 public:
  void paint(QPainter&, const OpenCanvas&) const override {}
  QString sentence(const OpenCanvas&, bool&) const override { return {}; }
  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all;
    for (int i = 0; i < 8; ++i)
      all.push_back({.name = QString::number(i),
                     .word = QStringLiteral("cell"),
                     .rect = cell(c, i),
                     .mark = OpenHandle::Mark::none,
                     .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                       // What the first cell becomes, all that the hand goes over become.
                       Ornament o = was.ornament;
                       auto levels = levelsOf(o);
                       const double to = levels[indexOf(was, pull.press())] > 0 ? 0 : 50;
                       for (const QPointF& p : pull.path) levels[indexOf(was, p)] = to;
                       put(o, levels);
                       return o;
                     },
                     .step = [i](const OpenCanvas& now, int, int up) -> std::optional<Ornament> {
                       if (up == 0) return std::nullopt;
                       Ornament o = now.ornament;
                       auto levels = levelsOf(o);
                       levels[static_cast<std::size_t>(i)] += up;
                       put(o, levels);
                       return o;
                     },
                     .atPress = true});
    return all;
  }
  static QRectF cell(const OpenCanvas& c, int i) {
    return {c.area.left() + 20 + i * 40.0, c.area.top() + 40, 30, 60}; // apart, so that the reach of one is its own
  }
  static std::vector<double> levelsOf(const Ornament& o) {
    std::vector<double> all(8, 0.0);
    const Value& v = settingOr(allKinds().find(o.kind)->table(), o.settings, "feedback_percent");
    if (const auto curve = Curve::from(v); curve && curve->points().size() == 8)
      for (std::size_t i = 0; i < 8; ++i) all[i] = curve->points()[i].y;
    return all;
  }

 private:
  static std::size_t indexOf(const OpenCanvas& c, QPointF p) {
    return static_cast<std::size_t>(std::clamp((p.x() - c.area.left() - 20) / 40, 0.0, 7.0));
  }
  static void put(Ornament& o, const std::vector<double>& levels) {
    std::vector<CurvePoint> points;
    for (std::size_t i = 0; i < 8; ++i) points.push_back({static_cast<double>(i), levels[i], 0});
    o.settings["feedback_percent"] = Curve(points).value();
  }
};

} // namespace

TEST_CASE("every handle of every kind has its own name, its words, and lies in the drawing", "[handles][heavy]") {
  SmallSongRig rig;
  for (const KindAt& k : everyKind()) {
    INFO(k.kind);
    const std::string id = rig.placeOpen(k.kind.c_str(), k.row, k.from, k.to);
    const OpenCanvas c = canvasOf(rig, id);
    std::set<QString> names;
    const auto all = faceOf(k.kind)->drawing()->handles(c);
    CHECK(all.size() >= 2);
    for (const OpenHandle& h : all) {
      INFO(h.name.toStdString());
      CHECK(names.insert(h.name).second);
      CHECK_FALSE(h.word.isEmpty());
      CHECK(h.pull);
      CHECK(h.cursor != Qt::ArrowCursor);
      CHECK(h.rect.width() >= 12); // with its reach at least 20 pixels
      CHECK(h.rect.center().y() >= c.area.top());
      CHECK(h.rect.center().y() <= c.area.bottom());
      CHECK(handleAt(all, h.rect.center())); // it, or one that lies over it
    }
    rig.score().opened().close();
    rig.session->undo();
    rig.settle();
  }
}

TEST_CASE("keys walk all handles and the arrows move each, one undo step at a time", "[handles]") {
  SmallSongRig rig;
  for (const KindAt& k : everyKind()) {
    INFO(k.kind);
    const std::string id = rig.placeOpen(k.kind.c_str(), k.row, k.from, k.to);
    rig.session->player().stop();
    const auto all = faceOf(k.kind)->drawing()->handles(canvasOf(rig, id));
    for (std::size_t i = 0; i < all.size(); ++i) {
      rig.key(Qt::Key_N);
      INFO(rig.score().opened().activeHandle().toStdString());
      CHECK(rig.score().opened().activeHandle() == all[i].name);
      const Song before = rig.session->song();
      int moved = 0;
      for (const auto& [there, back] : {std::pair{Qt::Key_Right, Qt::Key_Left}, {Qt::Key_Up, Qt::Key_Down}}) {
        // One of the two ways at least: the other may be at its end.
        rig.key(there);
        bool changed = !(rig.session->song() == before);
        if (!changed) {
          rig.key(back);
          changed = !(rig.session->song() == before);
        }
        if (!changed) continue;
        ++moved;
        rig.session->settle();
        rig.session->undo();
        CHECK(rig.session->song() == before);
      }
      CHECK(moved >= 1);
      CHECK(rig.score().opened().activeHandle() == all[i].name); // an edit does not lose it
    }
    rig.key(Qt::Key_N); // round
    CHECK(rig.score().opened().activeHandle() == all.front().name);
    rig.key(Qt::Key_N, Qt::ShiftModifier);
    CHECK(rig.score().opened().activeHandle() == all.back().name);
    rig.key(Qt::Key_Escape); // lets go of the handle, then closes
    CHECK(rig.score().opened().activeHandle().isEmpty());
    CHECK(rig.score().opened().isOpen());
    rig.key(Qt::Key_Escape);
    CHECK_FALSE(rig.score().opened().isOpen());
    rig.session->undo();
    rig.settle();
  }
}

TEST_CASE("a handle that keys move goes by the grid or by its setting's own step", "[handles]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  const auto walkTo = [&](const char* name) {
    for (int i = 0; i < 10 && rig.score().opened().activeHandle() != QLatin1String(name); ++i) rig.key(Qt::Key_N);
    REQUIRE(rig.score().opened().activeHandle() == QLatin1String(name));
  };
  rig.key(Qt::Key_4, Qt::ControlModifier); // 1/8
  walkTo("end");
  rig.key(Qt::Key_Right);
  CHECK(rig.ornament(id).length == Beats::ofQuarters(2));
  rig.key(Qt::Key_Left);
  rig.key(Qt::Key_Left);
  CHECK(rig.ornament(id).length == Beats::ofQuarters(1));
  walkTo("slope");
  const auto feedback = [&] {
    return *settingOr(allKinds().find("delay-throw")->table(), rig.ornament(id).settings, "feedback_percent").number();
  };
  const double was = feedback(), step = allKinds().find("delay-throw")->table().find("feedback_percent")->step;
  rig.key(Qt::Key_Up);
  CHECK(feedback() == Approx(was + step));
  rig.key(Qt::Key_Right); // it does not go sideways, and says so
  CHECK(feedback() == Approx(was + step));
  // Linked sides stay linked.
  walkTo("time");
  const TableSpec& table = allKinds().find("delay-throw")->table();
  REQUIRE(settingOr(table, rig.ornament(id).settings, "time_left") ==
          settingOr(table, rig.ornament(id).settings, "time_right"));
  const Value time = settingOr(table, rig.ornament(id).settings, "time_left");
  rig.key(Qt::Key_Right);
  CHECK_FALSE(settingOr(table, rig.ornament(id).settings, "time_left") == time);
  CHECK(settingOr(table, rig.ornament(id).settings, "time_left") ==
        settingOr(table, rig.ornament(id).settings, "time_right"));
  // The mouse takes over: what was walked to is let go.
  rig.score().opened().close();
  CHECK(rig.score().opened().activeHandle().isEmpty());
}

TEST_CASE("cells are pressed, painted across and walked by keys, each gesture one step", "[handles]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  OpenHand hand(*rig.session);
  hand.open(std::make_unique<CellsOfTest>());
  const auto levels = [&] { return CellsOfTest::levelsOf(rig.ornament(id)); };
  const auto canvas = [&] { return canvasOf(rig, id); };
  const auto middle = [&](int i) { return CellsOfTest::cell(canvas(), i).center(); };
  const Song before = rig.session->song();

  CHECK_FALSE(hand.press(canvas().area.bottomRight(), Qt::NoModifier, Beats(0), canvas())); // no cell there
  REQUIRE(hand.press(middle(1), Qt::NoModifier, Beats(0), canvas()));                       // a click does it already
  CHECK(levels() == std::vector<double>{0, 50, 0, 0, 0, 0, 0, 0});
  hand.letGo();
  REQUIRE(hand.press(middle(2), Qt::NoModifier, Beats(0), canvas())); // painted across, back again too
  for (const int i : {3, 4, 5, 4}) hand.drag(middle(i), Qt::NoModifier, Beats(0), canvas());
  CHECK(levels() == std::vector<double>{0, 50, 50, 50, 50, 50, 0, 0});
  hand.letGo();
  REQUIRE(hand.press(middle(4), Qt::NoModifier, Beats(0), canvas())); // from a loud one: silenced
  hand.drag(middle(5), Qt::NoModifier, Beats(0), canvas());
  hand.letGo();
  CHECK(levels() == std::vector<double>{0, 50, 50, 50, 0, 0, 0, 0});
  CHECK_FALSE(hand.holding());

  for (int i = 0; i < 4; ++i) REQUIRE(hand.walk(1, canvas()));
  CHECK(hand.active() == "3");
  CHECK(hand.arrow(0, 1, Beats(0), canvas()));
  CHECK(hand.arrow(0, 1, Beats(0), canvas()));
  CHECK_FALSE(hand.arrow(1, 0, Beats(0), canvas())); // a cell does not go sideways
  CHECK(levels() == std::vector<double>{0, 50, 50, 52, 0, 0, 0, 0});
  rig.session->settle();
  for (const auto& expected :
       {std::vector<double>{0, 50, 50, 50, 0, 0, 0, 0}, {0, 50, 50, 50, 50, 50, 0, 0}, {0, 50, 0, 0, 0, 0, 0, 0}}) {
    rig.session->undo();
    CHECK(levels() == expected);
  }
  rig.session->undo();
  CHECK(rig.session->song() == before);
  // Closing while something is held lets go of it: nothing of the former drawing is called any more.
  REQUIRE(hand.press(middle(6), Qt::NoModifier, Beats(0), canvas()));
  hand.open(nullptr);
  CHECK_FALSE(hand.holding());
  const Song then = rig.session->song();
  hand.drag(middle(7), Qt::NoModifier, Beats(0), canvas());
  CHECK(rig.session->song() == then);
}

TEST_CASE("what lies above is taken, within four pixels", "[handles]") {
  std::vector<OpenHandle> all{{.name = "under", .word = "u", .rect = QRectF(0, 0, 20, 20)},
                              {.name = "over", .word = "o", .rect = QRectF(12, 0, 20, 20)}};
  const auto at = [&](double x, double y) {
    const OpenHandle* h = handleAt(all, {x, y});
    return h ? h->name : QString();
  };
  CHECK(at(4, 4) == "under");
  CHECK(at(9, 4) == "over"); // three pixels beside it, and above
  CHECK(at(7, 4) == "under");
  CHECK(at(35.5, 4) == "over");
  CHECK(at(37, 4).isEmpty());
  CHECK(at(4, -4) == "under");
  CHECK(at(4, -5).isEmpty());
  CHECK(handleNamed(all, "over") == &all[1]);
  CHECK(handleNamed(all, "none") == nullptr);
}

TEST_CASE("what handles say never lies on what others say, whatever the kind, the zoom and the text's size",
          "[handles][heavy]") {
  int labels = 0, left = 0;
  for (const double text : kSanitized ? std::vector<double>{1.5} : std::vector<double>{1.0, 1.5}) {
    setTextScale(text);
    SmallSongRig rig;
    for (const Kind* k : allKinds().all()) {
      rig.placeOpen(k->table().id.c_str(), "voice", 8, 9.5);
      for (const double beats : {2.0, 6.0, 20.0, 60.0}) {
        rig.score().showRange(8 - beats / 2, 8 + beats / 2, false);
        rig.settleView();
        const auto all = rig.score().opened().handles();
        for (const QString& active : {QString(), all.front().name, all.back().name}) {
          const QRectF area = rig.score().openArea();
          const auto boxes = labelBoxes(all, active, area);
          INFO(k->table().id << " " << beats << " " << active.toStdString());
          REQUIRE(boxes.size() == all.size());
          for (std::size_t i = 0; i < boxes.size(); ++i) {
            labels += !boxes[i].isNull();
            if (!boxes[i].isNull() && area.contains(all[i].rect.center()))
              CHECK((boxes[i].left() >= area.left() && boxes[i].right() <= area.right()));
            left += boxes[i].isNull() && !all[i].label.isEmpty() && all[i].shown == OpenHandle::Label::always;
            for (std::size_t j = 0; j < i; ++j) CHECK_FALSE(boxes[i].intersects(boxes[j]));
            if (all[i].name == active && !all[i].label.isEmpty() && all[i].shown != OpenHandle::Label::never)
              CHECK_FALSE(boxes[i].isNull());
          }
        }
      }
      rig.score().opened().close();
      rig.session->undo();
      rig.settle();
    }
  }
  setTextScale(1);
  CHECK(labels > (kSanitized ? 100 : 200));
  CHECK(left < labels / 5); // few stay unsaid
}

TEST_CASE("magnified edges stand beside handles and what they say, at every zoom, of the shortest and the longest",
          "[handles]") {
  SmallSongRig rig;
  int stand = 0, wanted = 0;
  for (const char* kind : {"halftime", "tape"})
    for (const double length : {1.0 / 4, 1.0, 4.0, 16.0, 60.0}) {
      Ornament o;
      o.kind = kind;
      o.on = "voice";
      o.start = Beats::ofQuarters(2);
      o.length = Beats::ofQuarters(length);
      const auto placed = withOrnaments(rig.session->song(), {o});
      rig.session->edit("place", placed.song);
      const std::string id = placed.ids.front();
      rig.score().opened().open(id);
      rig.settle();
      for (const double wide : {1.2, 2.0, 6.0, 20.0}) {
        rig.score().showRange(2 + length / 2 - wide * length / 2, 2 + length / 2 + wide * length / 2, false);
        rig.settleView();
        const OpenCanvas c = rig.score().opened().canvas();
        const auto handles = rig.score().opened().handles();
        const auto boxes = seamBoxes(
            c, {rig.session->plan()->map().frameAt(o.start), rig.session->plan()->map().frameAt(o.span().end)},
            scaled(12), handles);
        const auto labels = labelBoxes(handles, {}, c.area);
        INFO(kind << " " << length << " " << wide);
        REQUIRE(boxes.size() == 2);
        for (const QRectF& box : boxes) {
          ++wanted;
          if (box.isNull()) continue;
          ++stand;
          CHECK(c.area.contains(box));
          for (std::size_t i = 0; i < handles.size(); ++i) {
            CHECK_FALSE(box.intersects(labels[i]));
            if (handles[i].mark != OpenHandle::Mark::none) CHECK_FALSE(box.contains(handles[i].rect.center()));
          }
        }
        CHECK_FALSE(boxes[0].intersects(boxes[1]));
      }
      rig.score().opened().close();
      rig.session->undo();
    }
  CHECK(stand > wanted / 2);
}

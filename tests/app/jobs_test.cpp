// What producers sit down to do, done by hand in the real window and counted: one action is a click, a drag, a key or a
// turn of the wheel; a typed value counts three. docs/jobs.md holds the table that comes of it.
#include "app/openrow/curve_lane.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "bare_stems.h"
#include "rig.h"
#include "song/curve.h"
#include "test_support/places.h"

#include <QApplication>
#include <QMenu>
#include <QPointer>

#include <functional>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

/// A hand that counts what it does, and tells it.
class Hand {
 public:
  explicit Hand(Rig& on)
      : rig(on) {}
  void dragOver(const char* row, double from, double to, Qt::KeyboardModifiers m = {}) {
    rig.score().showRange(from - 2, to + 4, false);
    rig.settleView();
    rig.select(row, from, to, m);
    done(m & Qt::ShiftModifier ? "drag over it, Shift for tight edges" : "drag over it");
  }
  void dragAcross(const char* row, const char* toRow, double from, double to) {
    rig.score().showRange(from - 2, to + 2, false);
    rig.settleView();
    rig.drag(&rig.score(), rig.at(row, from), rig.at(toRow, to));
    done("drag across the rows");
  }
  void key(Qt::Key k, const char* name, Qt::KeyboardModifiers m = {}) {
    rig.score().setFocus();
    rig.key(k, m);
    rig.settle();
    done(name);
  }
  /// From a field's list.
  void choose(const char* field, const char* text) {
    NumberField* f = rig.score().opened().row()->field(field);
    REQUIRE(f);
    QTest::mouseClick(f, Qt::LeftButton);
    const QPointer<QMenu> menu = f->findChild<QMenu*>(QStringLiteral("choices"));
    REQUIRE(menu);
    trigger(menu, text);
    delete menu.data();
    done(("*" + asWords(f->spec().label).toStdString() + "* opened").c_str());
    done(text);
  }
  /// A yes or no is turned by a click.
  void turn(const char* field) {
    NumberField* f = rig.score().opened().row()->field(field);
    REQUIRE(f);
    QTest::mouseClick(f, Qt::LeftButton);
    rig.settle();
    done(("click on *" + f->spec().label + "*").c_str());
  }
  /// Over a number, so many notches in one turn.
  void wheel(const char* field, int notches) {
    NumberField* f = rig.score().opened().row()->field(field);
    REQUIRE(f);
    turnWheel(*f, f->rect().center(), 120 * notches);
    rig.settle();
    done(("wheel over *" + f->spec().label + "*").c_str());
  }
  void type(const char* field, const char* text) {
    NumberField* f = rig.score().opened().row()->field(field);
    REQUIRE(f);
    rig.type(f, text);
    rig.settle();
    actions_ += 2;
    done(("*" + f->spec().label + "* typed (3)").c_str());
  }
  /// A processor or a whole chain.
  void finish(const char* text, bool chain = false) {
    FinishLine& line = rig.score().opened().row()->finish();
    QTest::mouseClick(&line, Qt::LeftButton, {}, line.addRect().center());
    const auto menus = line.findChildren<QMenu*>(QStringLiteral("finish-menu"));
    REQUIRE_FALSE(menus.isEmpty());
    trigger(menus.last(), text);
    done("*add …*");
    if (chain) done("*Start from*");
    done(text);
  }
  /// Through the points given in parts of the open curve's drawing, in one stroke.
  void stroke(const std::vector<QPointF>& parts) {
    CurveLane* lane = rig.score().opened().lane();
    REQUIRE(lane);
    const QRectF area = QRectF(lane->rect().adjusted(scaled(70), scaled(50), -scaled(30), -scaled(30)));
    const auto at = [&](QPointF p) {
      return QPointF(area.left() + p.x() * area.width(), area.bottom() - p.y() * area.height()).toPoint();
    };
    QTest::mousePress(lane, Qt::LeftButton, {}, at(parts.front()));
    for (std::size_t i = 1; i < parts.size(); ++i)
      for (int k = 1; k <= 8; ++k) Rig::moveTo(lane, at(parts[i - 1] + (parts[i] - parts[i - 1]) * k / 8));
    QTest::mouseRelease(lane, Qt::LeftButton, {}, at(parts.back()));
    rig.settle();
    done("one stroke");
  }
  void drop(const std::vector<std::filesystem::path>& files) {
    dropFiles(rig, files);
    done("drop the folder");
  }
  void pull(const char* handle, QPoint by) {
    const QPoint at = rig.handle(handle);
    rig.drag(&rig.score(), at, at + by);
    rig.settle();
    done((std::string("drag *") + handle + "*").c_str());
  }
  void done(const char* what) {
    ++actions_;
    told_ += (told_.empty() ? "" : ", ") + std::string(what);
  }
  int actions() const { return actions_; }
  const std::string& told() const { return told_; }
  void forget() {
    actions_ = 0;
    told_.clear();
  }
  const Ornament& made() const { return last(rig); }
  Rig& rig;

 private:
  void trigger(QMenu* menu, const char* text) {
    const std::function<QAction*(QMenu*)> find = [&](QMenu* in) -> QAction* {
      for (QAction* a : in->actions()) {
        if (QString(a->text()).remove('&') == QLatin1String(text)) return a;
        if (a->menu())
          if (QAction* found = find(a->menu())) return found;
      }
      return nullptr;
    };
    QAction* a = find(menu);
    INFO(text);
    REQUIRE(a);
    a->trigger();
    menu->close();
    rig.window->activateWindow(); // a popup takes the focus with it offscreen
    static_cast<void>(QTest::qWaitForWindowActive(rig.window.get()));
    rig.settle();
  }
  int actions_ = 0;
  std::string told_;
};

struct Task {
  const char* name;
  std::function<void(Hand&)> plain; // from "I hear the place" on
  std::function<void(Hand&)> full;  // what is done besides; null: there is nothing more to it
  std::function<void(Hand&)> check;
};

bool has(const Ornament& o, const char* type) {
  return std::any_of(o.finish.begin(), o.finish.end(), [&](const Processor& p) { return p.type == type; });
}
std::size_t pointsOf(const Ornament& o, const char* key) {
  const auto it = o.settings.find(key);
  const auto c = it == o.settings.end() ? std::nullopt : Curve::from(it->second);
  return c ? c->points().size() : 0;
}

const std::vector<Task>& jobs() {
  using H = Hand&;
  static const std::vector<Task> all = {
      {"A word swells into itself", [](H h) { h.dragOver("voice", 16, 17), h.key(Qt::Key_R, "R"); },
       [](H h) { h.choose("space", "delay, then reverb"), h.wheel("echo_drive_percent", 4), h.finish("Width"); },
       [](H h) {
         CHECK(textSetting(h.made(), "space") == "echo-reverb");
         CHECK(setting(h.made(), "echo_drive_percent") > 0);
         CHECK(has(h.made(), "width"));
       }},
      {"A long vowel lifts into the verse",
       [](H h) {
         h.dragOver("voice", 12.2, 13, Qt::ShiftModifier), h.key(Qt::Key_R, "R"), h.key(Qt::Key_R, "R: to the section");
       },
       [](H h) { h.wheel("spill_beats", 4), h.finish("Delay"), h.finish("Compressor"), h.wheel("low_cut_hz", 3); },
       [](H h) {
         const auto node = h.rig.session->plan()->node(h.made().id);
         const Frames landing = *node->kind->landingFrame({h.made(), h.rig.session->plan()->context()});
         CHECK(std::abs(h.rig.session->plan()->map().beatAt(landing).quarters() - 16) < 0.01);
         CHECK(setting(h.made(), "spill_beats") > 0);
         CHECK((has(h.made(), "echo") && has(h.made(), "compressor")));
       }},
      {"The next phrase breathes in first", [](H h) { h.dragOver("voice", 24, 26), h.key(Qt::Key_R, "R"); },
       [](H h) {
         h.finish("thin and narrow", true), h.finish("Pan"), h.key(Qt::Key_C, "C: its curve");
         h.stroke({{0.1, 0.1}, {0.35, 0.9}, {0.6, 0.3}, {0.9, 0.5}});
       },
       [](H h) {
         REQUIRE(has(h.made(), "pan"));
         const auto& pan = *std::find_if(h.made().finish.begin(), h.made().finish.end(),
                                         [](const Processor& p) { return p.type == "pan"; });
         const auto c = Curve::from(pan.settings.at("position"));
         REQUIRE(c);
         CHECK(c->points().size() >= 4);
         CHECK(has(h.made(), "filter"));
       }},
      {"One hit gets its own chain", [](H h) { h.dragOver("drums", 9, 9.25), h.key(Qt::Key_T, "T"); },
       [](H h) { h.finish("plate on a hit", true), h.finish("Delay"), h.finish("Width"); },
       [](H h) { CHECK((has(h.made(), "reverb") && has(h.made(), "echo") && has(h.made(), "width"))); }},
      {"A syllable stammers", [](H h) { h.dragOver("voice", 8, 9.5), h.key(Qt::Key_U, "U"); },
       [](H h) { h.key(Qt::Key_U, "U: eighths"), h.finish("Delay"); },
       [](H h) { CHECK((h.made().kind == "stutter" && has(h.made(), "echo"))); }},
      {"A chord begins to pulse",
       [](H h) { h.dragOver("keys", 16, 24), h.key(Qt::Key_P, "P"), h.key(Qt::Key_P, "P: every third silent"); },
       [](H h) {
         h.key(Qt::Key_S, "Shift+S: sides in turn", Qt::ShiftModifier), h.wheel("fade_out", 10), h.wheel("fade_in", 6);
         h.finish("Delay"), h.finish("Width");
       },
       [](H h) {
         CHECK(h.made().settings.at("levels").list()->size() % 3 == 0);
         CHECK((has(h.made(), "echo") && has(h.made(), "width")));
       }},
      {"The end runs down", [](H h) { h.dragOver("mix", 60, 64), h.key(Qt::Key_E, "E"); },
       [](H h) { h.wheel("bend", 4), h.wheel("fade", -4); },
       [](H h) { CHECK((h.made().kind == "tape" && h.made().on == "mix")); }},
      {"Before the first note", [](H h) { h.dragOver("voice", 1, 2), h.key(Qt::Key_R, "R"); },
       [](H h) { h.type("lead_beats", "8 s"), h.choose("character", "hall"); },
       [](H h) {
         CHECK(setting(h.made(), "lead_beats") == Approx(16)); // 8 s at 120
         CHECK(h.rig.session->song().leadBars >= 4);           // and the song has room for it
       }},
      {"A wash under the whole voice", [](H h) { h.dragOver("voice", 0, 32), h.key(Qt::Key_R, "R"); },
       [](H h) { h.wheel("wash_under_percent", 12), h.type("wet_db", "-6"); },
       [](H h) {
         CHECK(setting(h.made(), "wash_under_percent") > 20);
         CHECK(h.made().length >= Beats::ofQuarters(31));
       }},
      {"A drawn volume line", [](H h) { h.dragOver("voice", 8, 12), h.key(Qt::Key_T, "T"); },
       [](H h) {
         h.finish("Gain"), h.key(Qt::Key_C, "C: its curve");
         h.stroke({{0.1, 0.9}, {0.4, 0.2}, {0.7, 0.8}, {0.95, 0.4}});
       },
       [](H h) { CHECK(Curve::from(h.made().finish.back().settings.at("db"))->points().size() >= 4); }},
      {"The machine is switched off", [](H h) { h.dragOver("mix", 28, 32), h.key(Qt::Key_E, "E"); },
       [](H h) { h.choose("shape", "dip"), h.wheel("bend", 3), h.wheel("fade", 5); },
       [](H h) { CHECK(textSetting(h.made(), "shape") == "dip"); }},
      {"The last beats sink by hand", [](H h) { h.dragOver("mix", 30, 32), h.key(Qt::Key_E, "E"); },
       [](H h) {
         h.choose("shape", "custom"), h.key(Qt::Key_C, "C: its curve");
         h.stroke({{0.02, 0.98}, {0.3, 0.9}, {0.6, 0.6}, {0.98, 0.5}});
       },
       [](H h) { CHECK(pointsOf(h.made(), "speed") >= 4); }},
      {"Half as fast, underneath", [](H h) { h.dragOver("drums", 16, 24), h.key(Qt::Key_H, "H"); },
       [](H h) { h.wheel("mix_percent", -10), h.wheel("cycle", -2), h.type("low_hz", "400"); },
       [](H h) { CHECK((setting(h.made(), "mix_percent") < 100 && setting(h.made(), "low_hz") == 400)); }},
      {"Stop and start with a knee", [](H h) { h.dragOver("keys", 28, 32), h.key(Qt::Key_E, "E"); },
       [](H h) { h.turn("pitch_lock"), h.wheel("lowest_semitones", 6), h.wheel("halt_at", -4); },
       [](H h) { CHECK(*settingOr(allKinds().find("tape")->table(), h.made().settings, "pitch_lock").boolean()); }},
      {"A word throws itself backwards", [](H h) { h.dragOver("voice", 16, 17), h.key(Qt::Key_R, "R"); },
       [](H h) { h.choose("space", "delay"), h.type("wet_db", "3"); },
       [](H h) { CHECK((textSetting(h.made(), "space") == "echo" && setting(h.made(), "wet_db") == 3)); }},
      {"The half bar before the drop",
       [](H h) { h.dragOver("mix", 30, 31), h.key(Qt::Key_E, "E"), h.key(Qt::Key_Z, "Z: silent to the landing"); },
       [](H h) { h.key(Qt::Key_Y, "Y: four tries"), h.key(Qt::Key_Return, "Return keeps the one heard"); },
       [](H h) {
         CHECK(h.rig.session->song().ornaments.size() == 2);
         CHECK(h.made().span().end == Beats::ofQuarters(32));
       }},
      {"A chop that will not end", [](H h) { h.dragOver("drums", 9, 9.25), h.key(Qt::Key_D, "D"); },
       [](H h) {
         h.wheel("feedback_percent", 5), h.wheel("wet_db", -8);
         h.rig.score().opened().openCurve("feedback_percent");
         h.rig.score().opened().closeCurve();
         h.key(Qt::Key_C, "C: its curve"), h.stroke({{0.05, 0.45}, {0.4, 0.5}, {0.7, 0.48}, {0.95, 0.05}});
       },
       [](H h) { CHECK(pointsOf(h.made(), "feedback_percent") >= 3); }},
      {"The last word bridges the pause", [](H h) { h.dragOver("voice", 12, 13), h.key(Qt::Key_D, "D"); },
       [](H h) {
         h.choose("pattern", "ping-pong"), h.turn("invert_right"), h.wheel("drive_percent", 4);
         h.finish("Reverb");
       },
       [](H h) { CHECK((textSetting(h.made(), "pattern") == "ping-pong" && has(h.made(), "reverb"))); }},
      {"The loop at the edge", [](H h) { h.dragOver("drums", 16, 20), h.key(Qt::Key_D, "D"); },
       [](H h) {
         h.type("time_left", "1/8."), h.type("feedback_percent", "104"), h.wheel("loop_ceiling_db", -6);
         h.turn("remove_dry");
       },
       [](H h) {
         CHECK(setting(h.made(), "feedback_percent") == 104);
         const StereoBuffer print = printOf(*h.rig.session->plan(), h.made().id);
         float peak = 0;
         for (std::int64_t i = 0; i < print.frames(); ++i) peak = std::max(peak, std::abs(print.left()[i]));
         CHECK(peak < 1.0f); // never past a ceiling
       }},
      {"The ending rings on in time", [](H h) { h.dragOver("voice", 40, 44), h.key(Qt::Key_D, "D"); },
       [](H h) { h.type("time_left", "1/4"), h.wheel("feedback_percent", 6); },
       [](H h) { CHECK(h.made().kind == "delay-throw"); }},
      {"Chance breaks it up",
       [](H h) { h.dragOver("drums", 16, 24), h.key(Qt::Key_G, "G"), h.key(Qt::Key_G, "G: another roll"); },
       [](H h) {
         h.wheel("pitch_spread_semitones", 4), h.wheel("resonance_percent", 6), h.wheel("bits", -8);
         h.key(Qt::Key_G, "Shift+G: this roll is kept", Qt::ShiftModifier);
       },
       [](H h) { CHECK(h.made().settings.contains("kept_ms")); }},
      {"A throw on this word only", [](H h) { h.dragOver("voice", 8, 9.5), h.key(Qt::Key_D, "D"); },
       [](H h) {
         h.rig.score().opened().openCurve("send_percent");
         h.rig.score().opened().closeCurve();
         for (int i = 0; i < 4 && !(h.rig.score().opened().lane() &&
                                    h.rig.score().opened().lane()->target().key == "send_percent");
              ++i)
           h.key(Qt::Key_C, "C");
         h.stroke({{0.02, 0.1}, {0.4, 0.3}, {0.7, 0.9}, {0.9, 0.9}});
         h.finish("Pan");
       },
       [](H h) {
         CHECK(pointsOf(h.made(), "send_percent") >= 3);
         CHECK(has(h.made(), "pan"));
       }},
      {"Up to the landing", [](H h) { h.key(Qt::Key_PageDown, "Page Down: to the landing"), h.key(Qt::Key_I, "I"); },
       [](H h) {
         h.key(Qt::Key_I, "I: four bars"), h.key(Qt::Key_J, "Shift+J: an impact", Qt::ShiftModifier);
         h.key(Qt::Key_I, "Shift+I: a tone", Qt::ShiftModifier), h.wheel("bend", 3);
       },
       [](H h) {
         CHECK(h.made().kind == "riser");
         const BeatRange span = h.made().span();
         CHECK((span.end == Beats::ofQuarters(16) || span.end == Beats::ofQuarters(32)));
       }},
  };
  return all;
}

} // namespace

// Fifteen seconds: twenty-two jobs, each on a song of its own.
TEST_CASE("every job that can be done is done in three actions, and with all it asks for in twelve", "[jobs][heavy]") {
  std::string table = "| Job | Plain | Actions | Full: besides | Actions in all |\n|---|---|---|---|---|\n";
  int n = 0;
  for (const Task& job : jobs()) {
    if (kSanitized && n++ % 4 != 0) continue; // each costs seconds there
    SmallSongRig rig;
    Hand hand(rig);
    INFO(job.name);
    job.plain(hand);
    rig.settle();
    REQUIRE_FALSE(rig.session->song().ornaments.empty());
    const int plain = hand.actions();
    CHECK(plain <= 3);
    table += std::string("| ") + job.name + " | " + hand.told() + " | " + std::to_string(plain) + " | ";
    hand.forget();
    job.full(hand);
    rig.settle();
    const int full = plain + hand.actions();
    CHECK(full <= 12);
    table += hand.told() + " | " + std::to_string(full) + " |\n";
    job.check(hand);
    // It sounds, and undo takes it back to nothing.
    for (const auto& o : rig.session->song().ornaments) {
      const auto node = rig.session->plan()->node(o->id);
      REQUIRE(node);
      CHECK(node->plan.refusal.empty());
      if (node->print) CHECK(printOf(*rig.session->plan(), o->id).frames() > 0);
    }
    rig.score().opened().close();
    while (rig.session->history().canUndo()) rig.session->undo();
    CHECK(rig.session->song().ornaments.empty());
  }
  { // Several rows into a landing, by keys: whatever has them.
    SmallSongRig rig;
    Hand hand(rig);
    const auto press = [&](Qt::Key k, const char* name, Qt::KeyboardModifiers m = {}) {
      rig.key(k, m);
      rig.session->waitUntilIdle();
      rig.settle();
      hand.done(name);
    };
    const Song before = rig.session->song();
    hand.key(Qt::Key_PageDown, "Page Down: to the landing");
    press(Qt::Key_R, "Ctrl+R: a recipe is heard", Qt::ControlModifier);
    CHECK(rig.session->player().playing());
    press(Qt::Key_Return, "Return places it");
    CHECK(rig.session->song().ornaments.size() >= 2);
    const int plain = hand.actions();
    CHECK(plain <= 3);
    rig.session->undo();
    CHECK(rig.session->song() == before);
    rig.session->redo();
    table += "| A whole transition | " + hand.told() + " | " + std::to_string(plain) + " | ";
    hand.forget();
    press(Qt::Key_R, "Ctrl+R again", Qt::ControlModifier);
    press(Qt::Key_Down, "Down: the next one");
    press(Qt::Key_Down, "Down");
    press(Qt::Key_Plus, "+: denser");
    press(Qt::Key_Right, "Right: longer");
    press(Qt::Key_Return, "Return");
    CHECK(rig.session->song().ornaments.size() >= 2);
    table += hand.told() + " | " + std::to_string(plain + hand.actions()) + " |\n";
    CHECK(plain + hand.actions() <= 12);
  }
  { // From nothing: tempo, bar 1, key and sections, the first place looping, a throw on it.
    const TempFolder dir;
    songOfThree(dir);
    spoken(dir);
    Rig rig;
    Hand hand(rig);
    hand.drop({dir.path()});
    REQUIRE(rig.session->song().stems.size() == 4);
    CHECK(rig.session->song().tempo[0].bpm == 120);
    CHECK(rig.session->song().startSeconds == Approx(0).margin(0.03));
    CHECK(rig.session->song().key);
    for (int i = 0; i < 4 && !rig.window->measure().said().startsWith("A rest"); ++i)
      hand.key(Qt::Key_G, "Ctrl+G: the next opening", Qt::ControlModifier);
    CHECK(rig.session->player().playing());
    CHECK(rig.window->action("loop")->isChecked());
    hand.key(Qt::Key_D, "D");
    const int plain = hand.actions();
    CHECK(plain <= 6);
    table += "| From bare stems | " + hand.told() + " | " + std::to_string(plain) + " | ";
    hand.forget();
    hand.key(Qt::Key_F, "Ctrl+Shift+F: the sections that are heard", Qt::ControlModifier | Qt::ShiftModifier);
    hand.key(Qt::Key_F9, "F9: the grid is checked");
    CHECK(rig.session->song().sections.size() >= 3);
    CHECK(rig.session->song().ornaments.size() == 1);
    CHECK(rig.window->form().showsGrid());
    table += hand.told() + " | " + std::to_string(plain + hand.actions()) + " |\n";
  }
  if (kSanitized) return;
  const auto file = sourceFolder() / "docs" / "jobs.md";
  std::ifstream in(file);
  const std::string page{std::istreambuf_iterator<char>(in), {}};
  const std::string begin = "<!-- counted -->\n", end = "<!-- /counted -->";
  const auto from = page.find(begin), to = page.find(end);
  REQUIRE((from != std::string::npos && to != std::string::npos));
  if (std::getenv("IVRIN_RENEW_DOCS"))
    std::ofstream(file) << page.substr(0, from + begin.size()) << table << page.substr(to);
  else
    CHECK(page.substr(from + begin.size(), to - from - begin.size()) == table);
}

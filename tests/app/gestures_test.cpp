// Every gesture does what it says.
#include "rig.h"

#include "app/openrow/curve_lane.h"
#include "app/openrow/curve_tabs.h"
#include "app/openrow/finish_line.h"
#include "app/openrow/in_hand_words.h"
#include "app/theme/ink_button.h"
#include "app/theme/type.h"
#include "song/settings/setting_text.h"

#include <QMenu>

#include <algorithm>

namespace {

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

NumberField* field(Rig& rig, const char* key) {
  for (NumberField* f : rig.window->findChildren<NumberField*>())
    if (f->spec().key == key && f->isVisible()) return f;
  return nullptr;
}

/// A filter at the end of an open ornament, itself open.
void openFilter(Rig& rig, const std::string& id) {
  Ornament o = rig.ornament(id);
  o.finish.push_back({"filter", {}});
  rig.session->edit("add", withOrnamentReplaced(rig.session->song(), std::move(o)));
  rig.settle();
  rig.score().opened().row()->openFinish(0);
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

TEST_CASE("the space bar plays and stops whatever has the focus, and presses nothing", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  rig.session->player().stop();
  openFilter(rig, id);
  rig.settle();
  const Song before = rig.session->song();
  int tried = 0;
  for (QWidget* w : rig.window->findChildren<QWidget*>()) {
    if (!w->isVisible() || !w->isEnabled() || w->focusPolicy() == Qt::NoFocus || w->window() != rig.window.get())
      continue;
    if (w->inherits("QMenuBar") || w->inherits("QLineEdit")) continue;
    w->setFocus();
    if (!w->hasFocus()) continue;
    ++tried;
    INFO(w->metaObject()->className() << " " << w->accessibleName().toStdString());
    const bool playing = rig.session->player().playing();
    QTest::keyClick(w, Qt::Key_Space);
    CHECK(rig.session->player().playing() != playing);
    CHECK(rig.session->song() == before);
    CHECK(rig.score().opened().isOpen());
  }
  CHECK(tried > 20);
}

TEST_CASE("Esc cancels one level: the typed value, the curve, the processor, the row, the selection", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  openFilter(rig, id);
  rig.settle();
  rig.score().select(Selection{"voice", Beats::ofQuarters(12), Beats::ofQuarters(13)});
  rig.score().opened().openCurve("send_percent", -1);
  rig.settle();
  const Song before = rig.session->song();
  const auto fields = rig.window->findChildren<NumberField*>();
  const auto number = std::find_if(fields.begin(), fields.end(), [](NumberField* f) { return f->isVisible(); });
  REQUIRE(number != fields.end());
  (*number)->setFocus();
  QTest::keyClick(*number, Qt::Key_9);
  const auto levels = [&] {
    QString open;
    if (QApplication::focusWidget() && QApplication::focusWidget()->inherits("QLineEdit")) open += "typed ";
    if (rig.score().opened().lane()) open += "curve ";
    if (rig.score().opened().row() && rig.score().opened().isOpen() &&
        rig.score().opened().row()->finish().opened() >= 0)
      open += "processor ";
    if (rig.score().opened().isOpen()) open += "row ";
    if (rig.score().selection()) open += "selection";
    return open.trimmed().toStdString();
  };
  CHECK(levels() == "typed curve processor row selection");
  for (const char* left :
       {"curve processor row selection", "processor row selection", "row selection", "selection", ""}) {
    rig.key(Qt::Key_Escape);
    CHECK(levels() == left);
  }
  CHECK(rig.session->song() == before);
}

TEST_CASE("a row that is closed leaves playing as it was before it was opened", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 12, 13);
  Player& player = rig.session->player();
  QAction* loop = rig.window->action("loop");
  const bool looped = loop->isChecked();
  // Nothing played: what was heard of it ends.
  rig.score().opened().open(id);
  rig.window->action("audition")->trigger();
  CHECK(player.playing());
  CHECK(loop->isChecked());
  rig.score().opened().close();
  CHECK_FALSE(player.playing());
  CHECK(loop->isChecked() == looped);
  // The song played: it plays on, without the loop that was laid about the ornament.
  loop->setChecked(false);
  rig.window->listening().renewLoop();
  player.play(Frames(0));
  rig.score().opened().open(id);
  rig.window->action("audition")->trigger();
  rig.hear(4800);
  rig.score().opened().close();
  CHECK(player.playing());
  CHECK_FALSE(loop->isChecked());
  const Frames end = rig.session->plan()->map().frameAt(Beats::ofQuarters(30)); // behind the loop
  rig.hear((end - player.position()).count + 4800);
  CHECK(player.position() > end);
}

TEST_CASE("four tries leave alone what was typed", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  NumberField* feedback = field(rig, "feedback_percent");
  REQUIRE(feedback);
  rig.type(feedback, "61");
  REQUIRE(setting(rig.ornament(id), "feedback_percent") == 61);
  const Settings typed = rig.ornament(id).settings;
  for (int round = 0; round < 4; ++round) {
    rig.window->action("fourTries")->trigger();
    for (int k = 0; k < kTries; ++k) {
      rig.score().opened().tries().hear(k);
      CHECK(setting(rig.ornament(id), "feedback_percent") == 61);
      CHECK_FALSE(rig.ornament(id).settings == typed);
    }
  }
}

TEST_CASE("the wet level of what is matched is heard, and the row says both", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("reverse-reverb", "voice", 12, 13);
  const auto loudest = [&] {
    rig.settle();
    const auto node = rig.session->plan()->node(id);
    node->print->ensure(*rig.session->plan(), *node);
    return Decibels::ofGain(static_cast<double>(node->print->peak())).value;
  };
  const double whole = loudest();
  rig.session->edit("wet", withSetting(rig.session->song(), id, "wet_db", -18.0));
  CHECK(loudest() == Approx(whole - 18).margin(0.01)); // was −1
  rig.score().opened().row()->openFinish(0);
  CHECK(rig.score().opened().row()->finishPanel().matchWords(-1).toStdString() == "match −1.0 LU, then −18.0 dB");
}

TEST_CASE("copy, paste and duplicate say what they did; where nothing sounds that is said before", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  const auto said = [&] { return rig.window->measure().said().toStdString(); };
  rig.window->action("copy")->trigger();
  CHECK(said() == "Copied: delay throw.");
  rig.window->action("duplicate")->trigger();
  CHECK(said() == "Duplicated delay throw to bar 8. The row is silent there, so nothing is heard.");
  rig.session->undo();
  rig.score().opened().close();
  rig.settle();
  const auto pasteAt = [&](double beat) {
    rig.score().caret().put(Beats::ofQuarters(beat));
    rig.window->action("paste")->trigger();
    return rig.session->song().ornaments.size();
  };
  CHECK(pasteAt(40) == 2); // the voice sounds there
  CHECK(said() == "Pasted delay throw at bar 11.");
  CHECK(pasteAt(28) == 2); // it rests there
  CHECK(said().starts_with("Paste stopped: Voice is silent at bar 8, so delay throw would not be heard."));
  CHECK(pasteAt(28) == 3); // meant all the same
  CHECK(last(rig).source.empty());
  CHECK(pasteAt(36) == 3);
  auto* offer = rig.window->measure().findChild<InkButton*>("offer");
  REQUIRE(offer);
  CHECK(offer->text() == "Keep its source");
  offer->click();
  REQUIRE(rig.session->song().ornaments.size() == 4);
  const Ornament& kept = last(rig);
  CHECK(kept.start == Beats::ofQuarters(36));
  REQUIRE(kept.source.size() == 1);
  CHECK(kept.source[0].start == Beats::ofQuarters(12));
  rig.settle();
  const auto node = rig.session->plan()->node(kept.id);
  node->print->ensure(*rig.session->plan(), *node);
  CHECK(node->print->peak() > 0.01f);
}

TEST_CASE("a second press says what it changed", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.place("reverse-reverb", "voice", 12, 13);
  rig.score().select(Selection{"voice", Beats::ofQuarters(12), Beats::ofQuarters(13)});
  rig.score().placeOnSelection("reverse-reverb");
  CHECK(rig.window->measure().said() == "reverse reverb lands on Two");
}

TEST_CASE("letters choose in the list of processors", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  rig.score().opened().row()->finish().offer();
  auto* menu = rig.window->findChild<QMenu*>("finish-menu");
  REQUIRE(menu);
  QTest::keyClick(menu, Qt::Key_W);
  REQUIRE(menu->activeAction());
  CHECK(menu->activeAction()->text() == "Width");
  QTest::keyClick(menu, Qt::Key_Return);
  const auto& finish = rig.ornament(id).finish; // before its level
  CHECK(std::any_of(finish.begin(), finish.end(), [](const Processor& p) { return p.type == "width"; }));
}

TEST_CASE("bar 1 is put under the sound, which stays where it is on the page", "[gestures]") {
  SmallSongRig rig;
  rig.score().showRange(4, 20, false);
  rig.settleView();
  const Frames word(12 * 24000);
  const auto xOf = [&] { return rig.score().axis().xOf(rig.session->plan()->map().beatAt(word)); };
  const double before = xOf(), scale = rig.score().axis().pxPerBeat;
  rig.score().caret().put(Beats::ofQuarters(6));
  rig.window->action("barOne")->trigger();
  rig.settleView();
  CHECK(rig.session->plan()->map().beatAt(word) == Beats::ofQuarters(6));
  CHECK(xOf() == Approx(before).margin(1.5));
  CHECK(rig.score().axis().pxPerBeat == Approx(scale));
}

TEST_CASE("a song that was never saved is saved under its title, beside its stems; the foot names what it measures",
          "[gestures]") {
  SmallSongRig rig;
  CHECK(rig.window->files().suggestedFile().endsWith("/song.ivrin"));
  const TempFolder stems;
  writeSmallStems(stems);
  rig.session->files().begin({stems / "voice.wav", stems / "keys.wav"}, 120);
  rig.settle();
  Song named = rig.session->song();
  named.title = "../Lift / Off";
  rig.session->edit("title", named);
  CHECK(rig.window->files().suggestedFile().toStdString() == (stems / "-Lift - Off.ivrin").string());
  rig.place("delay-throw", "voice", 12, 13);
  rig.session->choose("o1");
  rig.settle();
  CHECK(rig.window->measure().figures().startsWith("Delay throw: with "));
}

TEST_CASE("a double click on a sign is the same as one click: the second hits nothing that has come under it",
          "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 12, 13);
  rig.score().showRange(8, 24, false);
  rig.settleView();
  const Song before = rig.session->song();
  // The sign stands at the ornament's begin, at the top of its staff.
  QPoint sign;
  for (int y = -12; y < 12 && sign.isNull(); ++y) {
    const QPoint p(static_cast<int>(rig.score().axis().xOf(Beats::ofQuarters(12))) + 4,
                   rig.score().staffOf("voice").top() + y);
    if (rig.score().ornamentHand().under(p, rig.score().layoutOfOrnaments(), {}, {})) sign = p;
  }
  REQUIRE_FALSE(sign.isNull());
  // As the desktop sends it to whatever lies there at each moment.
  quint64 at = 1000;
  const auto send = [&](QEvent::Type type, Qt::MouseButtons held) {
    const QPoint global = rig.score().mapToGlobal(sign);
    QWidget* to = rig.window->childAt(rig.window->mapFromGlobal(global));
    REQUIRE(to);
    QMouseEvent e(type, QPointF(to->mapFromGlobal(global)), QPointF(global), Qt::LeftButton, held, Qt::NoModifier);
    e.setTimestamp(at += 60);
    QApplication::sendEvent(to, &e);
    rig.settleView();
  };
  send(QEvent::MouseButtonPress, Qt::LeftButton);
  send(QEvent::MouseButtonRelease, Qt::NoButton);
  REQUIRE(rig.score().opened().isOpen());
  send(QEvent::MouseButtonDblClick, Qt::LeftButton);
  send(QEvent::MouseButtonRelease, Qt::NoButton);
  CHECK(rig.score().opened().isOpen());
  CHECK(rig.session->song() == before);
  CHECK_FALSE(rig.score().selection());
}

TEST_CASE("what is typed and not understood stays, with the reason under the field; what is understood is shown as it "
          "will be kept",
          "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  NumberField* left = field(rig, "time_left");
  REQUIRE(left);
  left->setFocus();
  const Song before = rig.session->song();
  QTest::keyClick(left, '5');
  auto* edit = left->findChild<QLineEdit*>();
  REQUIRE(edit);
  CHECK(left->note().contains("1/8., 5/16"));
  QTest::keyClicks(edit, "/7 accelerating");
  CHECK(edit->text() == "5/7 accelerating"); // not a letter is dropped
  CHECK(left->note().contains("5/7 accelerating"));
  QTest::keyClick(edit, Qt::Key_Return);
  CHECK(edit == left->findChild<QLineEdit*>()); // refused, and still there to be mended
  CHECK(rig.session->song() == before);
  edit->clear();
  QTest::keyClicks(edit, "3/16");
  CHECK(left->note().startsWith("1/8."));
  QTest::keyClick(edit, Qt::Key_Return);
  CHECK(settingOr(allKinds().find("delay-throw")->table(), rig.ornament(id).settings, "time_left") == Value("1/8."));
  CHECK(left->note().isEmpty());
  // A click elsewhere commits and does what it hits.
  left->setFocus();
  QTest::keyClicks(left, "1");
  QTest::keyClicks(QApplication::focusWidget(), "/4");
  NumberField* flip = field(rig, "invert_right");
  const bool was = *flip->value().boolean();
  QTest::mouseClick(flip, Qt::LeftButton);
  CHECK(settingOr(allKinds().find("delay-throw")->table(), rig.ornament(id).settings, "time_left") == Value("1/4"));
  CHECK(*flip->value().boolean() != was);
}

TEST_CASE("a choice opens its list, a switch turns, a number waits; the frame and the foot say what is in hand",
          "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  NumberField* input = field(rig, "hears"); // of two
  QTest::mouseClick(input, Qt::LeftButton);
  auto* list = input->findChild<QMenu*>(QStringLiteral("choices"));
  REQUIRE(list);
  CHECK(list->actions().size() == 2);
  list->close();
  const Song before = rig.session->song();
  NumberField* feedback = field(rig, "feedback_percent");
  QTest::mouseClick(feedback, Qt::LeftButton);
  CHECK(feedback->hasFocus());
  CHECK(rig.session->song() == before);
  const auto framed = [&](const QWidget& w) { // ink at its very edge
    const QImage image = const_cast<QWidget&>(w).grab().toImage();
    int dark = 0;
    for (int x = 0; x < image.width(); ++x) dark += image.pixelColor(x, 0).lightness() < 128;
    return dark > image.width() / 2;
  };
  CHECK(framed(*feedback));
  CHECK(inHandWords(feedback).contains("Feedback"));
  FinishLine& finish = rig.score().opened().row()->finish();
  CHECK_FALSE(framed(*input));
  finish.setFocus();
  CHECK_FALSE(framed(*feedback));
  CHECK(framed(finish));
  CHECK(inHandWords(&finish).startsWith("Finish"));
}

TEST_CASE("what is moved or lengthened stays whole in its open row, unless somebody looked closer", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("reverse-reverb", "voice", 24, 26);
  rig.settle();
  const auto lead = [&](double beats) {
    rig.session->edit("lead", withSetting(rig.session->song(), id, "lead_beats", beats));
    rig.session->settle();
    rig.settle();
    return rig.score().axis();
  };
  const TimeAxis at = lead(16);
  CHECK(at.left <= 24 - 16);
  CHECK(at.right() >= 26);
  lead(2);
  rig.score().zoom(6, rig.score().axis().xOf(Beats::ofQuarters(26)));
  const double left = rig.score().axis().left;
  REQUIRE(left > 22);
  CHECK(lead(8).left == left); // looking closely at its end, by the hand's own wish
}

TEST_CASE("what is being computed stands dotted where it will be, at once", "[gestures]") {
  SmallSongRig rig;
  rig.score().select(Selection{"voice", Beats::ofQuarters(12), Beats::ofQuarters(13)});
  rig.score().placeOnSelection("delay-throw");
  const auto pending = rig.session->placing().pending();
  REQUIRE(pending.size() == 1);
  CHECK(pending[0].row == "voice");
  CHECK(pending[0].stretch.begin == Beats::ofQuarters(12));
  QStringList words;
  watchSongText([&](const QString& text) { words << text; });
  rig.score().grab();
  watchSongText({});
  CHECK(words.contains(QStringLiteral("rendering")));
  rig.settle();
  CHECK(rig.session->placing().pending().empty());
  CHECK(rig.session->song().ornaments.size() == 1);
}

TEST_CASE("curves are chosen by tabs beside the drawing, and a pan's reads left and right", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  Ornament o = rig.ornament(id);
  o.finish = {{"pan", {{"position", List{List{0.0, -1.0}, List{4.0, 1.0}}}}}};
  rig.session->edit("pan", withOrnamentReplaced(rig.session->song(), std::move(o)));
  rig.settle();
  OpenedOrnament& opened = rig.score().opened();
  const auto tab = [&](const char* text) -> InkButton* {
    for (InkButton* b : opened.tabs()->tabs())
      if (b->isVisible() && b->text() == QLatin1String(text)) return b;
    return nullptr;
  };
  REQUIRE(tab("sound"));
  CHECK(tab("sound")->isChecked());
  REQUIRE(tab("feedback"));
  REQUIRE(tab("position"));
  CHECK(tab("position")->geometry().right() < rig.score().openArea().left());
  QTest::mouseClick(tab("position"), Qt::LeftButton);
  REQUIRE(opened.lane());
  CHECK(opened.lane()->target().key == "position");
  NumberField* value = opened.lane()->field("value");
  CHECK(settingText(value->spec(), value->value()) == "L 100");
  QStringList words;
  watchSongText([&](const QString& text) { words << text; });
  opened.lane()->grab();
  watchSongText({});
  CHECK_FALSE(words.join(' ').contains("draw")); // one stands
  QTest::mouseClick(tab("sound"), Qt::LeftButton);
  CHECK_FALSE(opened.lane());
}

TEST_CASE("no figure is cut: the meter holds its widest, a field grows with its value", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("glitch", "voice", 8, 12);
  rig.session->edit("loop", withSetting(rig.session->song(), id, "loop", List{"0.123456 beats", "0.654321 beats"}));
  rig.settle();
  NumberField* loop = field(rig, "loop");
  REQUIRE(loop);
  CHECK(loop->wantedWidth() > scaled(118)); // wider than a column
  int shown = 0;
  for (NumberField* f : rig.window->findChildren<NumberField*>())
    if (f->isVisible() && f->parent() == loop->parent()) {
      ++shown;
      CHECK(f->width() >= f->wantedWidth());
      for (NumberField* g : rig.window->findChildren<NumberField*>())
        if (g != f && g->isVisible() && g->parent() == f->parent())
          CHECK_FALSE(f->geometry().intersects(g->geometry()));
    }
  CHECK(shown > 8);
  const QWidget* meter = rig.window->head().meter();
  CHECK(meter->width() >= QFontMetrics(sans(11.5)).horizontalAdvance(QStringLiteral("−88.8 LUFS · limiter −88.8")));
}

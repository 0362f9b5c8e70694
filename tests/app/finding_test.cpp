// What is found in the stems, in the window: sections, openings shown, the grid checked, words and their edges, times.
#include "app/openrow/note_values_page.h"
#include "app/score/opening_marks.h"
#include "app/session/section_marks.h"
#include "bare_stems.h"
#include "rig.h"
#include "song/grid_edits.h"
#include "test_support/band.h"

#include <catch2/catch.hpp>

#include <QClipboard>

#include <cmath>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
using namespace ivrin::test;

namespace {

void begin(Rig& rig, const std::vector<std::filesystem::path>& files, std::optional<double> bpm) {
  rig.session->files().begin(files, bpm);
  rig.settle();
  rig.score().setFocus();
}

} // namespace

TEST_CASE("sections of a new song are proposed, taken one by one or all, and let go", "[app][finding]") {
  const TempFolder dir;
  Rig rig;
  begin(rig, songOfThree(dir), std::nullopt);
  REQUIRE(rig.session->song().tempo[0].bpm == 120);
  // Nobody asked: they are there, dotted, and said behind what was found of the grid.
  auto proposed = rig.session->findings().proposedSections();
  std::string told;
  for (const FoundSection& f : proposed) told += f.name + " " + std::to_string(f.at.quarters()) + "; ";
  INFO(told);
  REQUIRE(proposed.size() == 3);
  CHECK(proposed[0].at == Beats(0));
  CHECK(proposed[1].at == Beats::ofQuarters(32));
  CHECK(proposed[2].at == Beats::ofQuarters(64));
  CHECK(proposed[2].name == "A");
  CHECK(rig.window->measure().said().contains("Detected 120 BPM"));
  CHECK(rig.window->measure().said().contains("3 sections detected"));
  CHECK(rig.session->song().sections.empty());
  // A click takes one.
  QTest::mouseClick(&rig.window->form(), Qt::LeftButton, {}, rig.window->form().markOf(proposed[1]).center().toPoint());
  REQUIRE(rig.session->song().sections.size() == 1);
  CHECK(rig.session->song().sections[0].at == Beats::ofQuarters(32));
  CHECK(rig.session->song().sections[0].name == "B");
  CHECK(rig.session->findings().proposedSections().size() == 2);
  // The key takes the rest: one undo step.
  rig.key(Qt::Key_F, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(rig.session->song().sections.size() == 3);
  CHECK(rig.session->findings().proposedSections().empty());
  rig.session->undo();
  CHECK(rig.session->song().sections.size() == 1);
  CHECK(rig.session->findings().proposedSections().size() == 2);
  // Esc lets them go; asked for again they are there again.
  rig.score().setFocus();
  rig.key(Qt::Key_Escape);
  CHECK(rig.session->findings().proposedSections().empty());
  rig.key(Qt::Key_F, Qt::ControlModifier | Qt::ShiftModifier);
  rig.settle();
  CHECK(rig.session->findings().proposedSections().size() == 2);
  CHECK(rig.window->measure().said().startsWith("2 sections detected"));
  // On another grid they are of no use.
  rig.session->edit("tempo", withTempoAt(rig.session->song(), Beats(0), 90));
  CHECK(rig.session->findings().proposedSections().empty());
}

TEST_CASE("where nothing changes no section is proposed, and it is said", "[app][finding]") {
  SmallSongRig rig;
  Song bare = rig.session->song();
  bare.sections.clear();
  rig.session->edit("bare", bare);
  rig.score().setFocus();
  rig.key(Qt::Key_F, Qt::ControlModifier | Qt::ShiftModifier);
  rig.settle();
  if (rig.session->findings().proposedSections().empty())
    CHECK(rig.window->measure().said() == "Section detection found no clear sections. Set them with Shift+M.");
  else
    CHECK(rig.session->findings().proposedSections().size() >= 2);
}

TEST_CASE("proposed names are marks of their own; named sections have the letters that are left", "[app][finding]") {
  const auto marks = sectionMarks({{"1", Beats(0), "A"},
                                   {"2", Beats(1), "Verse"},
                                   {"3", Beats(2), "A′"},
                                   {"4", Beats(3), "C"},
                                   {"5", Beats(4), "End"}});
  REQUIRE(marks.size() == 5);
  CHECK(marks[0].mark == "A");
  CHECK(marks[0].name.isEmpty());
  CHECK(marks[1].mark == "B");
  CHECK(marks[1].name == "Verse");
  CHECK(marks[2].mark == "A′");
  CHECK(marks[3].mark == "C");
  CHECK(marks[4].mark == "D");
  std::vector<Landing> many;
  for (int i = 0; i < 30; ++i) many.push_back({std::to_string(i), Beats(i), "Part " + std::to_string(i)});
  CHECK(sectionMarks(many)[25].mark == "Z");
  CHECK(sectionMarks(many)[27].mark == "AB");
}

TEST_CASE("openings are shown as hollow signs, and a click makes the ornament that suits", "[app][finding]") {
  const TempFolder dir;
  Rig rig;
  begin(rig, {spoken(dir)}, 120);
  rig.key(Qt::Key_O, Qt::ShiftModifier);
  rig.settle();
  CHECK(rig.window->measure().said().contains("openings"));
  ScoreView& score = rig.score();
  // Two in eight bars at most, the best of them told apart; a key shows all.
  const auto shown = [&] { return score.openings().marks().at(4000); }; // so wide that all have room
  std::map<std::int64_t, int> few, best;
  for (const auto& m : shown()) {
    const std::int64_t part = (rig.session->plan()->map().barAt(m.opening.place.begin).bar - 1) / 8;
    ++few[part];
    best[part] += m.best ? 1 : 0;
  }
  REQUIRE_FALSE(few.empty());
  for (const auto& [part, n] : few) CHECK((n <= 2 && best[part] == 1));
  const std::size_t before = shown().size();
  rig.key(Qt::Key_O, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(shown().size() > before);
  score.showRange(0, 16, false);
  rig.settleView();
  const std::vector<OpeningMarks::Mark> marks = score.openings().marks().at(score.axis().pxPerBeat);
  const auto gap = std::find_if(marks.begin(), marks.end(), [](const auto& m) {
    return m.opening.kind == Opening::Kind::gap && m.opening.place.begin < Beats::ofQuarters(4);
  });
  REQUIRE(gap != marks.end());
  CHECK(gap->words == "rest, 2 beats");
  const QRectF box = OpeningMarks::boxOf(gap->opening, layOutPage({}), score.axis());
  CHECK(box.isNull()); // of a page without rows
  const QPoint at(static_cast<int>(score.axis().xOf(gap->opening.place.begin)) + 8,
                  score.staffOf(gap->opening.row).bottom() - 6);
  CHECK(score.explained(at).contains("click to place delay throw"));
  // It is drawn: the staff there is not what it is without.
  const QImage with = score.grab().toImage();
  QTest::mouseClick(&score, Qt::LeftButton, {}, at);
  rig.settle();
  REQUIRE(rig.session->song().ornaments.size() == 1);
  const Ornament& o = *rig.session->song().ornaments[0];
  CHECK(o.kind == "delay-throw");
  CHECK(o.start.quarters() == Approx(2).margin(0.07));
  CHECK(o.span().end.quarters() == Approx(3).margin(0.07));
  // Its place is taken now.
  rig.score().opened().close();
  rig.settleView();
  score.showRange(0, 16, false);
  rig.settleView();
  CHECK_FALSE(score.explained(at).contains("a click makes"));
  rig.session->undo();
  rig.settle();
  rig.score().setFocus();
  rig.key(Qt::Key_O, Qt::ShiftModifier); // and away
  CHECK(score.openings().marks().empty());
  const QImage without = score.grab().toImage();
  int other = 0;
  const double ratio = with.devicePixelRatio();
  for (int y = -6; y < 6; ++y)
    for (int x = -6; x < 12; ++x) {
      const QPoint p((QPointF(at + QPoint(x, y)) * ratio).toPoint());
      other += with.pixel(p) != without.pixel(p);
    }
  CHECK(other > 10);
}

TEST_CASE("a word, its phrase, the next one, and back; by clicks too", "[app][finding]") {
  SmallSongRig rig; // words at 1..2, 2.5..4, 8..9.5 …
  ScoreView& score = rig.score();
  score.setFocus();
  const auto range = [&] {
    REQUIRE(score.selection());
    return std::pair{score.selection()->begin.quarters(), score.selection()->end.quarters()};
  };
  const auto is = [&](double from, double to) {
    CHECK(range().first == Approx(from).margin(0.1));
    CHECK(range().second == Approx(to).margin(0.1));
  };
  score.caret().put(Beats(0));
  rig.key(Qt::Key_S);
  is(1, 2);
  rig.key(Qt::Key_S); // the word is its phrase: the next phrase too
  is(1, 4);
  rig.key(Qt::Key_S);
  is(1, 9.5);
  rig.key(Qt::Key_Backspace);
  is(1, 4);
  rig.key(Qt::Key_Backspace);
  is(1, 2);
  rig.key(Qt::Key_Backspace);
  is(1, 2);
  CHECK(rig.window->measure().said().startsWith("The selection is already its smallest"));
  rig.key(Qt::Key_Escape);
  rig.key(Qt::Key_Backspace);
  CHECK(rig.window->measure().said().startsWith("Nothing is selected"));
  // Clicks.
  score.showRange(0, 16, false);
  rig.settleView();
  const QPoint at = rig.at("voice", 8.7);
  QTest::mouseClick(&score, Qt::LeftButton, {}, at);
  QTest::mouseDClick(&score, Qt::LeftButton, {}, at);
  is(8, 9.5);
  QTest::mouseDClick(&score, Qt::LeftButton, {}, rig.at("voice", 6));
  CHECK(rig.window->measure().said() == "No word was found here. Drag over the row to select by hand.");
}

TEST_CASE("edges go onto attacks and zero crossings, and to the vowel", "[app][finding]") {
  const TempFolder dir;
  Part voice(6, 48000, 5);
  voice.sing(1, 0.8, 57, -18, 'a', true); // a hard consonant of 50 ms
  voice.sing(3, 0.8, 57, -18, 'a', false);
  writeWav(dir / "voice.wav", 48000, 1, voice.frames(),
           [&](std::int64_t f, int) { return voice.x[static_cast<std::size_t>(f)]; });
  Rig rig;
  begin(rig, {dir / "voice.wav"}, 120);
  ScoreView& score = rig.score();
  const std::string row = rig.session->song().stems[0].id;
  const auto seconds = [&](Beats b) { return rig.session->plan()->map().secondsAt(b).value; };
  score.caret().selectOnRow(row, {Beats::ofQuarters(2), Beats::ofQuarters(3.6)});
  rig.key(Qt::Key_V, Qt::ShiftModifier);
  CHECK(seconds(score.selection()->begin) == Approx(1.05).margin(0.015));
  CHECK(rig.window->measure().said().startsWith("First consonant skipped"));
  rig.key(Qt::Key_V, Qt::ShiftModifier);
  CHECK(rig.window->measure().said() == "The selection already starts with a vowel.");
  score.caret().selectOnRow(row, {Beats::ofQuarters(9), Beats::ofQuarters(10)});
  rig.key(Qt::Key_V, Qt::ShiftModifier);
  CHECK(rig.window->measure().said() == "The selection has no vowel to start from.");

  score.caret().selectOnRow(row, {Beats::ofQuarters(6.5), Beats::ofQuarters(7.1)});
  rig.key(Qt::Key_Z, Qt::ShiftModifier);
  const TempoMap& map = rig.session->plan()->map();
  for (const Beats edge : {score.selection()->begin, score.selection()->end}) {
    const auto f = static_cast<std::size_t>(map.frameAt(edge).count);
    CHECK((voice.x[f - 1] < 0) != (voice.x[f] < 0));
  }
  score.caret().selectOnRow(row, {Beats::ofQuarters(5.8), Beats::ofQuarters(7)});
  rig.key(Qt::Key_Q, Qt::ShiftModifier);
  CHECK(seconds(score.selection()->begin) == Approx(3).margin(0.03));
}

TEST_CASE("deep in and without a grid an arrow key is one sample", "[app][finding]") {
  SmallSongRig rig;
  ScoreView& score = rig.score();
  score.setFocus();
  rig.key(Qt::Key_8, Qt::ControlModifier);
  const TempoMap& map = rig.session->plan()->map();
  score.caret().put(Beats::ofQuarters(4));
  score.showRange(4, 4 + 200.0 / 24000, false); // six pixels to a sample
  rig.settleView();
  for (int i = 1; i <= 5; ++i) {
    rig.key(Qt::Key_Right);
    CHECK(map.frameAt(score.caret().at()).count == 4 * 24000 + i);
  }
  rig.key(Qt::Key_Left, Qt::ShiftModifier);
  REQUIRE(score.selection());
  CHECK(map.frames(score.selection()->range()).length() == 1);
}

TEST_CASE("note values are read, copied and picked", "[app][finding]") {
  SmallSongRig rig;
  rig.score().setFocus();
  whenUp<NoteValuesPage>([](NoteValuesPage* page) {
    auto* table = page->findChild<QTableWidget*>();
    REQUIRE(table);
    CHECK(table->currentItem()->text() == "500.0 ms   2 Hz"); // a quarter at 120 BPM
    QTest::keyClick(table, Qt::Key_Return);
    CHECK(QApplication::clipboard()->text() == "500.000");
    QTest::keyClick(table, Qt::Key_Right); // dotted
    QTest::keyClick(table, Qt::Key_Return, Qt::ShiftModifier);
    CHECK(QApplication::clipboard()->text() == "1.3333");
    CHECK(page->findChild<QLabel*>("noteValues-said")->text().contains("1/4. in hertz"));
    page->reject();
  });
  rig.key(Qt::Key_F4);
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  NumberField* time = rig.score().opened().row()->field("time_left");
  REQUIRE(time);
  time->setFocus();
  whenUp<NoteValuesPage>([](NoteValuesPage* page) {
    auto* table = page->findChild<QTableWidget*>();
    const auto cell = table->visualItemRect(table->item(table->rowCount() - 3, 1)).center(); // 1/16.
    QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, cell);
  });
  rig.window->action("noteValues")->trigger();
  CHECK(*settingOr(allKinds().find("delay-throw")->table(), rig.ornament(id).settings, "time_left").text() == "1/16.");
  // A number that is no time has no page.
  CHECK_FALSE(rig.score().opened().row()->field("feedback_percent")->timeAs(*NoteValue::parse("1/4")));
}

TEST_CASE("the grid is checked in the form line, and its worst place is a key away", "[app][finding]") {
  const TempFolder dir;
  // 120.5 BPM for three minutes' worth of bars would be too long: sixty bars.
  Part kit(122, 24000, 4);
  for (int beat = 0; beat < 240; ++beat) kit.kick(beat * 60 / 120.5, -14);
  writeWav(dir / "kit.wav", 24000, 1, kit.frames(),
           [&](std::int64_t f, int) { return kit.x[static_cast<std::size_t>(f)]; });
  Rig rig;
  begin(rig, {dir / "kit.wav"}, 120);
  rig.key(Qt::Key_F9);
  CHECK(rig.window->form().showsGrid());
  INFO(rig.window->measure().said().toStdString());
  CHECK(rig.window->measure().said().contains("The grid drifts: the audio runs at 120.50 BPM"));
  rig.key(Qt::Key_F9, Qt::ShiftModifier);
  CHECK(rig.session->plan()->map().barAt(rig.score().caret().at()).bar >= 55);
  CHECK(rig.window->measure().said().contains("early"));
  rig.key(Qt::Key_F9);
  CHECK_FALSE(rig.window->form().showsGrid());
}

TEST_CASE("from bare stems to a throw in the first gap, looping: three actions", "[app][finding]") {
  const TempFolder dir;
  auto files = songOfThree(dir);
  files.insert(files.begin(), spoken(dir));
  Rig rig;
  int actions = 0;
  dropFiles(rig, files);
  ++actions;
  const bool opens = QTest::qWaitFor([&] { return rig.session->isOpen(); }, 20000);
  INFO(rig.window->measure().lastSaid().toStdString());
  REQUIRE(opens);
  rig.settle();
  REQUIRE(rig.session->song().stems.size() == 4);
  CHECK(rig.session->song().tempo[0].bpm == 120);
  rig.score().setFocus();
  for (int i = 0; i < 4 && !rig.window->measure().said().startsWith("A rest"); ++i) {
    rig.key(Qt::Key_G, Qt::ControlModifier);
    ++actions;
    rig.settle();
  }
  INFO(rig.window->measure().said().toStdString());
  REQUIRE(rig.window->measure().said().startsWith("A rest"));
  CHECK(rig.session->player().playing()); // heard in a loop
  rig.key(Qt::Key_D);
  ++actions;
  rig.settle();
  REQUIRE(rig.session->song().ornaments.size() == 1);
  CHECK(rig.session->song().ornaments[0]->kind == "delay-throw");
  CHECK(rig.session->player().playing());
  CHECK(rig.window->action("loop")->isChecked());
  CHECK(actions <= 6);
}

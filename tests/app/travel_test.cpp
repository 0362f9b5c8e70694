// The keyboard's way: the caret goes by what is heard, words are selected, numbers are reached and left; keys that are
// free on common desktops and can be pressed on every keyboard.
#include "rig.h"

#include "test_support/places.h"

#include <QFile>
#include <QMenu>
#include <QMenuBar>
#include <QRegularExpression>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

double caretQuarters(Rig& rig) {
  return rig.score().caret().at().quarters();
}

} // namespace

TEST_CASE("the caret goes by words, phrases, bars, landings and to the ends", "[travel]") {
  SmallSongRig rig;
  rig.score().setFocus();
  rig.key(Qt::Key_Home);
  REQUIRE(rig.score().caret().row() == "voice");
  rig.key(Qt::Key_Right, Qt::ControlModifier); // asks for what is heard on the row
  rig.settle();
  rig.key(Qt::Key_Home);
  // The words of the row begin at 1, 2.5, 8, 12 …: heard within 30 ms.
  for (const double word : {1.0, 2.5, 8.0, 12.0}) {
    rig.key(Qt::Key_Right, Qt::ControlModifier);
    CHECK(caretQuarters(rig) == Approx(word).margin(0.06));
  }
  rig.key(Qt::Key_Left, Qt::ControlModifier);
  CHECK(caretQuarters(rig) == Approx(8).margin(0.06));
  rig.key(Qt::Key_Down, Qt::ControlModifier);
  CHECK(caretQuarters(rig) == Approx(12).margin(0.06));
  rig.key(Qt::Key_Up, Qt::ControlModifier);
  CHECK(caretQuarters(rig) == Approx(8).margin(0.06));
  rig.key(Qt::Key_PageDown, Qt::ControlModifier);
  CHECK(caretQuarters(rig) == (caretQuarters(rig) < 10 ? 8 : 12)); // exactly on a line
  rig.key(Qt::Key_PageDown, Qt::ControlModifier);
  rig.key(Qt::Key_PageUp, Qt::ControlModifier);
  CHECK(std::fmod(caretQuarters(rig), 4) == 0);
  rig.key(Qt::Key_PageDown);
  CHECK(caretQuarters(rig) == 16);
  CHECK(rig.score().landing()->id == "b");
  rig.key(Qt::Key_PageDown, Qt::ShiftModifier);
  REQUIRE(rig.score().selection());
  CHECK(rig.score().selection()->range() == BeatRange{Beats::ofQuarters(16), Beats::ofQuarters(32)});
  // The edge that moves is the one away from the anchor.
  rig.key(Qt::Key_PageUp, Qt::ShiftModifier);
  CHECK_FALSE(rig.score().selection());
  rig.key(Qt::Key_Home, Qt::ShiftModifier);
  REQUIRE(rig.score().selection());
  CHECK(rig.score().selection()->range() == BeatRange{Beats(0), Beats::ofQuarters(16)});
  rig.key(Qt::Key_End);
  CHECK(caretQuarters(rig) == Approx(64).margin(0.001));
  CHECK_FALSE(rig.score().selection());
  rig.key(Qt::Key_PageDown);
  CHECK(rig.window->measure().said().contains("nothing after"));
}

TEST_CASE("a word is selected by one key, its phrase by the next press; a row without words says so", "[travel]") {
  SmallSongRig rig;
  rig.score().setFocus();
  rig.key(Qt::Key_S);
  rig.settle();
  rig.key(Qt::Key_Home);
  rig.key(Qt::Key_S);
  REQUIRE(rig.score().selection());
  const BeatRange word = rig.score().selection()->range();
  CHECK(word.begin.quarters() == Approx(1).margin(0.06));
  CHECK(word.end.quarters() == Approx(2).margin(0.25));
  rig.key(Qt::Key_S);
  REQUIRE(rig.score().selection());
  CHECK(rig.score().selection()->begin <= word.begin);
  CHECK(rig.score().selection()->end >= word.end);
  // From the last word on there is none.
  rig.key(Qt::Key_End);
  rig.key(Qt::Key_S);
  CHECK_FALSE(rig.score().selection());
  CHECK(rig.window->measure().said().contains("no word after"));
}

TEST_CASE("a reverse reverb is placed and its path changed in twelve keys at most", "[travel]") {
  SmallSongRig rig;
  rig.score().setFocus();
  rig.session->rows().phrases("voice");
  rig.settle();
  int keys = 0;
  const auto press = [&](Qt::Key k, Qt::KeyboardModifiers m = {}) {
    ++keys;
    rig.key(k, m);
    rig.settle();
  };
  press(Qt::Key_Home);
  press(Qt::Key_Down, Qt::ControlModifier); // three words on
  press(Qt::Key_Down, Qt::ControlModifier);
  press(Qt::Key_Down, Qt::ControlModifier);
  press(Qt::Key_S);
  press(Qt::Key_R);
  REQUIRE(rig.session->song().ornaments.size() == 1);
  CHECK(last(rig).kind == "reverse-reverb");
  CHECK(last(rig).start.quarters() == Approx(8).margin(0.06));
  CHECK(textSetting(last(rig), "space") == "reverb");
  press(Qt::Key_Return);
  press(Qt::Key_E);
  press(Qt::Key_Up);
  CHECK(textSetting(last(rig), "space") == "echo");
  press(Qt::Key_F6);
  CHECK(rig.score().hasFocus());
  CHECK(keys <= 12);
}

TEST_CASE("the tab key goes through the numbers before the finish", "[travel]") {
  SmallSongRig rig;
  rig.placeOpen("pulse", "keys", 12, 16);
  rig.score().setFocus();
  rig.key(Qt::Key_Return);
  REQUIRE(rig.score().opened().row()->hasFocus());
  int numbers = 0;
  while (dynamic_cast<NumberField*>(rig.window->focusWidget()) && numbers < 60) {
    rig.key(Qt::Key_Tab);
    ++numbers;
  }
  CHECK(numbers >= 12); // a pulse's own and those of the whole
  for (int i = 0; i < 30 && rig.window->focusWidget() != &rig.score().opened().row()->finish(); ++i)
    rig.key(Qt::Key_Tab);
  CHECK(rig.window->focusWidget() == &rig.score().opened().row()->finish());
}

TEST_CASE("no key does two things, and none is taken by desktops, input methods or missing on a keyboard", "[travel]") {
  SmallSongRig rig;
  QMap<QString, QString> owner;
  int keys = 0;
  for (const QAction* a : rig.window->actions())
    for (const QKeySequence& s : a->shortcuts()) {
      const QString name = s.toString(QKeySequence::PortableText);
      INFO(name.toStdString() << ": " << a->objectName().toStdString() << ", " << owner.value(name).toStdString());
      CHECK_FALSE(owner.contains(name));
      owner[name] = a->objectName();
      ++keys;
      const QKeyCombination k = s[0];
      CHECK_FALSE(k.keyboardModifiers().testFlag(Qt::AltModifier)); // moves of windows, menus, levels of a layout
      CHECK_FALSE(k.keyboardModifiers().testFlag(Qt::MetaModifier));
      const bool ctrl = k.keyboardModifiers().testFlag(Qt::ControlModifier);
      const bool shift = k.keyboardModifiers().testFlag(Qt::ShiftModifier);
      // Input methods: on and off, full width, emoji, code points, their own settings.
      CHECK_FALSE((k.key() == Qt::Key_Space && (ctrl || shift)));
      CHECK_FALSE((ctrl && (k.key() == Qt::Key_Period || k.key() == Qt::Key_Comma || k.key() == Qt::Key_Semicolon)));
      CHECK_FALSE((ctrl && shift && k.key() == Qt::Key_U));
      // Brackets, braces, slashes and quotes ask for AltGr or are dead on QWERTZ, AZERTY and Nordic keyboards.
      for (const Qt::Key far : {Qt::Key_BracketLeft, Qt::Key_BracketRight, Qt::Key_BraceLeft, Qt::Key_BraceRight,
                                Qt::Key_Slash, Qt::Key_Backslash, Qt::Key_QuoteLeft, Qt::Key_Apostrophe, Qt::Key_At,
                                Qt::Key_AsciiTilde, Qt::Key_AsciiCircum, Qt::Key_Bar})
        CHECK(k.key() != far);
    }
  CHECK(keys > 90);
}

TEST_CASE("every entry of a menu has a letter of its own", "[travel]") {
  SmallSongRig rig;
  const auto letters = [](const QList<QAction*>& entries) {
    QString all;
    for (const QAction* a : entries) {
      static const QRegularExpression noteValue(QStringLiteral("^&?1/&?\\d+$")); // seven of them share six digits
      if (a->isSeparator() || noteValue.match(a->text()).hasMatch()) continue;
      const auto at = a->text().indexOf('&');
      INFO(a->text().toStdString());
      REQUIRE(at >= 0);
      const QChar letter = a->text()[at + 1].toLower();
      CHECK_FALSE(all.contains(letter));
      all += letter;
    }
    return all.size();
  };
  const auto* bar = rig.window->findChild<QMenuBar*>();
  REQUIRE(bar);
  CHECK(letters(bar->actions()) >= 6);
  qsizetype entries = 0;
  for (const QMenu* m : bar->findChildren<QMenu*>()) entries += letters(m->actions());
  CHECK(entries > 100);
}

TEST_CASE("the page of keys in docs is the one the actions make", "[travel]") {
  SmallSongRig rig;
  QFile page(QString::fromStdString((sourceFolder() / "docs" / "keys.md").string()));
  REQUIRE(page.open(QIODevice::ReadOnly));
  CHECK(QString::fromUtf8(page.readAll()) == rig.window->keysAsMarkdown());
}

TEST_CASE("choices open as a list, by a click and by Return, and are told by how they read", "[travel]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("reverse-reverb", "voice", 8, 9.5);
  NumberField* path = rig.score().opened().row()->field("space");
  const auto list = [&] { return path->findChild<QMenu*>(QStringLiteral("choices")); };
  QTest::mouseClick(path, Qt::LeftButton);
  REQUIRE(list());
  REQUIRE(list()->actions().size() == 4);
  CHECK(list()->actions()[0]->isChecked());
  CHECK(QString(list()->actions()[2]->text()).remove('&') == "delay, then reverb");
  CHECK(textSetting(rig.ornament(id), "space") == "reverb"); // nothing is chosen by opening it
  list()->actions()[2]->trigger();
  CHECK(textSetting(rig.ornament(id), "space") == "echo-reverb");
  list()->close();
  delete list();
  path->setFocus();
  rig.key(Qt::Key_Return);
  REQUIRE(list());
  CHECK(list()->actions()[2]->isChecked());
  list()->close();
}

TEST_CASE("zoomed out, the hand snaps to what can be seen, and the margin says so", "[travel]") {
  SmallSongRig rig;
  const auto grid = [&](double pxPerBeat) {
    rig.score().showRange(8, 8 + rig.score().axis().width / pxPerBeat, false);
    return rig.score().gridMark()->text();
  };
  CHECK(grid(200) == "grid 1/16");
  CHECK(rig.score().handGrid() == Beats(kTicksPerQuarter / 4));
  CHECK(grid(25) == "grid 1/16"); // six pixels and a little
  CHECK(grid(20) == "grid 1/8");
  CHECK(grid(10) == "grid 1 beat");
  CHECK(rig.score().handGrid() == Beats(kTicksPerQuarter));
  CHECK(grid(4) == "grid 1 bar");
  // A drag over the page takes whole bars there, with Shift it is free.
  rig.select("voice", 13.1, 22.7);
  REQUIRE(rig.score().selection());
  CHECK(rig.score().selection()->begin == Beats::ofQuarters(12));
  CHECK(rig.score().selection()->end == Beats::ofQuarters(24));
  rig.score().select(std::nullopt);
  rig.select("voice", 13.1, 22.7, Qt::ShiftModifier);
  REQUIRE(rig.score().selection());
  CHECK(rig.score().selection()->begin.quarters() == Approx(13.1).margin(0.3));
  // Keys keep the grid that was chosen.
  CHECK(rig.score().grid() == Beats(kTicksPerQuarter / 4));
}

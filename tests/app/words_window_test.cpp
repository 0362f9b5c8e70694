// The window's words: plurals as English has them, nothing that escapes its catalogue.
#include "rig.h"
#include "test_support/places.h"

#include <QDirIterator>
#include <QFile>
#include <QRegularExpression>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

QString contents(const QString& path) {
  QFile f(path);
  REQUIRE(f.open(QIODevice::ReadOnly));
  return QString::fromUtf8(f.readAll());
}

} // namespace

TEST_CASE("plurals are written out, every one of them in the catalogue", "[words]") {
  CHECK(QObject::tr("%n ornament(s)", nullptr, 1) == "1 ornament");
  CHECK(QObject::tr("%n ornament(s)", nullptr, 7) == "7 ornaments");
  const QString app = QString::fromStdString((sourceFolder() / "app").string());
  const QString catalogue = contents(app + "/resources/ivrin_en.ts");
  static const QRegularExpression plural(QStringLiteral("\"([^\"]*%n[^\"]*)\""));
  int found = 0;
  QDirIterator files(app, {"*.cpp"}, QDir::Files, QDirIterator::Subdirectories);
  while (files.hasNext()) {
    const QString path = files.next(), code = contents(path);
    for (auto it = plural.globalMatch(code); it.hasNext(); ++found) {
      const QString words = it.next().captured(1);
      INFO(path.toStdString() << ": " << words.toStdString());
      CHECK(catalogue.contains(QStringLiteral("<source>%1</source>").arg(words)));
    }
  }
  CHECK(found >= 12);
  CHECK_FALSE(catalogue.contains(QStringLiteral("unfinished")));
}

TEST_CASE("what the window says of a song is in whole words", "[words]") {
  SmallSongRig rig;
  rig.settle();
  CHECK(rig.window->measure().figures().startsWith(QStringLiteral("Drag over a word")));
  rig.place("delay-throw", "voice", 8, 9.5);
  rig.session->choose({});
  rig.settle();
  CHECK(rig.window->measure().figures().startsWith(QStringLiteral("Drag over a word")));
  rig.key(Qt::Key_A, Qt::ControlModifier);
  CHECK(rig.window->measure().figures().startsWith(QStringLiteral("1 ornament selected")));
  // In no menu, tooltip or name is anything unfinished.
  for (const QAction* a : rig.window->actions())
    for (const QString& text : {a->text(), a->toolTip()}) {
      INFO(text.toStdString());
      CHECK_FALSE(text.contains(QStringLiteral("(s)")));
      CHECK_FALSE(text.contains('%'));
      static const QRegularExpression never(
          QStringLiteral("\\b(former|silences?|switch(ed)? off|disabled?|begins?)\\b"),
          QRegularExpression::CaseInsensitiveOption);
      CHECK_FALSE(never.match(text).hasMatch());
    }
}

TEST_CASE("marks explain themselves where the mouse rests on them", "[words]") {
  SmallSongRig rig;
  const std::string first = rig.place("delay-throw", "voice", 8, 9.5),
                    second = rig.place("reverb-throw", "voice", 8, 9.5);
  Ornament tied = rig.ornament(first);
  tied.landing = "b";
  rig.session->edit("tie", withOrnamentReplaced(rig.session->song(), tied));
  rig.settle();
  const OrnamentBox* a = rig.score().layoutOfOrnaments().box(first);
  const OrnamentBox* b = rig.score().layoutOfOrnaments().box(second);
  REQUIRE(a);
  REQUIRE(b);
  const QString sign = rig.score().explained(a->sign.center());
  CHECK(sign.startsWith("Delay throw over 1½ beats."));
  CHECK(sign.contains("after its source"));
  CHECK(sign.contains("Tied to Two"));
  const auto slur = tieSlur(*a, rig.score().axis().xOf(Beats::ofQuarters(16)));
  REQUIRE(slur);
  const QPointF top = (slur->from + slur->to) / 2 - QPointF(0, slur->bulge);
  CHECK(rig.score().explained(top).contains("elay throw is tied to Two"));
  CHECK_FALSE(rig.score().explained(top - QPointF(0, 9)).contains("slur ties"));
  const QPointF tail((a->end + a->tailX) / 2, a->bracketY);
  CHECK(rig.score().explained(tail).isEmpty()); // its bracket is not shown yet
  rig.hoverAt(a->sign.center());
  CHECK(rig.score().explained(tail).startsWith("Dashed line: its tail"));
  REQUIRE_FALSE(b->number.isEmpty());
  CHECK(rig.score().explained(b->number.center()).contains("number 2 on Voice"));
  CHECK(rig.score().explained({rig.score().axis().x0 + 40, 10}).contains("bars relative to"));
  CHECK(rig.score().explained({rig.score().axis().x0 + 2, rig.score().height() - 4.0}).isEmpty());
}

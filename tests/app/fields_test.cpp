// The keys leave a field while what is behind it changes: a commit may rebuild what Qt is just giving the focus to.
#include "rig.h"
#include "services/memory.h"

#include <catch2/catch.hpp>

#include <QLineEdit>
#include <QSignalSpy>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

const std::vector<std::pair<Qt::Key, Qt::KeyboardModifiers>> kWaysOut = {
    {Qt::Key_Tab, Qt::NoModifier}, {Qt::Key_Backtab, Qt::ShiftModifier}, {Qt::Key_Return, Qt::NoModifier}};

void deferredToo() {
  QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  QCoreApplication::processEvents();
}

} // namespace

TEST_CASE("a landing's name is given while an ornament is open, whichever way the field is left", "[fields]") {
  for (const auto& [key, held] : kWaysOut) {
    SmallSongRig rig;
    rig.placeOpen("delay-throw", "voice", 8, 9.5);
    rig.window->action(QStringLiteral("rename"))->trigger();
    auto* form = rig.window->findChild<FormLine*>();
    REQUIRE(form->nameField());
    const std::string before = rig.session->song().sections.front().name;
    QTest::keyClicks(form->nameField(), QStringLiteral("Lift"));
    QTest::keyClick(form->nameField(), key, held); // the program ended
    deferredToo();
    rig.settle();
    bool named = false;
    for (const Landing& l : rig.session->song().allLandings()) named = named || l.name == "Lift";
    CHECK(named);
    NumberField* tied = rig.score().opened().row()->field("landing");
    REQUIRE(tied);
    const auto& choices = tied->spec().choices;
    CHECK(std::find(choices.begin(), choices.end(), "Lift") != choices.end());
    rig.key(Qt::Key_Z, Qt::ControlModifier);
    rig.settle();
    CHECK(rig.session->song().sections.front().name == before);
  }
}

TEST_CASE("every editing field of the window is left by Tab, back and Return while another ornament is shown behind it",
          "[fields][slow]") { // every field of four kinds
  SmallSongRig rig;
  std::vector<std::string> ids;
  for (const char* kind : {"delay-throw", "stutter", "riser", "reverb-throw"})
    ids.push_back(rig.place(kind, kind == std::string("riser") ? "mix" : "voice", 8, 10));
  Ornament finished = rig.ornament(ids[0]);
  finished.finish = {{"filter", {}}, {"tone", {}}};
  rig.session->edit(QStringLiteral("finish"), withOrnamentReplaced(rig.session->song(), finished));
  int left = 0;
  for (std::size_t i = 0; i < ids.size(); ++i) {
    rig.score().opened().open(ids[i]);
    rig.settle();
    if (i == 0) rig.score().opened().row()->openFinish(0);
    std::vector<std::pair<QString, QWidget*>> fields; // found anew each time: some make way for others
    for (NumberField* f : rig.window->findChildren<NumberField*>())
      if (f->isVisible()) fields.emplace_back(f->objectName(), f->parentWidget());
    REQUIRE(fields.size() > 10);
    for (std::size_t n = 0; n < fields.size(); n += kSanitized ? 4 : 1) { // a second each under a sanitizer
      const auto& [name, parent] = fields[n];
      auto* f = parent->findChild<NumberField*>(name, Qt::FindDirectChildrenOnly);
      if (!f || !f->isVisible()) continue;
      INFO(ids[i] << " " << name.toStdString());
      const auto& [key, held] = kWaysOut[static_cast<std::size_t>(left) % kWaysOut.size()];
      f->setFocus();
      QTest::keyClick(f, Qt::Key_Return);
      if (auto* edit = f->findChild<QLineEdit*>()) {
        QTest::keyClicks(edit, QStringLiteral("1"));
        // The edit that leaving it makes shows another ornament, of another kind.
        const auto shown = QObject::connect(rig.session.get(), &Session::songChanged, rig.window.get(),
                                            [&] { rig.score().opened().open(ids[(i + 1) % ids.size()]); });
        QTest::keyClick(edit, key, held);
        QObject::disconnect(shown);
        ++left;
      } else {
        QTest::keyClick(QApplication::activePopupWidget() ? QApplication::activePopupWidget() : f, Qt::Key_Escape);
        QTest::keyClick(f, key, held);
      }
      deferredToo();
      rig.score().opened().open(ids[i]);
      rig.session->waitUntilIdle();
    }
    rig.score().opened().close();
  }
  CHECK(left > (kSanitized ? 10 : 40));
}

TEST_CASE("after all is undone and another song is open, the memory is what it was",
          "[fields][memory][heavy]") { // a sanitizer holds freed memory back: nothing to see there
  keepMemoryTidy();
  const TempFolder other;
  SmallSongRig rig;
  rig.session->player().play(Frames(0));
  rig.hear(4800);
  rig.session->player().stop();
  giveMemoryBack();
  const std::int64_t fresh = privateMemory();
  // Sound before the song, and long prints of it: minutes for every edit.
  Song song = rig.session->song();
  song.tempo = {{Beats(0), 31}};
  song.leadBars = 64;
  rig.session->edit(QStringLiteral("slow"), song);
  for (int i = 0; i < 6; ++i) {
    Ornament o;
    o.id = "o" + std::to_string(i);
    o.kind = "pulse";
    o.on = "voice";
    o.start = Beats::ofQuarters(-250);
    o.length = Beats::ofQuarters(300.0 + i);
    rig.session->edit(QStringLiteral("pulse"), withOrnament(rig.session->song(), o));
    rig.session->settle();
  }
  rig.session->waitUntilIdle();
  while (rig.session->history().canUndo()) rig.session->undo();
  rig.settle();
  const Session::Kept kept = rig.session->kept();
  CHECK(kept.prints <= std::int64_t{400} << 20);
  CHECK(kept.inMemory() < std::int64_t{512} << 20);
  rig.open(writeSmallSong(other));
  CHECK(rig.session->kept().prints < std::int64_t{40} << 20);
  CHECK(rig.session->kept().printsInFile == 0);
  giveMemoryBack();
  if (!ivrin::test::kSanitized) // a sanitizer holds freed memory back
    CHECK(privateMemory() - fresh < std::int64_t{100} << 20);
}

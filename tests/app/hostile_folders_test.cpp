// Folders of the user, and what is dropped, in any state: every list of the window is opened over them.
#include "app/openrow/finish_line.h"
#include "app/openrow/pattern_line.h"
#include "app/session/recipe_trial.h"
#include "bare_stems.h"
#include "rig.h"

#include <catch2/catch.hpp>

#include <QMenu>
#include <QSignalSpy>

#include <fstream>
#include <sys/stat.h>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
namespace fs = std::filesystem;

namespace {

/// One of each thing that no file of ours is.
void fillWithAnything(const fs::path& dir, const std::string& ending) {
  fs::create_directories(dir / ("a folder" + ending) / "x");
  REQUIRE(::mkfifo((dir / ("a pipe" + ending)).c_str(), 0600) == 0);
  fs::create_symlink("/dev/zero", dir / ("endless" + ending));
  fs::create_symlink(dir / ("itself" + ending), dir / ("itself" + ending));
  fs::create_symlink(dir / "nowhere", dir / ("nowhere link" + ending));
  std::ofstream(dir / ("empty" + ending)).flush();
  std::ofstream(dir / ("deep" + ending)) << std::string(100000, '[');
  std::ofstream(dir / ("huge" + ending)) << std::string(5 << 20, ' ');
  std::ofstream(dir / ("bytes" + ending)) << std::string("\xff\xfe\0\x1b[2J", 7);
}

class DataHome {
 public:
  explicit DataHome(const fs::path& dir)
      : was_(qgetenv("XDG_DATA_HOME")) {
    qputenv("XDG_DATA_HOME", QByteArray::fromStdString(dir.string()));
  }
  ~DataHome() { qputenv("XDG_DATA_HOME", was_); }
  DataHome(const DataHome&) = delete;
  DataHome& operator=(const DataHome&) = delete;

 private:
  QByteArray was_;
};

int errorsIn(const QSignalSpy& told) {
  int n = 0;
  for (const auto& t : told) n += t[1].toBool();
  return n;
}

} // namespace

TEST_CASE("recipes, patterns, presets and journals of any kind: each list opens, and says what it left out",
          "[hostile]") {
  const TempFolder data;
  const DataHome home(data.path());
  for (const fs::path& dir :
       {data / "ivrin/recipes", PatternLine::ownFolder(), FinishLine::ownFolder(), data / "ivrin/journal"}) {
    fs::create_directories(dir);
    fillWithAnything(dir, ".json");
  }
  REQUIRE(fs::exists(data / "ivrin/ivrin/patterns/empty.json"));
  SmallSongRig rig(data / "ivrin/journal");
  QSignalSpy told(rig.session.get(), &Session::notice);
  rig.session->files().lookForLeft();
  rig.settle();
  CHECK(rig.session->files().left().empty());
  CHECK(errorsIn(told) >= 4); // empty, deep, huge, bytes, and what is no file
  CHECK(fs::exists(data / "ivrin/journal/empty.json.damaged"));
  told.clear();
  rig.placeOpen("stutter", "voice", 8, 10);
  OpenRow& row = *rig.score().opened().row();
  told.clear();
  QTest::keyClick(&row.finish(), Qt::Key_Insert); // presets
  auto* menu = row.finish().findChild<QMenu*>(QStringLiteral("finish-menu"));
  REQUIRE(menu);
  CHECK(errorsIn(told) == 9);
  menu->close();
  told.clear();
  row.patterns().offer();
  auto* patterns = row.patterns().findChild<QMenu*>(QStringLiteral("pattern-menu"));
  REQUIRE(patterns);
  CHECK(errorsIn(told) >= 1);
  patterns->close();
  told.clear();
  rig.score().opened().close();
  rig.score().goToLanding("c");
  rig.settle();
  rig.window->action("recipes")->trigger();
  rig.settle();
  auto* trial = rig.window->findChild<RecipeTrial*>();
  CHECK(trial->running());
  CHECK(trial->all().size() == shippedRecipes().size());
  CHECK(errorsIn(told) == 9);
  trial->letGo();
  // Edits are kept all the same, beside what lies there.
  rig.session->waitForJournal();
  CHECK_FALSE(rig.session->unprotected());
}

TEST_CASE("anything may be dropped: what is no sound is told, nothing hangs, and the song stays as it was",
          "[hostile]") {
  const TempFolder dir, cache;
  fillWithAnything(dir.path(), ".wav");
  fs::create_directories(dir / "deeper/still");
  fs::create_directory_symlink(dir.path(), dir / "deeper/still/back"); // a loop of folders
  fillWithAnything(dir / "deeper", ".mid");
  SmallSongRig rig;
  const Song before = rig.session->song();
  QSignalSpy told(rig.session.get(), &Session::notice);
  for (const auto& e : fs::directory_iterator(dir.path())) {
    INFO(e.path().string());
    told.clear();
    rig.window->measure().say(QString(), false);
    dropFiles(rig, {e.path()});
    CHECK(rig.session->song() == before);
    CHECK((errorsIn(told) > 0 || !rig.window->measure().said().isEmpty()));
  }
  dropFiles(rig, {dir.path()});
  CHECK(rig.session->song() == before);
  // A new song of them is none.
  Rig empty;
  dropFiles(empty, {dir.path()});
  CHECK_FALSE(empty.session->isOpen());
}

// Nothing is lost: what a window left that ended before it saved, a song opened twice, stems that are not there, a
// damaged copy in the cache.
#include "app/dialogs/left_dialog.h"
#include "app/score/row_head.h"
#include "audio/audio_reader.h"
#include "files/journal.h"
#include "files/safe_file.h"
#include "rig.h"
#include "song/edits.h"

#include <QAction>
#include <QRadioButton>
#include <QSignalSpy>

#include <fstream>
#include <sys/stat.h>
#include <unistd.h>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
using namespace ivrin::test;
namespace fs = std::filesystem;

namespace {

void setGain(Rig& rig, double db) {
  RowMix m;
  m.gainDb = db;
  rig.session->edit("gain", withRowMix(rig.session->song(), "drums", m));
  rig.session->settle();
}

double gain(const Rig& rig) {
  return rig.session->song().rowMix("drums").gainDb;
}

std::size_t journals(const fs::path& folder) {
  std::size_t n = 0;
  for (const auto& e : fs::directory_iterator(folder)) n += e.path().extension() == ".json";
  return n;
}

/// The window takes what the measure line offers.
void takeOffer(Rig& rig) {
  auto* offer = rig.window->measure().findChild<QAbstractButton*>(QStringLiteral("offer"));
  REQUIRE(offer);
  REQUIRE_FALSE(offer->isHidden());
  offer->click();
  rig.session->waitUntilIdle();
  rig.settleView();
}

/// Once the dialog that comes next is there, `f` is called with it.
template <class F> void inDialog(F f) {
  QTimer::singleShot(0, qApp, [f] {
    auto* d = qobject_cast<LeftDialog*>(QApplication::activeModalWidget());
    REQUIRE(d);
    f(*d);
  });
}

void press(LeftDialog& d, const char* name) {
  d.findChild<QAbstractButton*>(QString::fromLatin1(name))->click();
}

/// A window that edits and ends without a word, as a crash does.
void leaveEdits(const fs::path& journal, const fs::path& song, int edits, double from = -1) {
  Rig rig(journal);
  rig.open(song);
  for (int i = 0; i < edits; ++i) setGain(rig, from - i);
}

} // namespace

TEST_CASE("songs that were never saved come back after a crash, by name and time", "[left]") {
  const TempFolder dir, journal;
  writeSmallSong(dir);
  const auto begin = [&](const char* stem, double db) {
    Rig rig(journal.path());
    rig.session->files().begin({dir / stem}, 120);
    rig.session->waitUntilIdle();
    RowMix m;
    m.gainDb = db;
    Song next = withRowMix(rig.session->song(), rig.session->song().stems[0].id, m);
    next.title = std::string("Of ") + stem;
    rig.session->edit("gain", std::move(next));
  };
  begin("voice.wav", -3);
  begin("keys.wav", -5);
  CHECK(journals(journal.path()) == 2); // each has its own
  Rig rig(journal.path());
  rig.session->files().lookForLeft();
  rig.session->waitUntilIdle();
  REQUIRE(rig.session->files().left().size() == 2);
  CHECK(rig.session->files().left()[0].title == "Of keys.wav"); // the newest first
  CHECK(rig.session->files().left()[1].title == "Of voice.wav");
  CHECK(rig.session->files().left()[0].edits == 1);
  const auto age = fs::file_time_type::clock::now() - rig.session->files().left()[0].when;
  CHECK(age < std::chrono::minutes(10));
  CHECK(rig.window->measure().said().contains(
      QString::fromUtf8("2 songs have unsaved edits; the latest is “Of keys.wav”, 1 edit")));
  inDialog([](LeftDialog& d) {
    REQUIRE(d.findChildren<QRadioButton*>().size() == 2);
    CHECK(d.findChildren<QRadioButton*>()[1]->text().contains("Of voice.wav"));
    CHECK(d.findChildren<QRadioButton*>()[1]->text().contains("1 edit up to"));
    d.findChildren<QRadioButton*>()[1]->setChecked(true);
    press(d, "left-open");
  });
  takeOffer(rig);
  REQUIRE(rig.session->isOpen());
  CHECK(rig.session->song().title == "Of voice.wav");
  CHECK(rig.session->song().stems[0].mix.gainDb == -3);
  CHECK(rig.session->audio().of(rig.session->song().stems[0].id)); // and it sounds
  CHECK(rig.session->history().changedSinceSave());
  CHECK(rig.session->files().left().size() == 1); // the other one is still offered
  CHECK(journals(journal.path()) == 2);
  // Saved, its journal is gone; the other stays until it is let go.
  REQUIRE(rig.save(dir / "back.ivrin"));
  CHECK(journals(journal.path()) == 1);
  inDialog([](LeftDialog& d) {
    d.findChildren<QRadioButton*>()[0]->setChecked(true);
    press(d, "left-drop");
  });
  rig.window->action("left")->trigger();
  CHECK(journals(journal.path()) == 0);
  CHECK(rig.session->files().left().empty());
}

TEST_CASE("one song that was never saved is a click away", "[left]") {
  const TempFolder dir, journal;
  writeSmallSong(dir);
  {
    Rig rig(journal.path());
    rig.session->files().begin({dir / "voice.wav"}, 97);
    rig.session->waitUntilIdle();
    Song next = rig.session->song();
    next.title = "New";
    rig.session->edit("title", std::move(next));
  }
  Rig rig(journal.path());
  rig.session->files().lookForLeft();
  rig.session->waitUntilIdle();
  CHECK(rig.window->measure().said().contains(QString::fromUtf8("“New” was never saved (1 edit up to")));
  takeOffer(rig);
  REQUIRE(rig.session->isOpen());
  CHECK(rig.session->song().title == "New");
  CHECK(rig.session->song().tempo[0].bpm == 97);
  CHECK(journals(journal.path()) == 1); // a crash now loses nothing either
}

TEST_CASE("edits to a file that was changed, cut short or reached through a link are offered beside it, and kept",
          "[left]") {
  enum class How { changed, cut, emptied, linked };
  for (const How how : {How::changed, How::cut, How::emptied, How::linked}) {
    INFO(static_cast<int>(how));
    const TempFolder dir, journal;
    const auto file = writeSmallSong(dir);
    fs::path opened = file;
    if (how == How::linked) {
      fs::create_symlink(file, dir / "link.ivrin");
      opened = dir / "link.ivrin";
    }
    leaveEdits(journal.path(), opened, 3);
    std::string why;
    if (how == How::changed) {
      Problems p;
      Song other = *readSongFile(file, allKinds().registry(), p);
      other.title = "Changed elsewhere";
      std::ofstream(file) << writeSong(other, allKinds().registry());
    }
    if (how == How::cut) fs::resize_file(file, 100);
    if (how == How::emptied) fs::resize_file(file, 0);
    Rig rig(journal.path());
    rig.open(file);
    if (how == How::linked) { // the same file: they come back by themselves
      CHECK(gain(rig) == -3);
      CHECK(rig.session->files().left().empty());
      continue;
    }
    REQUIRE(rig.session->files().left().size() == 1);
    CHECK(rig.session->files().left()[0].edits == 3);
    CHECK_FALSE(rig.session->files().left()[0].onThisFile);
    INFO(rig.window->measure().said().toStdString());
    CHECK(rig.window->measure().said().contains("3 edits up to"));
    if (how == How::changed) { // the file is what is open; saving it does not take the edits away
      CHECK(rig.session->song().title == "Changed elsewhere");
      setGain(rig, -20);
      REQUIRE(rig.save(file));
      CHECK(journals(journal.path()) == 1);
      inDialog([&](LeftDialog& d) {
        const auto choices = d.findChildren<QRadioButton*>();
        REQUIRE(choices.size() == 2);
        CHECK(choices[0]->text().contains("as saved"));
        CHECK(choices[1]->text().contains("older than the saved file"));
        choices[1]->setChecked(true);
        press(d, "left-open");
      });
      rig.window->action("left")->trigger();
      rig.session->waitUntilIdle();
    } else { // nothing could be opened; the edits can
      CHECK_FALSE(rig.session->isOpen());
      inDialog([&](LeftDialog& d) {
        REQUIRE(d.findChildren<QRadioButton*>().size() == 1);
        press(d, "left-open");
      });
      takeOffer(rig);
    }
    REQUIRE(rig.session->isOpen());
    CHECK(gain(rig) == -3);
    CHECK(rig.session->history().changedSinceSave());
    CHECK(journals(journal.path()) == 1);
    REQUIRE(rig.save(file));
    CHECK(journals(journal.path()) == 0);
    Problems p;
    const auto saved = readSongFile(file, allKinds().registry(), p);
    REQUIRE(saved);
    CHECK(saved->rowMix("drums").gainDb == -3);
  }
}

TEST_CASE("choosing the song as its file has it lets go of the edits", "[left]") {
  const TempFolder dir, journal;
  const auto file = writeSmallSong(dir);
  leaveEdits(journal.path(), file, 2);
  std::string why;
  REQUIRE(replaceFile(file, *readWholeFile(file, 1 << 20, why) + "\n", why));
  Rig rig(journal.path());
  rig.open(file);
  inDialog([](LeftDialog& d) { press(d, "left-open"); }); // the file stands first
  rig.window->action("left")->trigger();
  CHECK(gain(rig) == 0);
  CHECK(rig.session->files().left().empty());
  CHECK(journals(journal.path()) == 0);
}

TEST_CASE("a song opened twice: the second window says so, reads only, and takes nothing of the first", "[left]") {
  const TempFolder dir, journal;
  const auto file = writeSmallSong(dir);
  std::string why;
  Rig first(journal.path());
  first.open(file);
  CHECK(fs::exists(dir / ".song.ivrin.lock"));
  setGain(first, -7);
  {
    Rig second(journal.path());
    second.open(file);
    CHECK_FALSE(second.session->isOpen());
    CHECK(second.window->measure().said().contains("is already open in another window, process " +
                                                   QString::number(::getpid())));
    takeOffer(second);
    REQUIRE(second.session->isOpen());
    CHECK(second.session->readOnly());
    CHECK(second.window->windowTitle().contains("read only"));
    CHECK(gain(second) == 0); // not the living window's edits
    CHECK(second.session->files().left().empty());
    setGain(second, -11);
    const std::string before = *readWholeFile(file, 1 << 20, why);
    CHECK_FALSE(second.save(file));
    CHECK(*readWholeFile(file, 1 << 20, why) == before);
    // Under another name it is a song of its own.
    REQUIRE(second.save(dir / "copy.ivrin"));
    CHECK_FALSE(second.session->readOnly());
    CHECK(fs::exists(dir / ".copy.ivrin.lock"));
    Problems p;
    CHECK(readSongFile(dir / "copy.ivrin", allKinds().registry(), p)->rowMix("drums").gainDb == -11);
    // And nobody saves over what another window has open.
    CHECK_FALSE(first.save(dir / "copy.ivrin"));
  }
  CHECK_FALSE(fs::exists(dir / ".copy.ivrin.lock"));
  REQUIRE(first.save(file));
  CHECK(gain(first) == -7);
  // By another name it is the same file, and ours; another window does not get it that way either.
  fs::create_symlink(file, dir / "link.ivrin");
  {
    Rig third(journal.path());
    third.open(dir / "link.ivrin");
    CHECK_FALSE(third.session->isOpen());
  }
  setGain(first, -8);
  REQUIRE(first.save(dir / "link.ivrin"));
  CHECK(fs::is_symlink(dir / "link.ivrin"));
  CHECK(fs::exists(dir / ".song.ivrin.lock"));
  // Opened again in the same window it is not opened twice.
  first.open(file);
  CHECK(first.session->isOpen());
  CHECK_FALSE(first.session->readOnly());
}

TEST_CASE("a lock that a process left which is gone stands in nobody's way; one of another machine is told", "[left]") {
  const TempFolder dir, journal;
  const auto file = writeSmallSong(dir);
  std::array<char, 256> host{};
  REQUIRE(::gethostname(host.data(), host.size() - 1) == 0);
  std::ofstream(dir / ".song.ivrin.lock") << host.data() << " 999999999";
  {
    Rig rig(journal.path());
    rig.open(file);
    CHECK(rig.session->isOpen());
    CHECK_FALSE(rig.session->readOnly());
  }
  CHECK_FALSE(fs::exists(dir / ".song.ivrin.lock"));
  std::ofstream(dir / ".song.ivrin.lock") << "studio-two 17";
  Rig rig(journal.path());
  rig.open(file);
  CHECK_FALSE(rig.session->isOpen());
  CHECK(rig.window->measure().said().contains("is already open in a window on studio-two, process 17"));
  takeOffer(rig);
  CHECK(rig.session->readOnly());
}

TEST_CASE("a file that another program changed meanwhile is kept when it is saved over", "[left]") {
  const TempFolder dir;
  const auto file = writeSmallSong(dir);
  Rig rig;
  rig.open(file);
  std::string why;
  const std::string other = *readWholeFile(file, 1 << 20, why) + "  \n";
  std::ofstream(file) << other;
  setGain(rig, -4);
  REQUIRE(rig.save(file));
  CHECK(rig.window->measure().said().contains("Another program had changed the file"));
  CHECK(*readWholeFile(dir / "song.ivrin~1", 1 << 20, why) == other);
}

TEST_CASE("edits that cannot be kept are told once, the head says so until they can be", "[left]") {
  const TempFolder dir, journal;
  const auto file = writeSmallSong(dir);
  std::ofstream(journal / "no-folder") << "x";
  Rig rig(journal / "no-folder" / "journal"); // below a file: it cannot be made
  rig.open(file);
  QSignalSpy told(rig.session.get(), &Session::notice);
  for (int i = 1; i <= 5; ++i) {
    setGain(rig, -i);
    rig.session->waitUntilIdle();
  }
  REQUIRE(rig.save(file));
  rig.session->waitUntilIdle();
  int said = 0;
  for (const auto& n : told) said += n[0].toString().contains("Autosave failed: ");
  CHECK(said == 1);
  setGain(rig, -7);
  rig.session->waitUntilIdle();
  CHECK(rig.window->head().changedWords() == "not recoverable");
  std::filesystem::remove(journal / "no-folder"); // now it can be made
  setGain(rig, -8);
  rig.session->waitForJournal();
  rig.settle();
  CHECK(rig.window->head().changedWords() == "edited");
}

namespace {

/// Its stems moved elsewhere, under other names; one of them below a folder.
struct Moved {
  TempFolder dir, away;
  fs::path file = writeSmallSong(dir);
  Moved() {
    {
      Rig rig; // saved once, it knows what its stems are made of
      rig.open(file);
      setGain(rig, -1);
      REQUIRE(rig.save(file));
    }
    fs::create_directories(away / "deep" / "deeper");
    fs::rename(dir / "voice.wav", away / "deep" / "deeper" / "lead.wav");
    fs::rename(dir / "keys.wav", away / "keys.wav");
    std::ofstream(away / "drums.wav") << "RIFF of nothing";
    std::ofstream(away / "notes.txt") << "notes";
  }
};

} // namespace

TEST_CASE("stems that are not there are found by what they hold, all at once, and their rows keep their ornaments",
          "[left]") {
  Moved m;
  Rig rig;
  rig.open(m.file);
  CHECK(rig.session->stems().missing() == std::vector<std::string>{"voice", "keys"});
  CHECK(rig.window->measure().said().contains("does not exist"));
  Ornament o;
  o.kind = "delay-throw";
  o.on = "voice";
  o.start = Beats::ofQuarters(12);
  o.length = Beats::ofQuarters(1);
  rig.session->edit("throw", withOrnaments(rig.session->song(), {o}).song);
  rig.session->settle();
  rig.session->stems().findIn(m.away.path());
  rig.session->waitUntilIdle();
  CHECK(rig.session->stems().missing().empty());
  CHECK(rig.session->stems().problem("voice").isEmpty());
  CHECK(rig.session->song().stem("voice")->file == (m.away / "deep" / "deeper" / "lead.wav").string());
  CHECK(rig.session->song().stem("keys")->file == (m.away / "keys.wav").string());
  REQUIRE(rig.session->song().ornaments.size() == 1);
  const auto node = rig.session->plan()->nodes()[0];
  REQUIRE(node->print);
  CHECK(node->print->peak() > 0.001f); // its echoes are those of the voice again
  CHECK(rig.session->audio().of("voice")->frames() > 0);
  // One undo step, and the sound follows.
  rig.session->undo();
  rig.session->waitUntilIdle();
  CHECK(rig.session->stems().missing().size() == 2);
  rig.session->redo();
  rig.session->waitUntilIdle();
  CHECK(rig.session->stems().missing().empty());
}

TEST_CASE("a row is pointed at a file by hand, from its margin", "[left]") {
  Moved m;
  Rig rig;
  rig.open(m.file);
  auto* find = rig.score().findChild<QAbstractButton*>(QStringLiteral("find-voice"));
  REQUIRE(find);
  CHECK(find->isVisible());
  CHECK_FALSE(rig.score().findChild<QAbstractButton*>(QStringLiteral("find-drums"))->isVisible());
  QSignalSpy wanted(&rig.score(), &ScoreView::fileWanted);
  QObject::disconnect(&rig.score(), &ScoreView::fileWanted, &rig.window->stems(), nullptr); // it would ask the desktop
  find->click();
  CHECK(wanted.count() == 1);
  // A file that is no sound is told; the song stays as it is.
  const Song before = rig.session->song();
  rig.session->stems().pointAt("voice", m.away / "drums.wav");
  rig.session->waitUntilIdle();
  CHECK(rig.session->song() == before);
  CHECK(rig.window->measure().said().contains("drums.wav"));
  // Another take: the row takes it and says so.
  rig.session->stems().pointAt("voice", m.away / "keys.wav");
  rig.session->waitUntilIdle();
  CHECK(rig.session->song().stem("voice")->file == (m.away / "keys.wav").string());
  CHECK(rig.window->measure().said().contains("now plays keys.wav"));
  CHECK_FALSE(find->isVisible());
  CHECK(rig.session->audio().of("voice"));
}

TEST_CASE("a copy in the cache that is damaged while a song is open: silence, a word, and the sound again", "[left]") {
  const TempFolder dir, cache;
  const auto file = writeSmallSong(dir);
  Session::Options options;
  options.cacheFolder = cache.path();
  options.playback.stepped = true;
  options.playback.outputs = std::make_shared<TestDevices>();
  Session session(std::move(options));
  session.files().open(file);
  session.waitUntilIdle();
  const auto voice = [&] { return session.audio().of("voice"); };
  const auto rms = [&] {
    double sum = 0;
    for (std::int64_t i = 0; i < voice()->frames(); ++i)
      sum += static_cast<double>(voice()->left()[i]) * voice()->left()[i];
    return sum;
  };
  const double whole = rms();
  CHECK(whole > 1);
  const fs::path stored = [&] {
    for (const auto& e : fs::directory_iterator(cache / "stems"))
      if (e.path().filename().string().starts_with(voice()->digest())) return e.path();
    return fs::path();
  }();
  QSignalSpy told(&session, &Session::notice);
  fs::resize_file(stored, 4096); // while it is mapped
  CHECK(rms() == 0);
  CHECK(voice()->damaged());
  session.tick();
  session.waitUntilIdle();
  REQUIRE(voice());
  CHECK_FALSE(voice()->damaged());
  CHECK(rms() == whole);
  CHECK(told.count() >= 1);
  CHECK(told[0][0].toString().contains("cached copy"));
}

TEST_CASE("flipped samples in the cache are found once in a session, and do not sound", "[left]") {
  const TempFolder dir, cache;
  const auto file = writeSmallSong(dir);
  const auto open = [&] {
    Session::Options options;
    options.cacheFolder = cache.path();
    options.playback.stepped = true;
    options.playback.outputs = std::make_shared<TestDevices>();
    auto s = std::make_unique<Session>(std::move(options));
    return s;
  };
  {
    auto s = open();
    s->files().open(file);
    s->waitUntilIdle();
  }
  for (const auto& e : fs::directory_iterator(cache / "stems")) {
    std::fstream f(e.path(), std::ios::in | std::ios::out | std::ios::binary);
    f.seekp(4096 + 5000);
    f.put(0x55);
  }
  auto s = open();
  QSignalSpy told(s.get(), &Session::notice);
  s->files().open(file);
  s->waitUntilIdle();
  REQUIRE(told.count() >= 1);
  CHECK(told[0][0].toString().contains("cached copy"));
  for (const char* row : {"voice", "keys", "drums"}) {
    REQUIRE(s->audio().of(row));
    CHECK(s->audio().of(row)->verify());
  }
}

TEST_CASE("an edit that could not be read again is refused with a word", "[left]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  const Song before = rig.session->song();
  Ornament o;
  o.kind = "gap";
  o.on = "voice";
  o.start = Beats::ofQuarters(40000);
  o.length = Beats::ofQuarters(1);
  rig.session->edit("gap", withOrnaments(before, {o}).song);
  CHECK(rig.session->song() == before);
  CHECK_FALSE(rig.session->history().canUndo());
  CHECK(rig.window->measure().said().contains("is more than 4 hours from the start of the song"));
  Song named = before;
  named.title = std::string(1001, 'n');
  rig.session->edit("title", named);
  CHECK(rig.session->song() == before);
  // As long as a name may be it is drawn, and no slower for it.
  named.title = std::string(1000, 'n');
  named.stems[0].name = named.sections[1].name = std::string(1000, 'm');
  rig.session->edit("title", named);
  CHECK(rig.session->song() == named);
  rig.settleView();
  CHECK_FALSE(rig.window->grab().isNull());
}

TEST_CASE("a second export follows the first", "[left]") {
  const TempFolder dir, out;
  Rig rig;
  rig.open(writeSmallSong(dir));
  QSignalSpy exported(&rig.session->exports(), &Exports::exported);
  rig.session->exports().exportTo(out / "one", {});
  rig.session->exports().exportTo(out / "two", {});
  CHECK(rig.window->measure().said().contains("Export queued"));
  rig.session->waitUntilIdle();
  REQUIRE(exported.count() == 2);
  CHECK(exported[0][1].toBool());
  CHECK(exported[1][1].toBool());
  std::string why;
  CHECK(*readWholeFile(out / "one" / "mix.wav", 1 << 24, why) == *readWholeFile(out / "two" / "mix.wav", 1 << 24, why));
}

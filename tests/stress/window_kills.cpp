// The real window, killed at any moment while stems are brought in, while an export runs, while a recipe is heard:
// ivrin-window-kills [PERCENT] tries so much of 300 each. Each window is a process of its own.
#include "app/actions/look_actions.h"
#include "app/actions/output_actions.h"
#include "app/actions/snap_actions.h"
#include "app/frame/main_window.h"
#include "app/session/recipe_trial.h"
#include "app/theme/type.h"
#include "audio/audio_reader.h"
#include "audio/chance.h"
#include "services/opening.h"
#include "test_support/signals.h"

#include <QApplication>
#include <QTimer>

#include <csignal>
#include <cstdio>
#include <fstream>
#include <poll.h>
#include <sys/wait.h>
#include <unistd.h>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::test;
namespace fs = std::filesystem;

namespace {

constexpr std::int64_t kFrames = 16 * 24000; // of the song's stems, at 48 kHz
constexpr const char* kWhats[] = {"stems", "export", "recipe"};

void makeSong(const fs::path& folder) {
  writeWav(folder / "voice.wav", 48000, 1, kFrames, noise(1, 0.2));
  writeWav(folder / "drums.wav", 48000, 2, kFrames, noise(2, 0.2));
  writeWav(folder / "more.wav", 44100, 2, 10 * 44100, noise(3, 0.2));
  Song s;
  s.title = "Killed";
  s.sections = {{"a", Beats(0), "One"}, {"b", Beats::ofQuarters(16), "Two"}};
  for (const char* id : {"voice", "drums"}) {
    Stem stem;
    stem.id = stem.name = id;
    stem.file = std::string(id) + ".wav";
    s.stems.push_back(stem);
  }
  std::ofstream(folder / "song.ivrin") << writeSong(s, allKinds().registry());
}

void tell(char what) {
  if (::write(STDOUT_FILENO, &what, 1) != 1) ::_exit(0); // nobody listens any more
}

/// The window at this work for ever, telling each of its turns.
int window(const std::string& what, const fs::path& folder) {
  int one = 1;
  char name[] = "ivrin";
  char* args[] = {name, nullptr};
  QApplication app(one, args);
  QApplication::setApplicationName(QStringLiteral("ivrin"));
  loadFonts();
  Session::Options o;
  o.cacheFolder = folder / "cache";
  o.journalFolder = folder / "journal";
  Session session(std::move(o));
  MainWindow window(session, fs::path());
  window.files().setAsks(false);
  window.show();
  session.files().open(folder / "song.ivrin");
  session.waitUntilIdle();
  // One edit that is wanted, in the journal.
  Song edited = session.song();
  edited.mix.gainDb = -3;
  session.edit(QStringLiteral("gain"), edited);
  session.settle();
  session.waitForJournal();
  tell('e');
  int turn = 0;
  std::function<void()> again;
  if (what == "stems") {
    again = [&] {
      while (session.song().stems.size() > 2) session.undo();
      session.waitForJournal();
      tell('b');
      std::error_code ec;
      fs::remove_all(folder / "cache" / "stems", ec);
      session.stems().add({folder / "more.wav"});
    };
    QObject::connect(&session.stems(), &SongStems::added, &session, [&](int) {
      tell('s');
      QTimer::singleShot(0, &session, again);
    });
  } else if (what == "export") {
    again = [&] {
      ExportOptions e;
      e.stems = true;
      e.format = ++turn % 2 == 0 ? AudioFormat::flac24 : AudioFormat::wav24;
      tell('b');
      session.exports().exportTo(folder / "prints", e);
    };
    QObject::connect(&session.exports(), &Exports::exported, &session, [&](const QString&, bool ok) {
      tell(ok ? 's' : 'x');
      QTimer::singleShot(0, &session, again);
    });
  } else {
    RecipeTrial& trial = *window.findChild<RecipeTrial*>();
    again = [&] {
      tell('b');
      if (!trial.running()) trial.begin("b");
      trial.hear(static_cast<std::size_t>(++turn) % trial.all().size());
    };
    QObject::connect(&trial, &RecipeTrial::whole, &session, [&] {
      session.waitForJournal(); // whatever is kept of it is on the disk
      tell('s');
      if (turn % 5 == 0) trial.letGo();
      QTimer::singleShot(0, &session, again);
    });
  }
  QTimer::singleShot(0, &session, again);
  return QApplication::exec();
}

std::size_t leftovers(const fs::path& folder) {
  std::size_t n = 0;
  std::error_code ec;
  for (const auto& e : fs::recursive_directory_iterator(folder, ec))
    n += e.path().filename().string().find(".new-") != std::string::npos;
  return n;
}

/// Begins one, kills it after some of its words and a moment; the words.
std::string killed(const char* program, const std::string& what, const fs::path& folder, Chance& chance) {
  int told[2];
  if (::pipe(told) != 0) std::abort();
  const pid_t pid = ::fork();
  if (pid == 0) {
    ::dup2(told[1], STDOUT_FILENO);
    ::close(told[0]);
    if (!std::freopen("/dev/null", "w", stderr)) ::_exit(126);
    ::alarm(120);
    ::execl(program, program, "--window", what.c_str(), folder.c_str(), static_cast<char*>(nullptr));
    ::_exit(127);
  }
  ::close(told[1]);
  std::string words;
  char c = 0;
  for (int n = 2 + chance.below(8); n > 0 && ::read(told[0], &c, 1) == 1; --n) words += c;
  const timespec moment{0, 1000L * chance.below(60000)};
  ::nanosleep(&moment, nullptr);
  ::kill(pid, SIGKILL);
  int status = 0;
  ::waitpid(pid, &status, 0);
  pollfd p{told[0], POLLIN, 0};
  while (::poll(&p, 1, 0) == 1 && ::read(told[0], &c, 1) == 1) words += c;
  ::close(told[0]);
  if (!WIFSIGNALED(status) || WTERMSIG(status) != SIGKILL) words += '!'; // it ended by itself
  return words;
}

/// What is wrong with what it left; mostly nothing.
std::string wrongIn(const fs::path& folder, const std::string& what, const std::string& words) {
  if (words.empty() || words.back() == '!') return "the window ended by itself after \"" + words + "\"";
  if (words.find('x') != std::string::npos) return "an export said that it failed";
  const StemStore store(folder / "cache");
  OpenedDocument d = openDocument(folder / "song.ivrin", {folder / "journal"}, store, {}, {});
  if (d.heldBy) return "the lock of a process that is gone holds";
  if (!d.opened) return "the song cannot be opened";
  if (!d.journals.list.empty()) return d.journals.list.front().message;
  if (!d.broughtBack) return "the edit is lost";
  if (d.broughtBack->mix.gainDb != -3) return "another edit than the one that was made";
  if (!d.broughtBack->ornaments.empty()) return "what was only heard is placed";
  if (d.broughtBack->stems.size() > 3 || d.broughtBack->stems.size() < 2) return "another number of rows";
  if (what != "stems" && d.broughtBack->stems.size() != 2) return "a row that nobody added";
  for (const Stem& s : d.broughtBack->stems) {
    const auto audio = d.opened->audio.of(s.id);
    if (!audio || !audio->verify()) return "a stem that does not open: " + s.id;
  }
  if (leftovers(folder / "cache") > 0) return "something half written in the cache";
  std::error_code ec;
  for (const auto& e : fs::recursive_directory_iterator(folder / "prints", ec)) {
    const std::string name = e.path().filename().string();
    if (!e.is_regular_file() || name.find(".new-") != std::string::npos) continue; // gone with the next export
    Problems problems;
    const auto reader = AudioReader::open(e.path(), 48000, "", problems);
    if (!reader || reader->frames() != kFrames) return "an export that is not whole: " + name;
  }
  return {};
}

} // namespace

int main(int argc, char** argv) {
  qputenv("QT_QPA_PLATFORM", "offscreen");
  if (argc == 4 && std::string(argv[1]) == "--window") return window(argv[2], argv[3]);
  const double share = argc > 1 ? std::atof(argv[1]) / 100 : 1;
  const int count = std::max(1, static_cast<int>(300 * share));
  int failures = 0, tried = 0;
  std::printf("| the window, killed | tried | failed | turns before |\n|---|---|---|---|\n");
  for (const std::string what : kWhats) {
    int failed = 0, turns = 0;
    for (int i = 0; i < count; ++i) {
      Chance chance(static_cast<std::uint64_t>(i) * 7919 + what.size());
      const TempFolder folder;
      makeSong(folder.path());
      const std::string words = killed(argv[0], what, folder.path(), chance);
      turns += static_cast<int>(std::count(words.begin(), words.end(), 's'));
      const std::string wrong = wrongIn(folder.path(), what, words);
      ++tried;
      if (wrong.empty()) continue;
      ++failed;
      std::printf("  try %d (%s): %s\n", i, words.c_str(), wrong.c_str());
    }
    failures += failed;
    std::printf("| %s | %d | %d | %d |\n",
                what == "stems"    ? "while stems are brought in"
                : what == "export" ? "while an export runs"
                                   : "while a recipe is heard",
                count, failed, turns);
    std::fflush(stdout);
  }
  std::printf("%d tries, %d failed\n", tried, failures);
  return failures == 0 ? 0 : 1;
}

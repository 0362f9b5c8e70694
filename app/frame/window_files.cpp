// What the window does with files: opening, saving, edits that were left, stems that are missing, exporting.
#include "app/dialogs/export_dialog.h"
#include "app/dialogs/left_dialog.h"
#include "app/dialogs/paper_dialog.h"
#include "app/frame/main_window.h"
#include "app/frame/recent_songs.h"
#include "app/session/as_text.h"
#include "app/session/recipe_trial.h"
#include "song/limits.h"
#include "song/midi_map.h"

#include <QDirIterator>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QSettings>
#include <QTimer>

#include <algorithm>

namespace ivrin::app {
namespace fs = std::filesystem;
namespace {

/// A folder that songs may read from, in this and every later run.
void rememberReach(const QString& folder) {
  QSettings s;
  QStringList known = s.value(QStringLiteral("reach")).toStringList();
  if (known.contains(folder)) return;
  known << folder;
  s.setValue(QStringLiteral("reach"), known);
}

/// As a file dialog wants it.
QString soundFiles() {
  QStringList endings;
  for (const char* e : kSoundEndings) endings << "*" + QString::fromLatin1(e);
  return endings.join(' ');
}

} // namespace

fs::path pathOf(const QString& s) {
  return fs::path(s.toStdString());
}

/// The one way to another song, or to another state of this one's file.
void MainWindow::replaceSong(const std::function<void()>& open) {
  if (!mayLeave()) return;
  storeView();
  open();
}

void MainWindow::openSong(const fs::path& file) {
  replaceSong([&] { session_.files().open(file); });
}

/// Offers to do the last step in another way: taking the offer undoes that step first. Where the song was edited
/// since, nothing is done, and the line says so.
void MainWindow::offerInstead(const QString& text, const QString& what, std::function<void()> does) {
  measure_->say(text, false, what, [this, done = session_.song(), does = std::move(does)] {
    if (!(session_.song() == done)) {
      measure_->say(tr("The song was edited since. Undo these edits first (Ctrl+Z), and then the step itself."), true);
      return;
    }
    session_.undo();
    does();
  });
}

void MainWindow::openDialog() {
  const QString f = QFileDialog::getOpenFileName(this, tr("Open a song"), {}, tr("Ivrin songs (*.ivrin)"));
  if (!f.isEmpty()) openSong(pathOf(f));
}

QString MainWindow::audioFilter() {
  return tr("Audio (%1)").arg(soundFiles());
}

namespace {

constexpr int kMostOfAFolder = 512;

/// A folder's sound and MIDI files, and those below it, by name; a file itself.
QStringList withFolders(const QString& path) {
  if (!QFileInfo(path).isDir()) return {path};
  QStringList files;
  QStringList endings = soundFiles().split(' ');
  for (const char* e : kMidiEndings) endings << "*" + QString::fromLatin1(e);
  QDirIterator all(path, endings, QDir::Files, QDirIterator::Subdirectories);
  while (all.hasNext() && files.size() < kMostOfAFolder) files << all.next();
  files.sort();
  return files;
}

} // namespace

void MainWindow::newDialog() {
  const QStringList files = QFileDialog::getOpenFileNames(this, tr("Stems of the song"), {}, audioFilter());
  if (!files.isEmpty()) newFromFiles(files);
}

void MainWindow::showRecent() {
  recent_->clear();
  const QStringList files = keepsState_ ? recentSongs() : QStringList();
  for (const QString& f : files) {
    QAction* a = recent_->addAction(QFileInfo(f).completeBaseName(), this, [this, f] { openSong(pathOf(f)); });
    a->setToolTip(f);
  }
  if (!files.isEmpty()) {
    recent_->addSeparator();
    recent_->addAction(tr("Forget these"), this, [this] {
      forgetSongs();
      showRecent();
    });
  }
  recent_->setToolTipsVisible(true);
  recent_->setEnabled(!files.isEmpty());
}

bool MainWindow::saveNow() {
  trial_->letGo(); // what is heard and not placed is not saved
  return session_.file().empty() || session_.readOnly() ? saveDialog() : session_.files().save(session_.file());
}

/// Asks what is to become of unsaved changes; false: stay.
bool MainWindow::mayLeave() {
  trial_->letGo();
  if (!asks_ || !session_.isOpen() || !session_.history().changedSinceSave()) return true;
  const auto answer = ask(this, tr("Unsaved changes"),
                          tr("Save the changes to “%1”?").arg(QString::fromStdString(session_.song().title)),
                          QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Save);
  if (answer == QMessageBox::Cancel || (answer == QMessageBox::Save && !saveNow())) return false;
  if (answer == QMessageBox::Discard) session_.files().forgetEdits();
  return true;
}

bool MainWindow::saveDialog() {
  trial_->letGo();
  QString f = QFileDialog::getSaveFileName(this, tr("Save the song"), QString::fromStdString(session_.file().string()),
                                           tr("Ivrin songs (*.ivrin)"));
  if (f.isEmpty()) return false;
  if (!f.endsWith(QLatin1String(".ivrin"))) f += QStringLiteral(".ivrin");
  if (!session_.files().save(pathOf(f))) return false;
  if (keepsState_) {
    rememberSong(f);
    showRecent();
  }
  return true;
}

void MainWindow::exportDialog() {
  trial_->letGo();
  std::error_code gone; // a folder that is no more
  const fs::path beside = session_.file().empty() ? fs::current_path(gone) : session_.file().parent_path() / "prints";
  ExportDialog d(QString::fromStdString(beside.string()), this);
  d.setObjectName(QStringLiteral("exportDialog"));
  if (d.exec() == QDialog::Accepted && !d.folder().isEmpty())
    session_.exports().exportTo(pathOf(d.folder()), d.options());
}

void MainWindow::askLead() {
  if (!session_.isOpen()) return;
  Song next = session_.song();
  const auto bars = askNumber(this, tr("Bars before the stems"), tr("Bars (0 to %1)").arg(kMostLeadBars), next.leadBars,
                              0, kMostLeadBars, 0);
  if (!bars) return;
  next.leadBars = static_cast<int>(*bars);
  session_.edit(tr("bars before the stems"), std::move(next));
  session_.settle();
}

void MainWindow::newFromFiles(const QStringList& files) {
  std::vector<fs::path> paths;
  for (const QString& f : files) paths.push_back(pathOf(f));
  replaceSong([&] { session_.files().begin(paths, std::nullopt); });
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
  QStringList files;
  for (const QUrl& u : e->mimeData()->urls())
    if (u.isLocalFile()) files << withFolders(u.toLocalFile());
  e->acceptProposedAction();
  if (files.isEmpty()) measure_->say(tr("There is no sound file in what was dropped."), true);
  if (files.size() == 1 && files.front().endsWith(QLatin1String(".ivrin")))
    QTimer::singleShot(0, this,
                       [this, f = files.front()] { openSong(pathOf(f)); }); // the drop must end before a question
  else if (!files.isEmpty())
    QTimer::singleShot(0, this, [this, files] { takeDropped(files); });
}

/// Rows of the song that is open; a new song where there is none, or where that was meant.
void MainWindow::takeDropped(const QStringList& files) {
  if (!session_.isOpen()) {
    newFromFiles(files);
    return;
  }
  std::vector<fs::path> paths;
  std::optional<fs::path> midi;
  for (const QString& f : files)
    if (const fs::path file = pathOf(f); isMidiName(file))
      midi = file;
    else
      paths.push_back(file);
  if (midi) takeMidi(*midi);
  if (paths.empty()) return;
  newWanted_ = files;
  session_.stems().add(paths);
}

// ---------------------------------------------------------------- what was left

void MainWindow::connectFiles() {
  connect(&session_.files(), &SongFiles::recovered, this, [this] {
    measure_->say(tr("Edits that were not saved have been brought back."), false, tr("open as saved instead"),
                  [this, brought = session_.song()] {
                    if (session_.song() == brought || mayLeave()) session_.files().discardRecovered();
                  });
  });
  connect(&session_.files(), &SongFiles::leftOffered, this, &MainWindow::offerLeft);
  connect(&session_.files(), &SongFiles::openElsewhere, this, [this](const QString& file, const QString& who) {
    measure_->say(tr("“%1” is open in %2.").arg(QFileInfo(file).completeBaseName(), who), true, tr("open read only"),
                  [this, file] {
                    replaceSong([&] { session_.files().open(pathOf(file), SongFiles::OpenAs{true, false, {}}); });
                  });
  });
  connect(&session_.files(), &SongFiles::outOfReach, this, [this](const QString& folder) {
    measure_->say(tr("Some audio lies outside the song's folder, in %1.").arg(folder), true, tr("allow that folder"),
                  [this, folder] {
                    rememberReach(folder);
                    session_.files().allowFolder(pathOf(folder));
                  });
  });
  connect(&session_.files(), &SongFiles::folderAllowed, this, [this](const QString& folder) {
    if (keepsState_) rememberReach(folder);
  });
  connect(&session_.files(), &SongFiles::stemsMissing, this, [this](const QString& text) {
    measure_->say(text, true, tr("look for them in a folder…"), [this] { findStems(); });
  });
  connect(score_, &ScoreView::fileWanted, this, &MainWindow::chooseStemFile);
  connect(&session_, &Session::offered, this,
          [this](const QString& text, const QString& what, const std::function<void()>& does) {
            measure_->say(text, false, what, does);
          });
  connect(&session_.stems(), &SongStems::added, this, [this](int count) {
    const QStringList meant = std::exchange(newWanted_, {});
    const QString text = tr("%n row(s) added", nullptr, count);
    if (meant.isEmpty())
      measure_->say(text, false);
    else
      offerInstead(text, tr("a new song of them instead"), [this, meant] { newFromFiles(meant); });
  });
}

void MainWindow::offerLeft() {
  const auto& left = session_.files().left();
  if (left.empty()) return;
  const LeftEdits& first = left.front();
  if (left.size() == 1 && !first.onThisFile && first.file.empty()) {
    measure_->say(tr("“%1” was never saved: %2.").arg(asText(first.title), wordsOf(first)), false, tr("bring it back"),
                  [this, first] { replaceSong([&] { session_.files().bringBack(first); }); });
    return;
  }
  const bool ofOne = std::all_of(left.begin(), left.end(), [&](const LeftEdits& l) { return l.file == first.file; });
  const QString title = asText(first.title), words = wordsOf(first);
  QString text = tr("“%1” has edits that were not saved: %2.").arg(title, words);
  if (left.size() > 1 && ofOne && !first.file.empty())
    text = tr("“%1” was left in %2 states that were not saved; the last: %3.").arg(title).arg(left.size()).arg(words);
  else if (left.size() > 1)
    text = tr("%1 songs were left unsaved; the last: “%2”, %3.").arg(left.size()).arg(title, words);
  measure_->say(text, false, tr("compare…"), [this] { leftDialog(); });
}

void MainWindow::leftDialog() {
  if (session_.files().left().empty()) {
    measure_->say(tr("No edits were left unsaved."), false);
    return;
  }
  LeftDialog d(session_, this);
  d.setObjectName(QStringLiteral("leftDialog"));
  if (d.exec() != QDialog::Accepted) return;
  if (const auto one = d.chosen()) {
    replaceSong([&] { session_.files().bringBack(*one); });
    return;
  }
  for (const LeftEdits& l : std::vector<LeftEdits>(session_.files().left())) // the file's own state was chosen
    if (l.file == session_.file()) session_.files().letGo(l);
  updateActions();
}

// ---------------------------------------------------------------- stems

void MainWindow::findStems() {
  const QString f = QFileDialog::getExistingDirectory(this, tr("Where the missing stems are"),
                                                      asText(session_.file().parent_path().string()));
  if (!f.isEmpty()) session_.stems().findIn(pathOf(f));
}

void MainWindow::chooseStemFile(const std::string& row) {
  if (!session_.song().stem(row)) {
    measure_->say(tr("%1 is no stem; it has no file.").arg(asText(session_.song().rowName(row))), false);
    return;
  }
  const QString f = QFileDialog::getOpenFileName(this, tr("The file of %1").arg(asText(session_.song().rowName(row))),
                                                 asText(session_.file().parent_path().string()), audioFilter());
  if (!f.isEmpty()) session_.stems().pointAt(row, pathOf(f));
}

} // namespace ivrin::app

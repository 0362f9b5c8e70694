#include "app/actions/file_actions.h"

#include "app/actions/recent_songs.h"
#include "app/actions/sound_files.h"
#include "app/dialogs/export_dialog.h"
#include "app/dialogs/left_dialog.h"
#include "app/theme/paper_dialog.h"
#include "app/words/as_text.h"
#include "song/limits.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>
#include <QPointer>
#include <QSettings>

#include <algorithm>

namespace ivrin::app {
namespace fs = std::filesystem;
namespace {

using K = QKeySequence;

} // namespace

FileActions::FileActions(const Desk& desk, RecipeActions& recipes, fs::path demoSong)
    : ActionGroup(desk)
    , recipes_(recipes)
    , demoSong_(std::move(demoSong))
    , recent_(new QMenu(tr("&Recent songs"), window_)) {
  session_.files().setMayReplace([files = QPointer(this)](std::function<void()> replace) {
    if (files)
      files->leave(std::move(replace));
    else
      replace();
  });
  connectFiles();
  showRecent();
}

void FileActions::addActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  add({"new", menu, tr("&New from stems…"), tr("Creates a new song from audio files."), {K::New}, [this] {
         newDialog();
       }});
  add({"open", menu, tr("&Open…"), tr("Opens a song."), {K::Open}, [this] { openDialog(); }});
  if (!demoSong_.empty()) add({"demo", menu, tr("Open the &demo song"), {}, {}, [this] { openSong(demoSong_); }});
  add({"save", menu, tr("&Save"), tr("Saves the song."), {K::Save}, [this] { save(); }, false, true});
  add({"saveAs", menu, tr("Save &as…"), {}, {K(Qt::CTRL | Qt::SHIFT | Qt::Key_S)}, [this] { saveAs(); }});
  add({"left",
       menu,
       tr("Reco&ver unsaved edits…"),
       tr("Lists edits that were not saved because Ivrin ended unexpectedly."),
       {},
       [this] { leftDialog(); }});
}

void FileActions::addExport(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  add({"lead",
       menu,
       tr("Bars &before the stems…"),
       tr("Adds bars before the stems start, for lead-ins that sound there."),
       {},
       [this] { askLead(); }});
  add({"export",
       menu,
       tr("&Export…"),
       tr("Writes the mix, rows and ornaments as audio files."),
       {K(Qt::CTRL | Qt::Key_E)},
       [this] { exportDialog(); },
       false,
       true});
  add({"quit", menu, tr("&Quit"), {}, {K::Quit}, [this] { window_->close(); }, false, true});
}

/// The one way to another song, or to another state of this one's file.
void FileActions::replaceSong(const std::function<void()>& open) {
  leave([this, open] {
    if (leaving) leaving();
    open();
  });
}

void FileActions::openSong(const fs::path& file) {
  replaceSong([this, file] { session_.files().open(file); });
}

void FileActions::openDialog() {
  const QString f = QFileDialog::getOpenFileName(window_, tr("Open song"), {}, tr("Ivrin songs (*.ivrin)"));
  if (!f.isEmpty()) openSong(pathOf(f));
}

void FileActions::newDialog() {
  const QStringList files =
      QFileDialog::getOpenFileNames(window_, tr("Choose the stems of the song"), {}, audioFilter());
  if (!files.isEmpty()) newFromFiles(pathsOf(files));
}

void FileActions::newFromFiles(const std::vector<fs::path>& files) {
  replaceSong([this, files] { session_.files().begin(files, std::nullopt); });
}

void FileActions::keepState() {
  keepsState_ = true;
  showRecent();
}

void FileActions::remember() {
  if (!keepsState_) return;
  if (!session_.file().empty()) rememberSong(QString::fromStdString(session_.file().string()));
  showRecent();
}

void FileActions::showRecent() {
  recent_->clear();
  const QStringList files = keepsState_ ? recentSongs() : QStringList();
  for (const QString& f : files) {
    QAction* a = recent_->addAction(QFileInfo(f).completeBaseName(), this, [this, f] { openSong(pathOf(f)); });
    a->setToolTip(f);
  }
  if (!files.isEmpty()) {
    recent_->addSeparator();
    recent_->addAction(tr("Clear recent songs"), this, [this] {
      forgetSongs();
      showRecent();
    });
  }
  recent_->setToolTipsVisible(true);
  recent_->setEnabled(!files.isEmpty());
}

void FileActions::save(std::function<void()> then) {
  recipes_.letGo(); // what is heard and not placed is not saved
  if (session_.file().empty() || session_.readOnly())
    saveAs(std::move(then));
  else
    write(session_.file(), std::move(then));
}

QString FileActions::suggestedFile() const {
  if (!session_.file().empty()) return asText(session_.file().string());
  QString name = asText(session_.song().title).trimmed();
  name.replace(QLatin1Char('/'), QLatin1Char('-'));
  while (name.startsWith(QLatin1Char('.'))) name.remove(0, 1); // it would be hidden
  if (name.isEmpty()) name = tr("Untitled");
  QDir folder = QDir::home();
  for (const Stem& stem : session_.song().stems)
    if (stem.file && std::filesystem::path(*stem.file).is_absolute()) {
      folder = QDir(asText(std::filesystem::path(*stem.file).parent_path().string()));
      break;
    }
  return folder.filePath(name + QStringLiteral(".ivrin"));
}

void FileActions::saveAs(std::function<void()> then) {
  recipes_.letGo();
  QString f = QFileDialog::getSaveFileName(window_, tr("Save song"), suggestedFile(), tr("Ivrin songs (*.ivrin)"));
  if (f.isEmpty()) return;
  if (!f.endsWith(QLatin1String(".ivrin"))) f += QStringLiteral(".ivrin");
  write(pathOf(f), std::move(then));
}

void FileActions::write(const fs::path& file, std::function<void()> then) {
  session_.files().save(file, [self = QPointer(this), then = std::move(then)](bool ok) {
    if (!ok || !self) return;
    self->remember();
    if (then) then();
  });
}

void FileActions::leave(std::function<void()> then) {
  recipes_.letGo();
  if (session_.files().saving()) { // what came after that is asked about then
    session_.files().whenSaved([self = QPointer(this), then = std::move(then)] {
      if (self) self->leave(then);
    });
    return;
  }
  if (!asks_ || !session_.isOpen() || !session_.history().changedSinceSave()) return then();
  const auto answer = ask(window_, tr("Unsaved changes"),
                          tr("Save the changes to “%1”?").arg(QString::fromStdString(session_.song().title)),
                          QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Save);
  // What is edited while it is saved is asked about then.
  if (answer == QMessageBox::Save) return save([this, then = std::move(then)] { leave(then); });
  if (answer != QMessageBox::Discard) return;
  session_.files().forgetEdits();
  then();
}

void FileActions::exportDialog() {
  recipes_.letGo();
  std::error_code gone; // a folder that is no more
  const fs::path beside = session_.file().empty() ? fs::current_path(gone) : session_.file().parent_path() / "prints";
  ExportDialog d(QString::fromStdString(beside.string()), session_.song().leadBars, window_);
  d.setObjectName(QStringLiteral("exportDialog"));
  if (d.exec() == QDialog::Accepted && !d.folder().isEmpty())
    session_.exports().exportTo(pathOf(d.folder()), d.options());
}

void FileActions::askLead() {
  if (!session_.isOpen()) return;
  Song next = session_.song();
  const auto bars =
      askNumber(window_, tr("Bars before the stems"), tr("Bars before the stems (0 to %1)").arg(kMostLeadBars),
                next.leadBars, 0, kMostLeadBars, 0);
  if (!bars) return;
  next.leadBars = static_cast<int>(*bars);
  session_.edit(tr("bars before the stems"), std::move(next));
  session_.settle();
}

void FileActions::connectFiles() {
  connect(&session_.files(), &SongFiles::recovered, this, [this] {
    measure_->say(tr("Unsaved edits were recovered."), false, tr("Open as saved"), [this, brought = session_.song()] {
      const auto discard = [this] { session_.files().discardRecovered(); };
      if (session_.song() == brought)
        discard();
      else
        leave(discard);
    });
  });
  connect(&session_.files(), &SongFiles::leftOffered, this, &FileActions::offerLeft);
  connect(&session_.files(), &SongFiles::openElsewhere, this, [this](const QString& file, const QString& who) {
    measure_->say(
        tr("“%1” is already open in %2.").arg(QFileInfo(file).completeBaseName(), who), true, tr("Open read only"),
        [this, file] {
          replaceSong([this, file] { session_.files().open(pathOf(file), SongFiles::OpenAs{true, false, {}}); });
        });
  });
  connect(&session_.files(), &SongFiles::outOfReach, this, [this](const QString& folder) {
    measure_->say(tr("Some audio is outside the song folder: %1.").arg(folder), true, tr("Allow folder"),
                  [this, folder] {
                    rememberReach(folder);
                    session_.files().allowFolder(pathOf(folder));
                  });
  });
  connect(&session_.files(), &SongFiles::folderAllowed, this, [this](const QString& folder) {
    if (keepsState_) rememberReach(folder);
  });
  connect(&session_, &Session::offered, this,
          [this](const QString& text, const QString& what, const std::function<void()>& does) {
            measure_->say(text, false, what, does);
          });
}

void FileActions::offerLeft() {
  const auto& left = session_.files().left();
  if (left.empty()) return;
  const LeftEdits& first = left.front();
  if (left.size() == 1 && !first.onThisFile && first.file.empty()) {
    measure_->say(tr("“%1” was never saved (%2).").arg(asText(first.title), wordsOf(first)), false, tr("Recover"),
                  [this, first] { replaceSong([this, first] { session_.files().bringBack(first); }); });
    return;
  }
  const bool ofOne = std::all_of(left.begin(), left.end(), [&](const LeftEdits& l) { return l.file == first.file; });
  const QString title = asText(first.title), words = wordsOf(first);
  QString text = tr("“%1” has unsaved edits (%2).").arg(title, words);
  if (left.size() > 1 && ofOne && !first.file.empty())
    text = tr("“%1” has %2 sets of unsaved edits; the latest is from %3.").arg(title).arg(left.size()).arg(words);
  else if (left.size() > 1)
    text = tr("%1 songs have unsaved edits; the latest is “%2”, %3.").arg(left.size()).arg(title, words);
  measure_->say(text, false, tr("Compare…"), [this] { leftDialog(); });
}

void FileActions::leftDialog() {
  if (session_.files().left().empty()) {
    measure_->say(tr("There are no unsaved edits to recover."), false);
    return;
  }
  LeftDialog d(session_, window_);
  d.setObjectName(QStringLiteral("leftDialog"));
  if (d.exec() != QDialog::Accepted) return;
  if (const auto one = d.chosen()) {
    replaceSong([this, one = *one] { session_.files().bringBack(one); });
    return;
  }
  for (const LeftEdits& l : std::vector<LeftEdits>(session_.files().left())) // the file's own state was chosen
    if (l.file == session_.file()) session_.files().letGo(l);
}

} // namespace ivrin::app

#include "app/actions/stem_actions.h"

#include "app/actions/row_actions.h"
#include "app/actions/sound_files.h"
#include "app/words/as_text.h"
#include "import/midi_map.h"
#include "services/dropped_files.h"

#include <QFileDialog>

namespace ivrin::app {
namespace fs = std::filesystem;

StemActions::StemActions(const Desk& desk, FileActions& files, GridActions& grid)
    : ActionGroup(desk)
    , files_(files)
    , grid_(grid)
    , dropJob_(
          session_.workers(),
          [](const std::vector<fs::path>& dropped, const Run& run) { return droppedFiles(dropped, run.stop); },
          [this](const std::vector<fs::path>& all) { takeDropped(all); }) {
  connect(&session_.files(), &SongFiles::stemsMissing, this,
          [this](const QString& text) { measure_->say(text, true, tr("Find in a folder…"), [this] { findStems(); }); });
  connect(score_, &ScoreView::fileWanted, this, &StemActions::chooseFile);
  connect(&session_.stems(), &SongStems::added, this, &StemActions::added);
}

void StemActions::addFind(const QString& menu) {
  actions_->add({"findStems",
                 menu,
                 tr("Find &missing stems…"),
                 tr("Searches a folder and its subfolders, by file content."),
                 {},
                 [this] { findStems(); },
                 false,
                 true});
}

void StemActions::addStems(const QString& menu) {
  actions_->add({"addStems",
                 menu,
                 tr("&Add stems…"),
                 tr("Adds rows from audio files."),
                 {},
                 [this] { addDialog(); },
                 false,
                 false,
                 RowActions::menuTitle()});
}

void StemActions::addFile(const QString& menu) {
  actions_->add({"stemFile", menu, tr("Replace fi&le…"), {}, {}, [this] { chooseFile(score_->caret().row()); }});
}

void StemActions::added(int count) {
  const std::vector<fs::path> meant = std::exchange(newWanted_, {});
  const QString text = tr("%n row(s) added", nullptr, count);
  if (meant.empty())
    measure_->say(text, false);
  else
    offerInstead(text, tr("New song instead"), [this, meant] { files_.newFromFiles(meant); });
}

void StemActions::addDialog() {
  if (!session_.isOpen()) return;
  const QStringList files = QFileDialog::getOpenFileNames(window_, tr("Add stems"), QString(), audioFilter());
  if (!files.isEmpty()) session_.stems().add(pathsOf(files));
}

void StemActions::drop(const QStringList& dropped) {
  dropJob_.begin(pathsOf(dropped));
}

void StemActions::takeDropped(const std::vector<fs::path>& files) {
  if (files.empty()) {
    measure_->say(tr("Import failed: no audio files were dropped. Drop WAV, FLAC or AIFF files."), true);
    return;
  }
  if (files.size() == 1 && files.front().extension() == ".ivrin") return files_.openSong(files.front());
  if (!session_.isOpen()) return files_.newFromFiles(files);
  std::vector<fs::path> sounds;
  std::optional<fs::path> midi;
  for (const fs::path& f : files)
    if (isMidiName(f))
      midi = f;
    else
      sounds.push_back(f);
  if (midi) grid_.takeMidi(*midi);
  if (sounds.empty()) return;
  newWanted_ = files;
  session_.stems().add(sounds);
}

void StemActions::findStems() {
  const QString f = QFileDialog::getExistingDirectory(window_, tr("Choose the folder with the missing stems"),
                                                      asText(session_.file().parent_path().string()));
  if (!f.isEmpty()) session_.stems().findIn(pathOf(f));
}

void StemActions::chooseFile(const std::string& row) {
  if (!session_.song().stem(row)) {
    measure_->say(
        tr("%1 is a bus, so it has no file. Choose a row with audio.").arg(asText(session_.song().rowName(row))),
        false);
    return;
  }
  const QString f =
      QFileDialog::getOpenFileName(window_, tr("Replace the file of %1").arg(asText(session_.song().rowName(row))),
                                   asText(session_.file().parent_path().string()), audioFilter());
  if (!f.isEmpty()) session_.stems().pointAt(row, pathOf(f));
}

} // namespace ivrin::app

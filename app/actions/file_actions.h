// These actions open, save and export songs, and bring back edits that were left. Every way to another song asks here
// about unsaved changes.
#pragma once

#include "app/actions/action_group.h"
#include "app/actions/recipe_actions.h"

namespace ivrin::app {

class FileActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::FileActions)
 public:
  /// `demoSong` may be empty where none is installed.
  FileActions(const Desk& desk, RecipeActions& recipes, std::filesystem::path demoSong);
  void addActions(const QString& menu);
  /// Those at the foot of the menu.
  void addExport(const QString& menu);
  QMenu* recentMenu() { return recent_; }
  void openSong(const std::filesystem::path& file);
  void openDemo() { openSong(demoSong_); }
  void newFromFiles(const std::vector<std::filesystem::path>& files);
  /// Asks what is to become of unsaved changes; `then` once they are saved or let go, which may be at once, and not at
  /// all where the song is to stay.
  void leave(std::function<void()> then);
  /// Off in tests: closing asks nothing.
  void setAsks(bool on) { asks_ = on; }
  /// Songs that were opened are kept between runs, and listed.
  void keepState();
  /// A song was opened.
  void remember();
  /// Where the song lies; of one that was never saved its title, beside its first stem.
  QString suggestedFile() const;
  std::function<void()> leaving; // before another song takes the place of this one

 private:
  void openDialog();
  void newDialog();
  void saveAs(std::function<void()> then = {});
  void save(std::function<void()> then = {});
  void write(const std::filesystem::path& file, std::function<void()> then);
  void exportDialog();
  void askLead();
  void replaceSong(const std::function<void()>& open);
  void connectFiles();
  void offerLeft();
  void leftDialog();
  void showRecent();
  RecipeActions& recipes_;
  std::filesystem::path demoSong_;
  QMenu* recent_;
  bool asks_ = true, keepsState_ = false;
};

} // namespace ivrin::app

// These actions bring in the files of stems: they make rows of them, look for missing ones, and take what is dropped on
// the window.
#pragma once

#include "app/actions/action_group.h"
#include "app/actions/file_actions.h"
#include "app/actions/grid_actions.h"

namespace ivrin::app {

class StemActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::StemActions)
 public:
  StemActions(const Desk& desk, FileActions& files, GridActions& grid);
  void addFind(const QString& menu);
  void addStems(const QString& menu);
  void addFile(const QString& menu);
  /// Files and folders that were dropped on the window: a song is opened; of sound rows are made, or a new song where
  /// none is open; folders are looked through by a job.
  void drop(const QStringList& dropped);

 private:
  void findStems();
  void chooseFile(const std::string& row);
  void addDialog();
  void added(int count);
  void takeDropped(const std::vector<std::filesystem::path>& files);
  FileActions& files_;
  GridActions& grid_;
  Job<std::vector<std::filesystem::path>, std::vector<std::filesystem::path>> dropJob_;
  std::vector<std::filesystem::path>
      newWanted_; // dropped on an open song, and added to it: a new one may have been meant
};

} // namespace ivrin::app

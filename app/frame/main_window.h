// The MainWindow puts the parts of the window together and gives the groups of actions what they act on. It decides in
// which order the menus show them.
#pragma once

#include "app/actions/key_list.h"
#include "app/actions/stem_actions.h"
#include "app/frame/head_bar.h"

#include <QMainWindow>
#include <QStackedWidget>

namespace ivrin::app {

class CellActions;
class LookActions;
class OrnamentActions;
class OutputActions;
class PlaceActions;
class RoomActions;
class RowActions;
class SectionActions;
class SnapActions;

class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  /// `demoSong` may be empty where none is installed.
  MainWindow(Session& session, std::filesystem::path demoSong);

  Session& session() { return session_; }
  ScoreView& score() { return *score_; }
  HeadBar& head() { return *head_; }
  FormLine& form() { return *form_; }
  MeasureLine& measure() { return *measure_; }
  Listening& listening() { return *listening_; }
  FileActions& files() { return *files_; }
  StemActions& stems() { return *stems_; }
  LookActions& looks() { return *looks_; }
  SnapActions& snap() { return *snap_; }
  QAction* action(const QString& id) const { return actions_->action(id); }
  QString keysAsMarkdown() const { return app::keysAsMarkdown(*actions_); }
  /// Window, views, recent songs and choices are kept between runs; what was kept is taken up.
  void keepState();
  /// The song that was open last; empty when there is none.
  static QString lastSong();
  /// What moves by itself, drawn where it is now; 60 times a second.
  void tick();

 protected:
  void closeEvent(QCloseEvent*) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dropEvent(QDropEvent*) override;

 private:
  void addActions();
  void layOut();
  void connectSession();
  void connectScore();
  void songOpened();
  void seek(Beats at);
  void updateActions();
  void fitScreen();

  Session& session_;
  ActionRegistry* actions_;
  ScoreView* score_;
  Listening* listening_;
  FormLine* form_;
  MeasureLine* measure_;
  OpeningActions* openings_;
  SectionActions* sections_;
  RecipeActions* recipes_;
  RoomActions* room_;
  GridActions* grid_;
  FileActions* files_;
  StemActions* stems_;
  RowActions* rows_;
  OrnamentActions* ornaments_;
  CellActions* cells_;
  PlaceActions* places_;
  LookActions* looks_;
  SnapActions* snap_;
  OutputActions* outputs_;
  HeadBar* head_ = nullptr;
  QWidget* empty_;
  QStackedWidget* pages_;
  QTimer tick_{this};
  bool keepsState_ = false, mayClose_ = false;
};

} // namespace ivrin::app

// The window: the parts put together, the actions wired to them.
#pragma once

#include "app/actions/action_registry.h"
#include "app/formline/form_line.h"
#include "app/frame/head_bar.h"
#include "app/frame/measure_line.h"
#include "app/score/score_view.h"

#include <QMainWindow>
#include <QStackedWidget>

namespace ivrin::app {

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
  QAction* action(const QString& id) const { return actions_->action(id); }
  /// Off in tests: closing asks nothing.
  void setAsksBeforeClosing(bool on) { asks_ = on; }
  void setNight(bool on);
  void newFromFiles(const QStringList& files, double bpm);

 protected:
  void closeEvent(QCloseEvent*) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dropEvent(QDropEvent*) override;

 private:
  void addActions();
  void updateActions();
  void applyPaper();
  void openDialog();
  bool saveDialog();
  bool saveNow();
  void exportDialog();
  void playOrStop();
  void applyListening();
  void paste(Ornament o, const QString& label);
  void duplicateToNextLanding();
  void audition();
  void loopChanged(bool on);
  std::optional<FrameRange> loopRange() const;
  void askTempoFor(const QStringList& files);
  void showKeys();
  QWidget* emptyPage();

  Session& session_;
  std::filesystem::path demoSong_;
  ActionRegistry* actions_;
  HeadBar* head_;
  FormLine* form_;
  ScoreView* score_;
  MeasureLine* measure_;
  QStackedWidget* pages_;
  QWidget* empty_;
  QTimer tick_;
  bool asks_ = true;
  double clickDb_ = -14;
  std::optional<Ornament> copied_;
};

} // namespace ivrin::app

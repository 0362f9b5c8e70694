// Listening decides how the song is listened to: playing, the loop and what it is laid about, auditioning, click, mono,
// levels. What the player must be told again when it is made anew stands in apply().
#pragma once

#include "app/actions/action_registry.h"
#include "app/score/score_view.h"
#include "play/click.h"

namespace ivrin::app {

class Listening : public QObject {
  Q_OBJECT
 public:
  Listening(Session& session, ScoreView& score, ActionRegistry& actions);

  void addActions(const QString& menu);
  /// Everything to a player that was just made.
  void apply();
  void playOrStop();
  /// Loops the open ornament from a bar before it to the end of its tail.
  void audition();
  /// Loops about what was just selected, from a beat before `around` to a beat after it, for as long as that is
  /// selected.
  void hear(const Selection& selected, BeatRange around);
  /// Loops what a loop is laid about now.
  void hearLoop();
  /// While a handle is held what it does is heard, in a loop from a beat before the ornament; let go, it is as before.
  void hold(bool held);
  /// What the loop is laid about: the selection, else the open ornament, else the bars about the landing.
  std::optional<FrameRange> loopRange() const;
  /// The loop follows when what it is laid about has changed.
  void renewLoop();
  double clickDb() const { return click_.levelDb; }
  void setClickDb(double db);
  const Click& click() const { return click_; }
  void setClick(const Click& click);
  /// Bars of click alone before playing starts; 0: none.
  int countIn() const { return countIn_; }
  void setCountIn(int bars);
  double monitorDb() const { return monitorDb_; }
  void setMonitorDb(double db);

 signals:
  void changed();

 private:
  QAction* action(const char* id) const { return actions_.action(QString::fromLatin1(id)); }
  Session& session_;
  ScoreView& score_;
  ActionRegistry& actions_;
  void rowOpenedOrClosed();
  void clickDialog();
  Click click_{};
  int countIn_ = 0;
  Frames countedFrom_{}; // where playing was to start
  double monitorDb_ = 0;
  std::optional<std::pair<Selection, BeatRange>> around_;
  struct Before {
    bool playing, loop;
  };
  std::optional<Before> before_; // a row was opened
  bool heldStarted_ = false, heldLoop_ = false;
};

} // namespace ivrin::app

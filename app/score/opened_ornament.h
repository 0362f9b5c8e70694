// The OpenedOrnament is the ornament that is opened in its row: it has the drawing's handles, walked and moved by keys,
// the curve over the drawing, and the tries.
#pragma once

#include "app/openrow/curve_target.h"
#include "app/openrow/open_hand.h"
#include "app/session/tries.h"

#include <QTimer>

class QKeyEvent;

namespace ivrin::app {

class CurveLane;
class CurveTabs;
class OpenRow;
class ScoreView;

class OpenedOrnament : public QObject {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::OpenedOrnament)
 public:
  explicit OpenedOrnament(ScoreView& view);
  ~OpenedOrnament() override;

  void open(const std::string& id);
  void close();
  bool isOpen() const { return !id_.empty(); }
  const std::string& id() const { return id_; }
  /// Null while none is open.
  const Ornament* ornament() const;
  /// The frame of the open row; null while none is open (it is kept for the next one).
  OpenRow* row() const { return id_.empty() ? nullptr : row_; }
  Tries& tries() { return tries_; }
  OpenHand& hand() { return hand_; }
  const OpenHand& hand() const { return hand_; }
  /// What the hand and the drawing see. Only while one is open.
  OpenCanvas canvas() const;
  /// The drawing with its handles; nothing under a curve.
  void paint(QPainter& p) const;
  bool isDrawn() const { return ornament() && !lane_; }
  /// The view as it was before an ornament was opened.
  const TimeAxis& formerAxis() const { return formerAxis_; }

  /// All that can be taken hold of; empty where none is open.
  std::vector<OpenHandle> handles() const;
  QRectF handleRect(const QString& name) const;
  /// The handle that is shown as taken, or about to be.
  QString activeHandle() const { return hand_.active(); }
  /// Keys walk the handles; what is walked to is moved by the arrow keys. False where there is none.
  bool walk(int step);
  /// One step up or down of a handle; where it goes only sideways, right or left. False where it does not move.
  bool stepHandle(const QString& name, int step);
  /// An arrow key that moves the handle which was walked to.
  bool arrowed(const QKeyEvent& e);
  /// Return: the try that is heard is kept; the keys go to the numbers; the ornament at the caret is opened.
  void enter();
  /// False where none was walked to.
  bool stopWalking();

  /// The curve of a setting, or of a processor of its finish, over its drawing; again: closed.
  void openCurve(const std::string& key, int finish = -1);
  void closeCurve();
  /// The next curve there is to edit; after the last one none. False where there is no curve at all.
  bool nextCurve();
  CurveLane* lane() const { return lane_; }
  /// Beside the drawing; null until one was opened.
  CurveTabs* tabs() const { return tabs_; }

  /// The song has changed: what is open shows it, or closes.
  void refresh();
  /// The page has been laid out.
  void placeLane();
  int titleHeight() const;
  int panelHeight() const;
  void place(const QRect& row);
  void axisMoved();
  /// The hand has let go of what it held.
  void letGo() { keepWhole(); }
  /// Soon, when the window has nothing else to do, the first open row is made: it comes up as fast as all others.
  void warmSoon();

 private:
  /// Beats from its lead-in to the end of its source, or of all that is known of it, `tail` included.
  std::pair<double, double> reach(bool tail) const;
  void showWhole();
  /// After an edit: what was whole in view stays so, once it is not held any more.
  void keepWhole();
  /// All that can be drawn: of its kind what is heard, of its finish what stands as a curve or is open.
  std::vector<CurveTarget> curves() const;
  void showTabs();
  void makeRow();
  void warm();
  ScoreView& view_;
  Session& session_;
  OpenHand hand_;
  Tries tries_;
  OpenRow* row_ = nullptr;
  CurveLane* lane_ = nullptr;
  CurveTabs* tabs_ = nullptr;
  QTimer warmTimer_;
  std::string id_;
  bool whole_ = false; // as the view was last moved
  TimeAxis formerAxis_;
};

/// What an ornament does, in a sentence, open or not.
QString saidOf(const ScoreView& view, const std::string& ornament);

} // namespace ivrin::app

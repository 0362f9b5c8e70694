// The score: staves on one time axis around the current landing, selection, ornaments, the open row, the playhead.
//
// Painting: opaque, no backing store of its own. Scrolling moves what is on screen and paints the strip that came into
// view; the playhead and handles are small dirty rectangles.
#pragma once

#include "app/openrow/open_drawing.h"
#include "app/score/ornament_hand.h"
#include "app/score/row_waves.h"
#include "app/score/time_axis.h"
#include "app/session/tries.h"
#include "app/theme/paint_helper.h"

#include <QTimer>
#include <QVariantAnimation>
#include <QWidget>

#include <set>

namespace ivrin::app {

class RowHead;
class SignStrip;
class OpenRow;
class CurveLane;
class InkButton;

/// A stretch of one row, or of several.
struct Selection {
  std::string row; // where it began
  Beats begin, end;
  std::vector<std::string> more{}; // further rows
  BeatRange range() const { return {begin, end}; }
  std::vector<std::string> rows() const;
};

/// What a view is, to come back to it.
struct ViewState {
  double left = 0, pxPerBeat = 20;
  std::string landing, open;
  std::set<std::string> folded;
  bool foldsQuiet = false;
};

class ScoreView : public QWidget {
  Q_OBJECT
 public:
  ScoreView(Session& session, QWidget* parent);
  ~ScoreView() override;

  const TimeAxis& axis() const { return axis_; }
  const std::optional<Selection>& selection() const { return selection_; }
  void select(std::optional<Selection> s);
  /// The landing that bars are counted to.
  const Landing* landing() const { return landing_ ? &*landing_ : nullptr; }
  void goToLanding(int step); // next (+1), former (−1), or centre the current one (0)
  void goToLanding(const std::string& id);
  void centreOn(Beats b);
  void showRange(double beginQuarters, double endQuarters, bool eased);
  /// True when no eased view, no folding and no drawing of an ornament is under way.
  bool atRest() const;
  /// Ends at once what moves or waits by itself: the eased view, folding, learning where ornaments sound.
  void comeToRest();
  void zoom(double factor, double atX);
  void scrollBy(double pixels);
  /// The snap grid; zero is free. `name` is how it is written at the head of the margin.
  void setGrid(Beats step, const QString& name);
  InkButton* gridMark() const { return gridMark_; }
  Beats grid() const { return grid_; }

  void openOrnament(const std::string& id);
  void closeOrnament();
  bool ornamentIsOpen() const { return !open_.empty(); }
  /// The frame of the open row; null while none is open (it is kept for the next one).
  Tries& tries() { return tries_; }
  OpenRow* openRow() const { return open_.empty() ? nullptr : openRow_; }
  /// The keyboard's place in the score.
  void moveCaret(int rows, int steps, bool extend);
  /// The open ornament, else the one that Return would open; empty where the caret's row has none.
  std::string ornamentAtCaret() const;
  const std::string& caretRow() const { return caretRow_; }
  /// Ornaments marked to be handled together.
  const std::set<std::string>& marked() const { return marked_; }
  void mark(std::set<std::string> ids);
  /// What an action on ornaments means: the marked ones, else the open one, else the one at the caret.
  std::vector<std::string> inHand() const;
  /// Moves what is in hand by grid steps, or by single frames.
  void nudge(int steps);
  void nudgeFrames(int frames);
  /// Changes the place of the ornament in hand in the order of its row.
  void reorder(int steps);

  /// Folds a row to a thin staff, or unfolds it.
  void toggleFold(const std::string& row);
  bool folded(const std::string& row) const;
  /// Staves without ornaments in view fold by themselves.
  void setFoldsQuiet(bool on);
  bool foldsQuiet() const { return foldsQuiet_; }
  ViewState viewState() const;
  void restore(const ViewState& v);

  /// The curve of a setting of the open ornament over its drawing; an empty key closes it.
  void openCurve(const std::string& key);
  CurveLane* curveLane() const { return lane_; }
  Beats caret() const { return caret_; }
  void setCaret(Beats b);

  /// Staff of a row in widget coordinates; null when it is not there.
  QRect staffOf(const std::string& row) const;
  QRectF signOf(const std::string& ornament) const;
  const OrnamentLayout& layoutOfOrnaments() const { return marks_; }
  /// Sources that are taken from elsewhere, on the page.
  std::vector<PieceBox> pieceBoxes() const { return hand_.pieces(rows_, axis_); }
  /// The ornament whose bracket is shown, under the mouse.
  const std::string& hot() const { return hot_; }
  /// The drawing of the open row.
  QRect openArea() const;
  QRectF handleRect(const QString& name) const;
  int rulerHeight() const;

 public slots:
  void rebuild(); // rows have changed
  void refresh(); // the song, the plan or the paper has changed
  void placeOnSelection(const QString& kind);
  void tick(); // while playing

 signals:
  void selectionChanged();
  void viewChanged();
  void openChanged();
  void markedChanged();
  void seekRequested(ivrin::Beats at);
  void auditionRequested();
  /// A handle of the open row is being dragged, or was let go.
  void handleHeld(bool held);
  void aloneRequested(bool on);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void leaveEvent(QEvent*) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dragMoveEvent(QDragMoveEvent*) override;
  void dropEvent(QDropEvent*) override;

 private:
  enum class Drag { none, select, edgeBegin, edgeEnd, handle, hand, landing, pan };

  void fitAxis();
  void updateStaves();
  void bringIntoView(const std::string& row);
  void layOut();
  void learnOrnaments();
  void learnNow();
  void foldNow();
  void axisMoved();
  bool isQuiet(const std::string& row) const;
  void placeLane();
  void setHot(const std::string& id);
  std::vector<std::string> rowsBetween(const std::string& a, const std::string& b) const;
  QRect staffOfSelection() const;
  std::optional<std::size_t> orderUnder(double y) const;
  std::string landingUnder(QPointF p) const;
  std::optional<std::pair<std::string, Beats>> magnified() const;
  QRectF magnifierRect() const;
  void dragSelection(QPointF at, Qt::KeyboardModifiers m);
  void hover(QPointF at);
  void goHome();
  void chooseLanding();
  void showStrip();
  Beats snapped(double x, Qt::KeyboardModifiers m) const;
  const RowBox* rowAt(int y) const;
  QRect stavesRect() const;
  int marginWidth() const;
  OpenCanvas canvas() const;
  void updatePlayhead(double former);
  double playheadX() const;

  void paintStaves(QPainter& p, const QRect& dirty);
  std::vector<QRgb> gridLine(const QRect& dirty, int w, double ratio, const QColor& ground) const;
  void paintRow(QImage& image, const RowBox& r, const ColumnFrames& frames, double top, double height, double origin,
                double ratio) const;
  void paintRuler(QPainter& p, const QRect& dirty);
  void paintMargin(QPainter& p, const QRect& dirty);
  void paintOverlay(QPainter& p, const QRect& dirty);
  void paintSelection(QPainter& p);
  void paintOrnaments(QPainter& p, const QRect& dirty);
  void paintBracket(QPainter& p, const OrnamentBox& b, const Ornament& o);
  void paintTies(QPainter& p);
  void paintPieces(QPainter& p);
  void paintDragMarks(QPainter& p);

  Session& session_;
  RowWaves waves_;
  PaintHelper helper_;
  std::vector<QRgb> rowMemory_[2];
  TimeAxis axis_;
  std::vector<RowBox> rows_;
  std::vector<RowHead*> heads_;
  SignStrip* strip_;
  InkButton* gridMark_ = nullptr;
  Tries tries_{session_};
  OpenRow* openRow_ = nullptr;
  CurveLane* lane_ = nullptr;
  OrnamentLayout marks_;
  OrnamentHand hand_;
  std::set<std::string> marked_, folded_;
  std::string hot_, dragLanding_;
  bool foldsQuiet_ = false;
  std::set<std::string> quiet_; // rows that are folded by themselves now
  QTimer foldTimer_, learnTimer_;
  std::string open_;
  std::unique_ptr<OpenDrawing> drawing_;
  TimeAxis formerAxis_;
  std::optional<Landing> landing_;
  std::optional<Selection> selection_;
  Beats grid_;
  Beats caret_;
  std::string caretRow_;
  std::optional<Beats> anchor_;
  std::string anchorRow_;
  int scrollY_ = 0, contentHeight_ = 0;
  Drag drag_ = Drag::none;
  QPointF press_;
  bool moved_ = false;
  QString handle_, hoverHandle_;
  std::optional<Ornament> pressOrnament_;
  double playheadDrawn_ = -1;
  double scrollRest_ = 0;
  bool homeWanted_ = false; // the view of a song just opened, once the page has its size
  QVariantAnimation* ease_;
};

} // namespace ivrin::app

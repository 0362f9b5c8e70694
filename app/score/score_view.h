// The score: staves on one time axis around the current landing, selection, ornaments, the open row, the playhead. Its
// parts: what is on the page (page_layout, ornament_layout), where the view has travelled (score_travel), what is in
// hand (ornament_hand, open_hand), what is painted (score_picture). The view puts them together and takes the events.
//
// Painting: opaque, no backing store of its own. Scrolling moves what is on screen and paints the strip that came into
// view; the playhead and handles are small dirty rectangles.
#pragma once

#include "app/openrow/open_hand.h"
#include "app/score/caret_steps.h"
#include "app/score/ruler.h"
#include "app/score/score_picture.h"
#include "app/score/score_travel.h"
#include "app/session/tries.h"

#include <QTimer>
#include <QWidget>

#include <set>

namespace ivrin {
class Manners;
}

namespace ivrin::app {

class RowHead;
class SignStrip;
class OpenRow;
class CurveLane;
class InkButton;

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

  Session& session() const { return session_; }
  const TimeAxis& axis() const { return travel_.axis(); }
  const std::optional<Selection>& selection() const { return selection_; }
  void select(std::optional<Selection> s);
  /// The landing that bars are counted to.
  const Landing* landing() const { return travel_.landing() ? &*travel_.landing() : nullptr; }
  void centreOnLanding();
  void goToLanding(const std::string& id);
  /// Bars are counted to it; the view stays where it is.
  void countTo(const std::string& landing);
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
  InkButton* gridMark() const { return gridButton_; }
  Beats grid() const { return grid_; }
  /// What the hand snaps to: the grid, or where that would be finer than can be seen, beats or bars.
  Beats handGrid() const;

  void openOrnament(const std::string& id);
  void closeOrnament();
  bool ornamentIsOpen() const { return !open_.empty(); }
  /// The frame of the open row; null while none is open (it is kept for the next one).
  Tries& tries() { return tries_; }
  OpenRow* openRow() const { return open_.empty() ? nullptr : openRow_; }
  /// Openings as hollow signs; a click makes the ornament that suits best. They are listened for when they are not
  /// known.
  void setShowsOpenings(bool on);
  /// Ornaments that are heard and not placed yet: dotted.
  void setProposed(const std::set<std::string>& ornaments);
  bool showsOpenings() const { return showsOpenings_; }
  const OpeningMarks& openings() const { return openings_; }
  /// The keyboard's place in the score.
  void moveCaret(int rows, int steps, bool extend);
  void travelCaret(CaretUnit unit, int step, bool extend);
  /// Selects the word at the caret, or the next one; what is selected already grows to its phrase, and the next one.
  void selectSpoken();
  /// Back: to fewer phrases, to a word.
  void selectLess();
  void selectOnRow(const std::string& row, BeatRange stretch);
  /// The open ornament, else the one that Return would open; empty where the caret's row has none.
  std::string ornamentAtCaret() const;
  /// The landing whose letter or name stands over a place of the ruler; mostly empty.
  std::string landingAt(Beats at) const { return landingUnder(QPointF(axis().xOf(at), 1)); }
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

  /// The curve of a setting of the open ornament, or of a processor of its finish, over its drawing; again: closed.
  void openCurve(const std::string& key, int finish = -1);
  void closeCurve();
  /// The next curve there is to edit; after the last one none. False where there is no curve at all.
  bool nextCurve();
  CurveLane* curveLane() const { return lane_; }
  Beats caret() const { return caret_; }
  void setCaret(Beats b);

  /// Staff of a row in widget coordinates; null when it is not there.
  QRect staffOf(const std::string& row) const { return page_.staffOf(row); }
  QRectF signOf(const std::string& ornament) const;
  const OrnamentLayout& layoutOfOrnaments() const { return marks_; }
  /// Sources that are taken from elsewhere, on the page.
  std::vector<PieceBox> pieceBoxes() const { return hand_.pieces(page_.rows, axis()); }
  /// What stands there, in words: a sign, the number of its order, a slur's landing, bars counted twice. Empty where
  /// nothing needs any.
  QString explained(QPointF at) const;
  /// The ornament whose bracket is shown, under the mouse.
  const std::string& hot() const { return hot_; }
  /// Where a kind that needs no selection would stand, by the landing that bars are counted to.
  std::optional<BeatRange> stretchAtLanding(const std::string& kind) const;
  /// The open ornament, where it is of this kind.
  const Ornament* openOfKind(const std::string& kind) const;
  /// The drawing of the open row.
  QRect openArea() const { return page_.openArea(); }
  QRectF handleRect(const QString& name) const;
  /// All that can be taken hold of in the open row; empty where none is open.
  std::vector<OpenHandle> openHandles() const;
  /// The handle that is shown as taken, or about to be.
  QString activeHandle() const { return openHand_.active(); }
  /// Keys walk the handles of the open ornament; what is walked to is moved by the arrow keys. False where there is
  /// none.
  bool walkHandles(int step);
  /// One step up or down of a handle of the open ornament; where it goes only sideways, right or left. False where it
  /// does not move.
  bool stepHandle(const QString& name, int step);
  /// What an ornament does, in a sentence, open or not.
  QString saidOf(const std::string& ornament) const;
  /// False where none was walked to.
  bool stopWalking();
  /// While it plays the page is turned with the playhead, until somebody looks elsewhere.
  bool follows() const { return follows_; }
  void setFollows(bool on);
  int rulerHeight() const { return Page::rulerHeight(); }

 public slots:
  void rebuild(); // rows have changed
  void refresh(); // the song, the plan or the paper has changed
  /// On the selection; without one pressed again, on the open ornament that a first press has placed.
  void placeOnSelection(const QString& kind);
  void tick(); // while playing

 signals:
  void selectionChanged();
  void viewChanged();
  void openChanged();
  void markedChanged();
  void seekRequested(ivrin::Beats at);
  void followsChanged(bool on);
  void auditionRequested();
  /// A handle of the open row is being dragged, or was let go.
  void handleHeld(bool held);
  void aloneRequested(bool on);
  /// The row's file is not there: another one is wanted.
  void fileWanted(const std::string& row);
  /// Of a mark of the grid in the ruler: it was clicked, or dragged to another place.
  void gridMarkClicked(const ivrin::app::GridMark& mark);
  void gridMarkMoved(const ivrin::app::GridMark& mark, ivrin::Beats to);
  void rulerMenuWanted(ivrin::Beats at, const QPoint& globalAt);
  /// Whole transitions into this landing, from an opening before it.
  void recipesWanted(const std::string& landing);
  /// The menu of the caret's row.
  void rowMenuWanted(const QPoint& globalAt);
  /// A row was dropped before another one ("mix": last), or onto a bus.
  void rowDropped(const std::string& row, const std::string& before, bool ontoBus);

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
  bool event(QEvent* e) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dragMoveEvent(QDragMoveEvent*) override;
  void dropEvent(QDropEvent*) override;

 private:
  enum class Drag { none, select, edgeBegin, edgeEnd, handle, hand, landing, gridMark, pan };

  void updateStaves();
  void viewMoved();
  void bringIntoView(const std::string& row);
  void layOut();
  void learnOrnaments();
  void learnNow();
  void foldNow();
  void axisMoved();
  void showGrid();
  bool isQuiet(const std::string& row) const;
  void placeLane();
  void setHot(const std::string& id);
  std::optional<std::size_t> orderUnder(double y) const;
  std::string landingUnder(QPointF p) const;
  std::optional<GridMark> gridMarkUnder(QPointF p) const;
  Beats gridMarkPlace(QPointF p, Qt::KeyboardModifiers m) const;
  std::optional<std::pair<std::string, Beats>> magnified() const;
  QRectF magnifierRect() const;
  void dragSelection(QPointF at, Qt::KeyboardModifiers m);
  void hover(QPointF at);
  void goHome();
  void showStrip();
  Beats snapped(double x, Qt::KeyboardModifiers m) const;
  OpenCanvas canvas() const;
  bool marksWhenClicked_ = false;
  double wheeled_ = 0; // over what the wheel turns in the open row, steps not yet taken
  ScorePicture picture() const;
  void showWaves();
  void makeOpenRow();
  void warmOpenRow();
  bool arrowed(QKeyEvent* e);
  bool placeAfterOpen(const Manners& m);
  void beginExtending();
  void putCaret(Beats to, bool extend);
  Beats snapStep() const; // the grid's; a sixty-fourth where there is none
  QString nothingHeard() const;
  bool selectSaidAt(const std::string& row, Beats at, bool phrase);
  void updatePlayhead(double former);
  double playheadX() const;
  void travelled();
  void makeRows();
  void dragRow(const std::string& row, QPoint globalAt, bool dropped);
  void renewOpenings();
  void takeOpening(Opening o);
  void setHotOpening(const Opening* o);

  Session& session_;
  Page page_;
  ScoreTravel travel_;
  RowWaves waves_;
  StaffPaint staffPaint_;
  OrnamentLayout marks_;
  OpeningMarks openings_;
  const Opening* hotOpening_ = nullptr; // of openings_
  bool showsOpenings_ = false;
  std::set<std::string> proposedOrnaments_;
  OrnamentHand hand_;
  OpenHand openHand_;
  Tries tries_{session_};

  std::vector<std::string> rows_; // ids, in the order of the score
  std::vector<RowHead*> heads_;
  std::optional<GridMark> gridMark_; // that is held
  std::optional<Beats> gridMarkAt_;  // where it was dragged to
  std::optional<RowDrop> rowDrop_;   // where a row that is dragged would go
  SignStrip* strip_;
  InkButton* gridButton_ = nullptr;
  OpenRow* openRow_ = nullptr;
  CurveLane* lane_ = nullptr;

  std::set<std::string> marked_, folded_, quiet_; // quiet: rows that are folded by themselves now
  bool foldsQuiet_ = false;
  QTimer foldTimer_, learnTimer_, warmTimer_;
  std::string open_, hot_, dragLanding_;
  TimeAxis formerAxis_; // before an ornament was opened
  std::optional<Selection> selection_;
  Beats grid_;
  QString gridName_;
  Beats caret_;
  std::string caretRow_;
  std::optional<Beats> anchor_;
  std::string anchorRow_;
  int scrollY_ = 0;
  Drag drag_ = Drag::none;
  QPointF press_;
  std::optional<std::pair<quint64, QPointF>> doubleClicked_; // when, in ms of the events' clock, and where
  bool moved_ = false, follows_ = true, wasPlaying_ = false;
  double playheadAt_ = -1;  // where it is painted; moved by tick alone, so that no part of it is left behind
  bool homeWanted_ = false; // the view of a song just opened, once the page has its size
};

} // namespace ivrin::app

// The score: staves on one time axis around the current landing, selection, ornaments, the open row, the playhead. The
// widget takes the events, lays the page out and paints it; its parts do the rest: what is on the page (page_layout,
// ornament_layout), where the view has travelled (score_travel), the keyboard's place (score_caret), the mouse and its
// tools (score_mouse, score_tool), what is in hand (in_hand, ornament_hand), the open ornament (opened_ornament).
//
// Painting: opaque, no backing store of its own. Scrolling moves what is on screen and paints the strip that came into
// view; the playhead and handles are small dirty rectangles.
#pragma once

#include "app/score/in_hand.h"
#include "app/score/opened_ornament.h"
#include "app/score/playhead.h"
#include "app/score/row_folds.h"
#include "app/score/row_heads.h"
#include "app/score/score_caret.h"
#include "app/score/score_mouse.h"
#include "app/score/score_picture.h"
#include "app/score/score_travel.h"
#include "app/score/selected.h"
#include "app/score/shown_openings.h"
#include "app/score/snap_grid.h"

#include <QTimer>
#include <QWidget>

#include <set>

namespace ivrin::app {

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
  // Its parts.
  ScoreCaret& caret() { return caret_; }
  const ScoreCaret& caret() const { return caret_; }
  InHand& hand() { return inHand_; }
  const InHand& hand() const { return inHand_; }
  OpenedOrnament& opened() { return opened_; }
  const OpenedOrnament& opened() const { return opened_; }
  RowFolds& folds() { return folds_; }
  ShownOpenings& openings() { return openings_; }
  const ShownOpenings& openings() const { return openings_; }
  const RowHeads& heads() const { return heads_; }
  const Playhead& playhead() const { return playhead_; }
  const ScoreMouse& mouse() const { return mouse_; }
  /// No bracket is shown until the mouse moves.
  void forgetHot() { mouse_.setHot({}); }
  OrnamentHand& ornamentHand() { return ornamentHand_; }
  const OrnamentHand& ornamentHand() const { return ornamentHand_; }

  // ---- the page
  const TimeAxis& axis() const { return travel_.axis(); }
  const Page& page() const { return page_; }
  /// Ids of the rows, in the order of the score.
  const std::vector<std::string>& rows() const { return heads_.rows(); }
  /// Staff of a row in widget coordinates; null when it is not there.
  QRect staffOf(const std::string& row) const { return page_.staffOf(row); }
  QRectF signOf(const std::string& ornament) const;
  const OrnamentLayout& layoutOfOrnaments() const { return marks_; }
  /// Sources that are taken from elsewhere, on the page.
  std::vector<PieceBox> pieceBoxes() const { return ornamentHand_.pieces(page_.rows, axis()); }
  /// The drawing of the open row.
  QRect openArea() const { return page_.openArea(); }
  const RowWaves& waves() const { return waves_; }
  /// The landing whose letter or name stands over a place of the ruler; mostly empty.
  std::string landingAt(Beats at) const { return mouse_.landingUnder(QPointF(axis().xOf(at), 1)); }
  void layOut();
  void updateStaves();

  // ---- the selection
  const std::optional<Selection>& selection() const { return selected_.now(); }
  void select(std::optional<Selection> s) { selected_.select(std::move(s)); }
  Selected& selected() { return selected_; }
  const Selected& selected() const { return selected_; }
  /// Ornaments that are heard and not placed yet: dotted.
  void setProposed(const std::set<std::string>& ornaments);
  const std::set<std::string>& proposed() const { return proposed_; }

  // ---- travelling
  /// The landing that bars are counted to.
  const Landing* landing() const { return travel_.landing() ? &*travel_.landing() : nullptr; }
  void setLanding(std::optional<Landing> l) { travel_.setLanding(std::move(l)); }
  void centreOnLanding();
  void goToLanding(const std::string& id);
  /// Bars are counted to it; the view stays where it is.
  void countTo(const std::string& landing);
  void centreOn(Beats b);
  void showRange(double beginQuarters, double endQuarters, bool eased);
  void bringIntoView(const std::string& row);
  void zoom(double factor, double atX);
  void scrollBy(double pixels);
  void scrollRows(int pixels);
  /// While it plays the page is turned with the playhead, until somebody looks elsewhere.
  bool follows() const { return playhead_.follows(); }
  void setFollows(bool on) { playhead_.setFollows(on); }
  ViewState viewState() const;
  void restore(const ViewState& v);
  /// True when no eased view, no folding and no drawing of an ornament is under way.
  bool easing() const { return travel_.easing(); }
  bool atRest() const;
  /// Ends at once what moves or waits by itself: the eased view, folding, learning where ornaments sound.
  void comeToRest();

  // ---- the grid
  void setGrid(Beats step, const QString& name);
  InkButton* gridMark() const { return snapGrid_.mark(); }
  Beats grid() const { return snapGrid_.step(); }
  Beats handGrid() const { return snapGrid_.ofHand(); }
  /// Where the hand sets something down at x: on the grid, free, or on an attack, by the keys that are held.
  Beats snapped(double x, Qt::KeyboardModifiers keys) const;
  /// An attack of the caret's row within reach of the hand, or the place itself.
  Beats attackNear(Beats at) const;

  /// What stands there, in words: a sign, the number of its order, a slur's landing, bars counted twice. Empty where
  /// nothing needs any.
  QString explained(QPointF at) const;

 public slots:
  void rebuild(); // another song
  void refresh(); // the song, the plan or the paper has changed
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
  void mousePressEvent(QMouseEvent* e) override { mouse_.press(*e); }
  void mouseMoveEvent(QMouseEvent* e) override { mouse_.move(*e); }
  void mouseReleaseEvent(QMouseEvent* e) override { mouse_.release(*e); }
  void mouseDoubleClickEvent(QMouseEvent* e) override { mouse_.doubleClick(*e); }
  void wheelEvent(QWheelEvent* e) override { mouse_.wheel(*e); }
  void keyPressEvent(QKeyEvent*) override;
  void leaveEvent(QEvent*) override { mouse_.leave(); }
  bool event(QEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override { mouse_.contextMenu(*e); }
  void dragEnterEvent(QDragEnterEvent*) override;
  void dragMoveEvent(QDragMoveEvent*) override;
  void dropEvent(QDropEvent* e) override { mouse_.drop(*e); }

 private:
  void viewMoved();
  void learnOrnaments();
  void learnNow();
  void axisMoved();
  void soundsAnew();
  void makeRows();
  void goHome();
  void travelled();

  Session& session_;
  Page page_;
  ScoreTravel travel_;
  RowWaves waves_;
  StaffPaint staffPaint_;
  OrnamentLayout marks_;
  OrnamentHand ornamentHand_;
  ScoreCaret caret_;
  InHand inHand_;
  RowHeads heads_;
  RowFolds folds_;
  ShownOpenings openings_;
  SnapGrid snapGrid_;
  OpenedOrnament opened_;
  Playhead playhead_;
  ScoreMouse mouse_;
  Selected selected_;
  std::set<std::string> proposed_;
  QTimer learnTimer_;
  int scrollY_ = 0;
  bool homeWanted_ = false; // the view of a song just opened, once the page has its size
};

} // namespace ivrin::app

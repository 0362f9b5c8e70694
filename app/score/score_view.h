// The score: staves on one time axis around the current landing, selection, ornaments, the open row, the playhead.
//
// Painting: opaque, no backing store of its own. Scrolling moves what is on screen and paints the strip that came into
// view; the playhead and handles are small dirty rectangles.
#pragma once

#include "app/openrow/open_drawing.h"
#include "app/score/row_waves.h"
#include "app/score/time_axis.h"

#include <QVariantAnimation>
#include <QWidget>

namespace ivrin::app {

class RowHead;
class SignStrip;
class OpenRow;

struct Selection {
  std::string row;
  Beats begin, end;
  BeatRange range() const { return {begin, end}; }
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
  void centreOn(Beats b);
  void showRange(double beginQuarters, double endQuarters, bool eased);
  void zoom(double factor, double atX);
  void scrollBy(double pixels);
  /// The snap grid; zero is free.
  void setGrid(Beats step) { grid_ = step; }
  Beats grid() const { return grid_; }

  void openOrnament(const std::string& id);
  void closeOrnament();
  bool ornamentIsOpen() const { return openRow_ != nullptr; }
  OpenRow* openRow() const { return openRow_; }
  /// The keyboard's place in the score.
  void moveCaret(int rows, int steps, bool extend);
  /// The open ornament, else the one that Return would open; empty where the caret's row has none.
  std::string ornamentAtCaret() const;
  const std::string& caretRow() const { return caretRow_; }
  /// Moves an ornament along its row by grid steps.
  void nudge(const std::string& id, int steps);
  Beats caret() const { return caret_; }
  void setCaret(Beats b);

  /// Staff of a row in widget coordinates; null when it is not there.
  QRect staffOf(const std::string& row) const;
  QRectF signOf(const std::string& ornament) const;
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
  void seekRequested(ivrin::Beats at);
  void auditionRequested();

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

 private:
  struct RowBox {
    std::string id;
    int y = 0, height = 0;
    bool open = false;
    int staffTop = 0, staffHeight = 0; // of the wave
  };
  struct SignPlace {
    std::string ornament;
    QRectF rect;
  };
  enum class Drag { none, select, edgeBegin, edgeEnd, handle, move };

  void layOut();
  void goHome();
  void chooseLanding();
  void showStrip();
  Beats snapped(double x, Qt::KeyboardModifiers m) const;
  const RowBox* rowAt(int y) const;
  std::vector<SignPlace> signs() const;
  QRect stavesRect() const;
  int marginWidth() const;
  OpenCanvas canvas() const;
  void updatePlayhead(double former);
  void dragOrnament(QPointF to, Qt::KeyboardModifiers m);
  double playheadX() const;

  void paintStaves(QPainter& p, const QRect& dirty);
  std::vector<QRgb> gridLine(const QRect& dirty, int w, double ratio, const QColor& ground) const;
  void paintRow(QImage& image, const RowBox& r, const ColumnFrames& frames, double top, double height, double origin,
                double ratio);
  void paintRuler(QPainter& p, const QRect& dirty);
  void paintMargin(QPainter& p, const QRect& dirty);
  void paintOverlay(QPainter& p, const QRect& dirty);
  void paintSelection(QPainter& p);
  void paintOrnaments(QPainter& p, const QRect& dirty);

  Session& session_;
  RowWaves waves_;
  TimeAxis axis_;
  std::vector<RowBox> rows_;
  std::vector<RowHead*> heads_;
  SignStrip* strip_;
  OpenRow* openRow_ = nullptr;
  std::string open_;
  std::unique_ptr<OpenDrawing> drawing_;
  TimeAxis formerAxis_;
  std::optional<Landing> landing_;
  std::optional<Selection> selection_;
  Beats grid_;
  Beats caret_;
  std::string caretRow_;
  std::optional<Beats> anchor_;
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

// The OrnamentHand handles ornaments in the score: it says what can be taken hold of under a point, and what becomes of
// the song while that is dragged. It knows geometry and edits, no events.
#pragma once

#include "app/score/ornament_layout.h"
#include "app/session/session.h"

#include <set>

namespace ivrin::app {

enum class Grip { none, body, begin, end, tail, lead, landing, order, piece, pieceBegin, pieceEnd };

/// What is under a point.
struct Hold {
  Grip grip = Grip::none;
  std::string ornament;
  std::size_t piece = 0; // of a source elsewhere
  explicit operator bool() const { return grip != Grip::none; }
  friend bool operator==(const Hold&, const Hold&) = default;
};

/// A source taken from elsewhere, on the page.
struct PieceBox {
  std::string ornament;
  std::size_t piece = 0;
  QRectF rect; // over the staff of the row it is taken from
};

/// Where what is dragged stands in line with something: drawn as a fine line.
struct AlignmentMark {
  Beats at;
  QString what;
  bool heard = false; // found by listening
};

class OrnamentHand {
 public:
  explicit OrnamentHand(Session& session)
      : session_(session) {}

  /// Sources elsewhere, for the rows as they are laid out.
  std::vector<PieceBox> pieces(const std::vector<RowBox>& rows, const TimeAxis& axis) const;
  /// `hot` is the ornament whose bracket is shown; only its grips besides signs can be taken.
  Hold under(QPointF p, const OrnamentLayout& layout, const std::vector<PieceBox>& pieces,
             const std::string& hot) const;
  static Qt::CursorShape cursorFor(Grip g);

  /// A drag begins. `together` are the ornaments that move with it.
  void take(const Hold& hold, QPointF at, std::set<std::string> together, const TimeAxis& axis);
  bool holding() const { return static_cast<bool>(hold_); }
  const Hold& hold() const { return hold_; }
  /// The drag goes on: the song as it becomes is handed to the session as one undo step. `row` is the row under the
  /// mouse, `orderAt` the place on the row that a dragged number points to. Free leaves the grid; `elsewhere` takes the
  /// source away from the ornament instead of moving it.
  struct Move {
    QPointF to;
    std::string row;
    std::optional<std::size_t> orderAt;
    Beats grid;
    bool free = false, elsewhere = false;
  };
  void drag(const Move& m, const TimeAxis& axis);
  void letGo();
  const std::vector<AlignmentMark>& marks() const { return marks_; }
  /// Beat under what is dragged, for the magnifier; nothing while a whole body moves.
  const std::optional<std::pair<std::string, Beats>>& edge() const { return edge_; }

 private:
  Beats settled(Beats b, const Move& m, const TimeAxis& axis);
  void align(const std::vector<Beats>& edges);
  std::vector<AlignmentMark> lines() const;
  Session& session_;
  Hold hold_;
  QPointF press_;
  Song before_;
  std::set<std::string> together_;
  std::vector<AlignmentMark> marks_, lines_;
  std::optional<std::pair<std::string, Beats>> edge_;
};

} // namespace ivrin::app

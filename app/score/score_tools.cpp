// The tools of the score. Each knows what it drags, and what becomes of it when it is let go.
#include "app/axis/modifiers.h"
#include "app/score/score_tool.h"
#include "app/score/score_view.h"
#include "app/session/landing_edits.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

class PanTool : public ScoreTool {
 public:
  PanTool(ScoreView& view, QPointF press)
      : view_(view)
      , at_(press) {}
  void drag(QPointF to, Qt::KeyboardModifiers) override {
    view_.scrollBy(at_.x() - to.x());
    at_ = to;
  }
  void letGo(bool, Qt::KeyboardModifiers) override {}
  bool atOnce() const override { return true; }

 private:
  ScoreView& view_;
  QPointF at_;
};

/// What was selected by dragging stands, and kinds are offered beside it.
void endSelecting(ScoreView& view) {
  if (!view.selection()) return;
  view.caret().put(view.selection()->begin);
  view.selected().showStrip();
  emit view.selectionChanged();
}

class SelectTool : public ScoreTool {
 public:
  SelectTool(ScoreView& view, QPointF press, std::string row)
      : view_(view)
      , press_(press)
      , row_(std::move(row)) {}

  void drag(QPointF to, Qt::KeyboardModifiers keys) override {
    dragged_ = true;
    const Beats a = view_.snapped(press_.x(), keys), b = view_.snapped(to.x(), keys);
    const Page& page = view_.page();
    const RowBox* under = page.rowAt(std::clamp(static_cast<int>(to.y()), Page::rulerHeight(), view_.height() - 1));
    if (a == b)
      view_.select(std::nullopt);
    else
      view_.select(Selection{row_, std::min(a, b), std::max(a, b),
                             under && under->id != row_ ? page.between(row_, under->id) : std::vector<std::string>()});
  }

  void letGo(bool moved, Qt::KeyboardModifiers keys) override {
    if (moved) return endSelecting(view_);
    view_.select(std::nullopt); // a click: the place to play from
    view_.caret().put(view_.snapped(press_.x(), keys));
    emit view_.seekRequested(view_.caret().at());
  }

  /// The edge that moves is the one away from the press.
  std::optional<std::pair<std::string, Beats>> magnified() const override {
    const auto& s = view_.selection();
    if (!s || !dragged_) return std::nullopt;
    const TimeAxis& axis = view_.axis();
    const bool end = std::abs(axis.xOf(s->begin) - press_.x()) < std::abs(axis.xOf(s->end) - press_.x());
    return {{s->row, end ? s->end : s->begin}};
  }

 private:
  ScoreView& view_;
  QPointF press_;
  std::string row_;
  bool dragged_ = false;
};

class EdgeTool : public ScoreTool {
 public:
  EdgeTool(ScoreView& view, bool begin)
      : view_(view)
      , begin_(begin) {}

  void drag(QPointF to, Qt::KeyboardModifiers keys) override {
    if (!view_.selection()) return;
    Selection s = *view_.selection();
    (begin_ ? s.begin : s.end) = view_.snapped(to.x(), keys);
    if (s.end < s.begin) {
      std::swap(s.begin, s.end);
      begin_ = !begin_;
    }
    if (s.begin < s.end) view_.select(s);
  }

  void letGo(bool, Qt::KeyboardModifiers) override { endSelecting(view_); }

  std::optional<std::pair<std::string, Beats>> magnified() const override {
    const auto& s = view_.selection();
    if (!s) return std::nullopt;
    return {{s->row, begin_ ? s->begin : s->end}};
  }

 private:
  ScoreView& view_;
  bool begin_;
};

class HandleTool : public ScoreTool {
 public:
  explicit HandleTool(ScoreView& view)
      : view_(view) {}

  void drag(QPointF to, Qt::KeyboardModifiers keys) override {
    if (!std::exchange(dragged_, true)) emit view_.handleHeld(true);
    OpenedOrnament& opened = view_.opened();
    if (opened.ornament()) opened.hand().drag(to, keys, view_.handGrid(), opened.canvas());
  }

  void letGo(bool moved, Qt::KeyboardModifiers) override {
    view_.opened().hand().letGo();
    if (moved) emit view_.handleHeld(false);
    view_.update();
  }

  std::optional<std::pair<std::string, Beats>> magnified() const override {
    const Ornament* o = view_.opened().ornament();
    const QString& held = view_.opened().hand().held();
    if (o && held == QLatin1String("begin")) return {{o->on, o->start}};
    if (o && held == QLatin1String("end")) return {{o->on, o->span().end}};
    return std::nullopt;
  }

 private:
  ScoreView& view_;
  bool dragged_ = false;
};

class GripTool : public ScoreTool {
 public:
  GripTool(ScoreView& view, const Hold& hold, QPointF press, bool marks)
      : view_(view)
      , press_(press)
      , marks_(marks) {
    const auto& marked = view.hand().marked();
    view.ornamentHand().take(
        hold, press, marked.contains(hold.ornament) ? marked : std::set<std::string>{hold.ornament}, view.axis());
  }

  void drag(QPointF to, Qt::KeyboardModifiers keys) override {
    // Onto another row once the mouse is well inside it.
    const RowBox* r = view_.page().rowAt(static_cast<int>(to.y()));
    const bool across = r && std::abs(to.y() - press_.y()) > r->height / 2.0;
    view_.ornamentHand().drag({to, across ? r->id : std::string(), orderUnder(to.y()), view_.handGrid(),
                               leavesGrid(keys), static_cast<bool>(keys & Qt::ControlModifier)},
                              view_.axis());
  }

  void letGo(bool moved, Qt::KeyboardModifiers) override {
    const Hold hold = view_.ornamentHand().hold();
    view_.ornamentHand().letGo();
    view_.update();
    if (moved) return;
    if (marks_)
      view_.hand().toggleMark(hold.ornament);
    else if (hold.grip == Grip::body)
      view_.opened().open(hold.ornament);
  }

  std::optional<std::pair<std::string, Beats>> magnified() const override { return view_.ornamentHand().edge(); }

 private:
  /// The number is dragged over the lanes of what it overlaps: the lane under the mouse tells the new place.
  std::optional<std::size_t> orderUnder(double y) const {
    const std::string& held = view_.ornamentHand().hold().ornament;
    const OrnamentLayout& layout = view_.layoutOfOrnaments();
    const OrnamentBox* own = layout.box(held);
    const Ornament* o = view_.session().song().ornament(held);
    if (!own || !o) return std::nullopt;
    for (const OrnamentBox& b : layout.boxes()) {
      const Ornament* other = view_.session().plan()->ornament(b.id);
      if (!other || other->on != o->on || b.lanes != own->lanes) continue;
      if (b.tailX < own->leadX || b.leadX > own->tailX) continue;
      if (y >= b.bandTop && y < b.bandTop + b.bandHeight) return b.order;
    }
    return std::nullopt;
  }

  ScoreView& view_;
  QPointF press_;
  bool marks_;
};

class LandingTool : public ScoreTool {
 public:
  LandingTool(ScoreView& view, std::string landing)
      : view_(view)
      , landing_(std::move(landing)) {}
  void drag(QPointF to, Qt::KeyboardModifiers keys) override {
    Session& session = view_.session();
    moveLanding(session, landing_,
                landingPlace(session, view_.axis().beatAt(to.x()), leavesGrid(keys), view_.handGrid()));
  }
  void letGo(bool moved, Qt::KeyboardModifiers) override {
    view_.session().settle();
    if (!moved) view_.goToLanding(landing_);
  }

 private:
  ScoreView& view_;
  std::string landing_;
};

class GridMarkTool : public ScoreTool {
 public:
  GridMarkTool(ScoreView& view, GridMark mark)
      : view_(view)
      , mark_(std::move(mark)) {}

  void drag(QPointF to, Qt::KeyboardModifiers keys) override {
    at_ = place(to, keys);
    view_.update();
  }

  void letGo(bool, Qt::KeyboardModifiers) override {
    const auto to = std::exchange(at_, std::nullopt);
    view_.update();
    if (!to)
      emit view_.gridMarkClicked(mark_);
    else if (*to != mark_.at)
      emit view_.gridMarkMoved(mark_, *to);
  }

  std::optional<std::pair<std::string, Beats>> magnified() const override {
    if (!at_ || mark_.kind != GridMark::Kind::barOne) return std::nullopt;
    return {{view_.caret().row(), *at_}};
  }
  std::optional<Beats> gridDrag() const override { return at_; }

 private:
  /// Bar 1 anywhere, or onto an attack; a tempo on beats; a meter on bar lines.
  Beats place(QPointF to, Qt::KeyboardModifiers keys) const {
    const Beats at = view_.axis().beatAt(to.x());
    const TempoMap& map = view_.session().plan()->map();
    const MeterEntry& meter = map.meterAt(at);
    switch (mark_.kind) {
    case GridMark::Kind::barOne:
      return leavesGrid(keys) ? at : view_.attackNear(at);
    case GridMark::Kind::tempo:
      return leavesGrid(keys) ? at : snapToGrid(at, meter.beatLength(), map);
    case GridMark::Kind::meter:
      return snapToGrid(at, meter.barLength(), map);
    }
    return at;
  }

  ScoreView& view_;
  GridMark mark_;
  std::optional<Beats> at_;
};

} // namespace

std::unique_ptr<ScoreTool> panTool(ScoreView& view, QPointF press) {
  return std::make_unique<PanTool>(view, press);
}
std::unique_ptr<ScoreTool> selectTool(ScoreView& view, QPointF press, const std::string& row) {
  return std::make_unique<SelectTool>(view, press, row);
}
std::unique_ptr<ScoreTool> edgeTool(ScoreView& view, bool begin) {
  return std::make_unique<EdgeTool>(view, begin);
}
std::unique_ptr<ScoreTool> handleTool(ScoreView& view) {
  return std::make_unique<HandleTool>(view);
}
std::unique_ptr<ScoreTool> gripTool(ScoreView& view, const Hold& hold, QPointF press, bool marks) {
  return std::make_unique<GripTool>(view, hold, press, marks);
}
std::unique_ptr<ScoreTool> landingTool(ScoreView& view, const std::string& landing) {
  return std::make_unique<LandingTool>(view, landing);
}
std::unique_ptr<ScoreTool> gridMarkTool(ScoreView& view, const GridMark& mark) {
  return std::make_unique<GridMarkTool>(view, mark);
}

} // namespace ivrin::app

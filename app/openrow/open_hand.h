// The OpenHand is the hand in the open ornament: it knows what is under it, what it holds, and what the keys walk.
#pragma once

#include "app/openrow/open_drawing.h"

#include <memory>

namespace ivrin::app {

class OpenHand {
 public:
  explicit OpenHand(Session& session)
      : session_(session) {}

  /// The drawing of the ornament that was opened; null: closed, and let go.
  void open(std::unique_ptr<OpenDrawing> drawing);
  const OpenDrawing* drawing() const { return drawing_.get(); }
  std::vector<OpenHandle> handles(const OpenCanvas& c) const;
  /// The one to show as active: held, else under the mouse, else walked to.
  QString active() const;

  /// The mouse moves without a button: the handle under it. True when another one is.
  bool hover(QPointF at, const OpenCanvas& c, Qt::CursorShape& shape);
  bool leave();

  /// True where there is a handle, which is held from now on.
  bool press(QPointF at, Qt::KeyboardModifiers keys, Beats grid, const OpenCanvas& c);
  void drag(QPointF to, Qt::KeyboardModifiers keys, Beats grid, const OpenCanvas& c);
  void letGo();
  bool holding() const { return held_.has_value(); }
  const QString& held() const;

  /// By keys: to the next handle (+1) or the former (−1), round; false where there is none.
  bool walk(int step, const OpenCanvas& c);
  /// To the handle of this name.
  bool walkTo(const QString& name, const OpenCanvas& c);
  bool walking() const { return !walked_.isEmpty(); }
  void stopWalking() { walked_.clear(); }
  /// An arrow key moves what was walked to; false where it does not go that way.
  bool arrow(int right, int up, Beats grid, const OpenCanvas& c);
  /// The wheel over what is under the mouse, one step up or down (0: only asked); false where it does nothing there.
  bool wheel(QPointF at, int up, const OpenCanvas& c);
  /// The cell that the keys stand on, while they walk a lane of cells; else −1.
  std::int64_t cell() const { return inCells_ && walking() ? cell_ : -1; }
  /// What the handle that was walked to is and says: "decay: decay 2.1 s".
  QString said(const OpenCanvas& c) const;

 private:
  void edit(const OpenHandle& h, Ornament next, const char* how);
  Session& session_;
  std::unique_ptr<OpenDrawing> drawing_;
  QString hover_, walked_;
  std::optional<OpenHandle> held_;
  std::optional<Ornament> before_; // at the press
  Pull pull_;
  std::int64_t cell_ = 0;
  bool inCells_ = false;
};

} // namespace ivrin::app

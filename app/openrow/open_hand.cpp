#include "app/openrow/open_hand.h"

#include "app/axis/modifiers.h"
#include "app/words/ornament_look.h"
#include "song/edits.h"

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr std::size_t kMostPath = 4096; // points of a drag that are kept; what is painted is painted by then

} // namespace

void OpenHand::open(std::unique_ptr<OpenDrawing> drawing) {
  held_.reset(); // its functions may be the former drawing's
  before_.reset();
  hover_.clear();
  walked_.clear();
  cell_ = 0;
  inCells_ = false;
  drawing_ = std::move(drawing);
}

std::vector<OpenHandle> OpenHand::handles(const OpenCanvas& c) const {
  return drawing_ ? drawing_->handles(c) : std::vector<OpenHandle>();
}

QString OpenHand::active() const {
  return held_ ? held_->name : hover_.isEmpty() ? walked_ : hover_;
}

const QString& OpenHand::held() const {
  static const QString none;
  return held_ ? held_->name : none;
}

bool OpenHand::hover(QPointF at, const OpenCanvas& c, Qt::CursorShape& shape) {
  const auto all = handles(c);
  const OpenHandle* h = handleAt(all, at);
  if (h) shape = h->cursor;
  const QString now = h ? h->name : QString();
  return std::exchange(hover_, now) != now;
}

bool OpenHand::leave() {
  return !std::exchange(hover_, QString()).isEmpty();
}

bool OpenHand::press(QPointF at, Qt::KeyboardModifiers keys, Beats grid, const OpenCanvas& c) {
  const auto all = handles(c);
  const OpenHandle* h = handleAt(all, at);
  if (!h) return false;
  held_ = *h;
  before_ = c.ornament;
  pull_ = {{at}, leavesGrid(keys), thisAlone(keys), grid};
  walked_.clear();
  if (h->atPress) drag(at, keys, grid, c);
  return true;
}

void OpenHand::drag(QPointF to, Qt::KeyboardModifiers keys, Beats grid, const OpenCanvas& c) {
  if (!held_ || !held_->pull) return;
  pull_.free = leavesGrid(keys);
  pull_.grid = grid;
  if (pull_.path.size() < kMostPath)
    pull_.path.push_back(to);
  else
    pull_.path.back() = to;
  const OpenCanvas was{c.axis, c.area, c.session, *before_, c.node, c.waves, c.cell};
  if (auto next = held_->pull(was, pull_)) edit(*held_, std::move(*next), "handle-");
}

void OpenHand::letGo() {
  held_.reset();
  before_.reset();
  session_.settle();
}

void OpenHand::edit(const OpenHandle& h, Ornament next, const char* how) {
  const QString name = kindWord(next.kind);
  const std::string key = how + next.id + h.name.toStdString();
  session_.edit(QObject::tr("%1 of %2").arg(h.word, name), withOrnamentReplaced(session_.song(), std::move(next)), key);
}

bool OpenHand::walk(int step, const OpenCanvas& c) {
  const auto all = handles(c);
  if (all.empty()) return false;
  const OpenHandle* now = handleNamed(all, walked_);
  const auto n = static_cast<std::ptrdiff_t>(all.size());
  const std::ptrdiff_t from = now ? now - all.data() : step > 0 ? -1 : n;
  return walkTo(all[static_cast<std::size_t>(((from + step) % n + n) % n)].name, c);
}

bool OpenHand::walkTo(const QString& name, const OpenCanvas& c) {
  const auto all = handles(c);
  const OpenHandle* found = handleNamed(all, name);
  if (!found) return false;
  const OpenHandle& h = *found;
  walked_ = h.name;
  inCells_ = h.stepCell != nullptr;
  if (inCells_) cell_ = std::clamp(cell_, h.firstCell, std::max(h.firstCell, h.endCell - 1));
  return true;
}

bool OpenHand::arrow(int right, int up, Beats grid, const OpenCanvas& c) {
  const auto all = handles(c);
  const OpenHandle* h = handleNamed(all, walked_);
  if (!h) return false;
  if (h->stepCell && right != 0) {
    cell_ = std::clamp(cell_ + right, h->firstCell, std::max(h->firstCell, h->endCell - 1));
    return true;
  }
  auto next = h->stepCell ? h->stepCell(c, cell_, up) : stepped(*h, c, right, up, grid);
  if (!next) return false;
  edit(*h, std::move(*next), "walk-");
  return true;
}

bool OpenHand::wheel(QPointF at, int up, const OpenCanvas& c) {
  const auto all = handles(c);
  const OpenHandle* h = handleAt(all, at);
  if (!h || !h->wheel) return false;
  if (up == 0) return true;
  if (auto next = h->wheel(c, at, up)) edit(*h, std::move(*next), "wheel-");
  return true;
}

QString OpenHand::said(const OpenCanvas& c) const {
  const auto all = handles(c);
  const OpenHandle* h = handleNamed(all, walked_);
  if (!h) return {};
  return h->label.isEmpty() || h->label == h->word ? h->word : QObject::tr("%1: %2").arg(h->word, h->label);
}

} // namespace ivrin::app

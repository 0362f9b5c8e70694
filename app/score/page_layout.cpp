#include "app/score/page_layout.h"

#include "app/theme/type.h"

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kMargin = 112, kRightMargin = 14, kRuler = 42;
constexpr int kDrawingLeast = 96, kThinnestStaff = 18, kRowsBeside = 6; // beside an open row
constexpr int kOpenHeight = 372, kOpenMost = 540, kFoldedLeast = 24, kFoldedMost = 44, kRowLeast = 34, kRowMost = 150;

} // namespace

int Page::marginWidth() {
  return scaled(kMargin);
}
int Page::rulerHeight() {
  return scaled(kRuler);
}

int Page::bottom() const {
  return rows.empty() ? rulerHeight() : std::min(height(), rows.back().y + rows.back().height);
}

QRect Page::staves() const {
  return {marginWidth(), rulerHeight(), width() - marginWidth(), height() - rulerHeight()};
}

const RowBox* Page::row(const std::string& id) const {
  const auto it = std::find_if(rows.begin(), rows.end(), [&](const RowBox& r) { return r.id == id; });
  return it == rows.end() ? nullptr : &*it;
}

QRect Page::staffOf(const std::string& id) const {
  const RowBox* r = row(id);
  return r ? QRect(marginWidth(), r->staffTop, std::max(100, width() - marginWidth() - scaled(kRightMargin)),
                   r->staffHeight)
           : QRect();
}

QRect Page::staffOf(const std::vector<std::string>& wanted) const {
  QRect all;
  for (const std::string& r : wanted) all = all.united(staffOf(r));
  return all;
}

QRect Page::openArea() const {
  for (const RowBox& r : rows)
    if (r.open) return staffOf(r.id);
  return {};
}

const RowBox* Page::rowAt(int y) const {
  for (const RowBox& r : rows)
    if (y >= r.y && y < r.y + r.height && y >= rulerHeight()) return &r;
  return nullptr;
}

std::vector<std::string> Page::between(const std::string& a, const std::string& b) const {
  std::vector<std::string> all;
  bool inside = false;
  for (const RowBox& r : rows) {
    const bool edge = r.id == a || r.id == b;
    if (edge || inside) all.push_back(r.id);
    if (edge && a != b) inside = !inside;
  }
  std::erase(all, a);
  return all;
}

int Page::scrollTo(const std::string& id) const {
  const RowBox* r = row(id);
  if (!r) return scrollY;
  const int over = r->y - rulerHeight(), under = r->y + r->height - height();
  if (over >= 0 && under <= 0) return scrollY;
  return scrollY + (over < 0 ? over : std::min(under, over)); // one too high for the window shows its top
}

std::optional<RowDrop> rowDropAt(const Page& page, int y, const std::set<std::string>& buses) {
  if (y < Page::rulerHeight()) return std::nullopt;
  for (std::size_t i = 0; i < page.rows.size(); ++i) {
    const RowBox& r = page.rows[i];
    if (y >= r.y + r.height && i + 1 < page.rows.size()) continue;
    const int from = y - r.y;
    if (buses.contains(r.id) && from > r.height / 4 && from < r.height * 3 / 4)
      return RowDrop{r.id, true, r.y, r.height};
    // The mix is the last row, whatever comes.
    const bool after = from >= r.height / 2 && i + 1 < page.rows.size();
    return RowDrop{page.rows[after ? i + 1 : i].id, false, after ? page.rows[i + 1].y : r.y, 0};
  }
  return std::nullopt;
}

Page layOutPage(const PageSpec& spec) {
  Page page{spec.size, {}, 0, 0};
  const int n = static_cast<int>(spec.rows.size());
  if (n == 0) return page;
  const int room = page.height() - Page::rulerHeight();
  const auto& open = spec.open;
  // The open row takes what the others leave, but never less than its numbers and a drawing that can be handled. A few
  // of the others stay beside it; what there is no room for is scrolled to.
  const int openLeast = open ? open->titleHeight + open->panelHeight + scaled(kDrawingLeast) : 0;
  const int openMost = room - std::min(n - 1, kRowsBeside) * scaled(kThinnestStaff);
  const int wanted = std::max(scaled(kOpenHeight), room - (n - 1) * scaled(kFoldedMost));
  const int openHeight = open ? std::max(openLeast, std::min({wanted, openMost, scaled(kOpenMost)})) : 0;
  // Beside an open row all are folded; else the folded ones are thin and the others share what is left.
  const auto isFolded = [&](const std::string& id) { return spec.folded.contains(id); };
  const int folds = static_cast<int>(open ? n - 1 : std::count_if(spec.rows.begin(), spec.rows.end(), isFolded));
  const int whole = open ? 0 : n - folds;
  const int thin =
      open ? std::clamp((room - openHeight) / std::max(1, folds), scaled(kThinnestStaff), scaled(kFoldedMost))
           : std::clamp(room / n, scaled(kFoldedLeast), scaled(30));
  const int each = whole == 0 ? 0 : std::clamp((room - folds * thin) / whole, scaled(kRowLeast), scaled(kRowMost));
  page.contentHeight = openHeight + folds * thin + each * whole;
  page.scrollY = std::clamp(spec.scrollY, 0, std::max(0, page.contentHeight - room));
  int y = Page::rulerHeight() - page.scrollY;
  for (const std::string& id : spec.rows) {
    RowBox r{id, y, 0, open && id == open->row, false, 0, 0};
    r.thin = open ? !r.open : isFolded(id);
    r.height = r.open ? openHeight : r.thin ? thin : each;
    const int pad = std::max(2, r.height / 9);
    r.staffTop = r.open ? y + open->titleHeight : y + pad;
    r.staffHeight = r.open ? openHeight - open->titleHeight - open->panelHeight : r.height - 2 * pad;
    y += r.height;
    page.rows.push_back(std::move(r));
  }
  return page;
}

} // namespace ivrin::app

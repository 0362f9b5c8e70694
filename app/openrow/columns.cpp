#include "app/openrow/columns.h"

#include "app/openrow/number_field.h"
#include "app/theme/type.h"

#include <algorithm>
#include <numeric>

namespace ivrin::app {

void layInColumns(const std::vector<InColumn>& fields, const QRect& line, int each) {
  const int gap = scaled(4), end = line.right() + 1;
  std::vector<int> widths;
  for (const InColumn& f : fields) widths.push_back(std::max(each - gap, f.field->wantedWidth()));
  int room = line.width() - gap * static_cast<int>(fields.size());
  for (const InColumn& f : fields) room -= f.before;
  int over = std::accumulate(widths.begin(), widths.end(), 0) - room;
  for (std::size_t i = fields.size(); over > 0 && i-- > 0;) { // first what no words need, from the right
    const int spare = std::clamp(widths[i] - fields[i].field->wantedWidth(), 0, over);
    widths[i] -= spare;
    over -= spare;
  }
  for (; !widths.empty() && over > 0; --over) {
    const auto widest = std::max_element(widths.begin(), widths.end());
    if (*widest <= scaled(24)) break;
    --*widest;
  }
  std::vector<int> at(fields.size());
  int x = line.left();
  for (std::size_t i = 0; i < fields.size(); ++i) { // on its column, or behind the one before
    at[i] = std::max(x + fields[i].before, line.left() + static_cast<int>(fields[i].column) * each);
    x = at[i] + widths[i] + gap;
  }
  int limit = end;
  for (std::size_t i = fields.size(); i-- > 0;) { // what would pass the end moves back
    at[i] = std::min(at[i], limit - widths[i]);
    limit = at[i] - gap - fields[i].before;
    fields[i].field->setGeometry(at[i], line.top(), widths[i], line.height());
  }
}

} // namespace ivrin::app

// How number fields stand in a line: on columns, each as wide as its words need.
#pragma once

#include <QRect>

#include <vector>

namespace ivrin::app {

class NumberField;

struct InColumn {
  NumberField* field;
  std::size_t column;
  int before = 0; // pixels kept free for a word
};

/// From `line`'s left on columns of `each` pixels, in their order. A field whose label or value needs more takes it
/// from the room to its right; only where the whole line is too short, the longest are cut.
void layInColumns(const std::vector<InColumn>& fields, const QRect& line, int each);

} // namespace ivrin::app

// Edits by chance, one after the other, through a document as the window has it.
#pragma once

#include <cstdint>
#include <string>

namespace ivrin::test {

struct RandomEdits {
  int taken = 0, refused = 0;
  std::string wrong; // what did not hold, at which edit; mostly empty
};

/// After every edit the song reads back equal from its text; what was refused changed nothing, and could in truth not
/// be read. Every hundredth time all is undone and done again.
RandomEdits randomEdits(std::uint64_t seed, int count);

} // namespace ivrin::test

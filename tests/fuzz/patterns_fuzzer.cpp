// Coverage-guided fuzzing of reading a pattern (libFuzzer): whatever the bytes, it is one or an error, and one that is
// written is read again as it was.
#include "fuzz.h"
#include "patterns/pattern_book.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace ivrin;
  using namespace ivrin::fuzz;
  Problems problems;
  const auto pattern = parsePattern(textOf(data, size), problems);
  must(pattern.has_value() != problems.hasErrors());
  if (!pattern) return 0;
  Problems again;
  const auto back = parsePattern(patternText(*pattern), again);
  must(back && *back == *pattern);
  return 0;
}

// Coverage-guided fuzzing of reading a starting point (libFuzzer): whatever the bytes, it is one or an error, and one
// that is written is read again as it was.
#include "finish/starting_points.h"
#include "fuzz.h"
#include "ornaments/kind.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace ivrin;
  using namespace ivrin::fuzz;
  static const Registry registry = allKinds().registry();
  Problems problems;
  const auto point = readStartingPoint(textOf(data, size), registry, problems);
  must(point.has_value() != problems.hasErrors());
  if (!point) return 0;
  Problems again;
  const auto back = readStartingPoint(writeStartingPoint(*point), registry, again);
  must(back && *back == *point);
  return 0;
}

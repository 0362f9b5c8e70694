// Coverage-guided fuzzing of reading a recipe (libFuzzer): whatever the bytes, it is one or an error, and one that is
// written is read again as it was.
#include "fuzz.h"
#include "manners/recipe.h"
#include "ornaments/kind.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace ivrin;
  using namespace ivrin::fuzz;
  static const Registry registry = allKinds().registry();
  Problems problems;
  const auto recipe = readRecipe(textOf(data, size), registry, problems);
  must(recipe.has_value() != problems.hasErrors());
  if (!recipe) return 0;
  Problems again;
  const auto back = readRecipe(writeRecipe(*recipe), registry, again);
  must(back && *back == *recipe);
  return 0;
}

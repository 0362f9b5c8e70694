// Coverage-guided fuzzing of reading tags (libFuzzer): whatever the bytes, what is read makes sense, within 64 MiB.
#include "fuzz.h"
#include "import/tags.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace ivrin;
  using namespace ivrin::fuzz;
  const InMemory file(textOf(data, size));
  const Tags tags = tagsOf(file.path());
  must(tags.title.size() <= 1000 && isUtf8(tags.title));
  must(!tags.bpm || (*tags.bpm >= 20 && *tags.bpm <= 400));
  return 0;
}

// Coverage-guided fuzzing of bringing in audio (libFuzzer): whatever the bytes, the reader refuses them with one error
// that has its place, or gives as many samples as it says at most.
#include "audio/audio_reader.h"
#include "fuzz.h"
#include "import/tags.h"

#include <vector>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace ivrin;
  using namespace ivrin::fuzz;
  const InMemory file(textOf(data, size));
  for (const int rate : {48000, 44100}) { // one of them converts
    Problems problems;
    const auto reader = AudioReader::open(file.path(), rate, "stems[0].file", problems);
    if (!reader) {
      must(problems.list.size() == 1 && problems.list[0].place == "stems[0].file");
      continue;
    }
    must(problems.list.empty() && (reader->info().channels == 1 || reader->info().channels == 2));
    constexpr std::int64_t kBlock = 32768, kMost = 1 << 21; // what a header promises more is not waited for
    std::vector<float> left(kBlock), right(kBlock);
    std::int64_t all = 0;
    while (all < kMost) {
      const std::int64_t n = reader->read(left.data(), right.data(), kBlock);
      must(n >= 0 && n <= kBlock);
      if (n == 0) break;
      all += n;
      silenceBroken(left.data(), n);
      for (std::int64_t i = 0; i < n; ++i) must(left[static_cast<std::size_t>(i)] <= kLargestSample);
    }
    must(all <= reader->frames());
  }
  const Tags tags = tagsOf(file.path());
  must(tags.title.size() <= 1000 && (!tags.bpm || (*tags.bpm >= 20 && *tags.bpm <= 400)));
  return 0;
}

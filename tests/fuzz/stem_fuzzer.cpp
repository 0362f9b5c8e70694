// Coverage-guided fuzzing of a stem's copy in the cache (libFuzzer): whatever the bytes, it is not opened, or all that
// it says it has can be read. Checksums are made right first, or nothing would come further than them.
#include "audio/stem_file.h"
#include "fuzz.h"

#include <algorithm>
#include <cstring>
#include <xxhash.h>

namespace {

constexpr std::size_t kTableCheckAt = 96, kCheckAt = 104;
constexpr std::int64_t kPage = 4096, kBlock = 1 << 20;

/// As stem_file.cpp has it: frames, planes and peaks of the header, then its checksums made right where they can be.
void seal(std::string& bytes) {
  std::int64_t planeBytes = 0, peaks[ivrin::PeakPyramid::kLevels];
  std::int32_t channels = 0;
  std::memcpy(bytes.data(), "IVSTEM3\n", 8);
  std::memcpy(&channels, bytes.data() + 8, sizeof channels);
  std::memcpy(&planeBytes, bytes.data() + 40, sizeof planeBytes);
  std::memcpy(peaks, bytes.data() + 48, sizeof peaks);
  std::int64_t checked = 0, blocks = 0, allPeaks = 0;
  const auto most = static_cast<std::int64_t>(bytes.size());
  const auto add = [&](std::int64_t n) {
    checked = n < 0 || n > most || checked < 0 ? -1 : checked + n;
    if (checked >= 0) blocks += (n + kBlock - 1) / kBlock;
  };
  for (std::int32_t c = 0; c < std::min(channels, 2); ++c) add(planeBytes);
  for (const std::int64_t n : peaks)
    allPeaks = n < 0 || n > most || allPeaks < 0 ? -1 : allPeaks + n * static_cast<std::int64_t>(sizeof(ivrin::Peak));
  add(allPeaks);
  if (checked >= 0 && kPage + checked + 8 * blocks <= most) {
    const std::uint64_t table = XXH3_64bits(bytes.data() + kPage + checked, static_cast<std::size_t>(8 * blocks));
    std::memcpy(bytes.data() + kTableCheckAt, &table, sizeof table);
  }
  const std::uint64_t check = XXH3_64bits(bytes.data(), kCheckAt);
  std::memcpy(bytes.data() + kCheckAt, &check, sizeof check);
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace ivrin;
  using namespace ivrin::fuzz;
  if (size < 1) return 0;
  std::string bytes(textOf(data + 1, size - 1));
  bytes.resize(std::max<std::size_t>(bytes.size(), 4096 + 4096 * (data[0] & 7u)), '\0');
  seal(bytes);
  const InMemory file(bytes);
  std::string why;
  std::int32_t rate = 0; // its own: another one is refused before all else
  std::memcpy(&rate, bytes.data() + 12, sizeof rate);
  const auto audio = StemFile::open(file.fd(), rate, "digest", why);
  if (!audio) return 0;
  must(audio->frames() > 0 && (audio->channels() == 1 || audio->channels() == 2));
  volatile float sum = 0;
  for (const float* side : {audio->left(), audio->right()})
    for (std::int64_t i = 0; i < audio->frames(); i += 64) sum = sum + side[i];
  for (const auto& level : audio->peaks().levels)
    for (const Peak& p : level) sum = sum + p.low + p.high;
  audio->peaks().over(0, audio->frames());
  must(!audio->damaged());
  audio->verify();
  return 0;
}

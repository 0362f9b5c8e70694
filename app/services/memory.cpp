#include "services/memory.h"

#include <cstdlib>
#include <fstream>
#include <string>
#ifdef __GLIBC__
#include <malloc.h>
#endif

namespace ivrin {

void keepMemoryTidy() {
#ifdef __GLIBC__
  ::mallopt(M_MMAP_THRESHOLD, 1 << 20); // set, it no longer grows with what is freed
  ::mallopt(M_TRIM_THRESHOLD, 4 << 20);
  ::mallopt(M_ARENA_MAX, 4);
#endif
}

void giveMemoryBack() {
#ifdef __GLIBC__
  ::malloc_trim(0);
#endif
}

std::int64_t privateMemory() {
  std::ifstream status("/proc/self/status");
  for (std::string word; status >> word;)
    if (word == "RssAnon:") {
      std::int64_t kib = 0;
      status >> kib;
      return kib << 10;
    }
  return 0;
}

} // namespace ivrin

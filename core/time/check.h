// Assertions of the numbered invariants that files state at their head. They run in debug and sanitizer builds.
#pragma once

#ifdef IVRIN_CHECKS
#include <cstdio>
#include <cstdlib>
/// IVRIN_CHECK(2, ready <= end): ends the process, naming the file and the number of the invariant.
#define IVRIN_CHECK(number, ...)                                                                                       \
  do {                                                                                                                 \
    if (!(__VA_ARGS__)) {                                                                                              \
      std::fprintf(stderr, "%s:%d: invariant %d does not hold: %s\n", __FILE__, __LINE__, number, #__VA_ARGS__);       \
      std::abort();                                                                                                    \
    }                                                                                                                  \
  } while (false)
#else
#define IVRIN_CHECK(number, ...) static_cast<void>(0)
#endif

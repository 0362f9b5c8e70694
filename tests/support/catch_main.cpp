#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

/// Only here is the session's class complete.
int runCatch(int argc, char** argv) {
  return Catch::Session().run(argc, argv);
}

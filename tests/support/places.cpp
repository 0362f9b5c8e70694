#include "test_support/places.h"

namespace ivrin::test {

#ifdef IVRIN_CHECKS
const bool kSanitized = true;
#else
const bool kSanitized = false;
#endif

std::filesystem::path sourceFolder() {
  return IVRIN_SOURCE_DIR;
}

std::string cliProgram() {
  return IVRIN_BIN_DIR "/ivrin-cli";
}

} // namespace ivrin::test

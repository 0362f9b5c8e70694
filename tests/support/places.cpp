#include "test_support/places.h"

namespace ivrin::test {

std::filesystem::path sourceFolder() {
  return IVRIN_SOURCE_DIR;
}

std::string cliProgram() {
  return IVRIN_BIN_DIR "/ivrin-cli";
}

} // namespace ivrin::test

// Where the project and its programs lie on the machine that runs the tests.
#pragma once

#include <filesystem>
#include <string>

namespace ivrin::test {

std::filesystem::path sourceFolder();
std::string cliProgram();

} // namespace ivrin::test

// Where the project and its programs lie on the machine that runs the tests, and which build of them this is.
#pragma once

#include <filesystem>
#include <string>

namespace ivrin::test {

std::filesystem::path sourceFolder();
std::string cliProgram();
/// The program that is tested is a build with a sanitizer.
extern const bool kSanitized;

} // namespace ivrin::test

// Things of the user's own that lie in a folder as JSON files, one each, named after what they are called.
#pragma once

#include "song/problem.h"

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

/// Every .json file of a folder, in the order of their names, up to 1 MiB each; what cannot be read is an error that
/// names the file, and so is what is beyond 500 files or 4 MiB in all. `read` gets the text and says what is wrong with
/// it. A folder that is not there holds nothing.
void eachNamedFile(const std::filesystem::path& folder, Problems& problems,
                   const std::function<void(const std::string& text, Problems& own)>& read);
/// Writes FOLDER/NAME.json, the folder made if need be; one of the same name is replaced. False, with `why`.
bool keepNamedFile(const std::filesystem::path& folder, const std::string& name, const std::string& text,
                   std::string& why);

} // namespace ivrin

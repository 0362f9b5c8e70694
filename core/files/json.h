// JSON text ↔ Value. Reading is strict: no doubled keys, no depth over 64, no trailing text.
#pragma once

#include "song/problem.h"
#include "song/value.h"

#include <optional>
#include <string_view>

namespace ivrin {

/// Nothing, and one problem with line and column appended, if the text is not strict JSON.
std::optional<Value> parseJson(std::string_view text, Problems& problems);
/// Two-space indentation; what fits into 100 columns stays on one line. Ends with a line feed.
std::string prettyJson(const Value& v);

} // namespace ivrin

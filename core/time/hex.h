// Numbers in hexadecimal, as digests and escapes are written.
#pragma once

#include <cstdint>
#include <string>

namespace ivrin {

/// The last `digits` of them, small letters.
inline std::string hexText(std::uint64_t value, int digits = 16) {
  std::string text(static_cast<std::size_t>(digits), '0');
  for (auto at = text.rbegin(); at != text.rend(); ++at, value >>= 4) *at = "0123456789abcdef"[value & 15];
  return text;
}

} // namespace ivrin

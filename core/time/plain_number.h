// Numbers as text with a point, whatever the locale: what files hold, and what is read of what people type.
#pragma once

#include <charconv>
#include <cmath>
#include <string>
#include <string_view>

namespace ivrin {

/// `digits` after the point: "2.50".
inline std::string fixedNumber(double d, int digits) {
  char text[400];
  const auto end = std::to_chars(text, text + sizeof text, d, std::chars_format::fixed, digits).ptr;
  return {text, end};
}

/// `digits` in all, as printf's %g has it: "0.333333", "1e+20".
inline std::string roundNumber(double d, int digits) {
  char text[64];
  const auto end = std::to_chars(text, text + sizeof text, d, std::chars_format::general, digits).ptr;
  return {text, end};
}

/// The number that `text` begins with, and what follows it; nothing read: `rest` is all of it.
struct NumberRead {
  double value = 0;
  std::string_view rest;
};
inline NumberRead readNumber(std::string_view text) {
  NumberRead r{0, text};
  std::string_view s = text;
  if (s.starts_with('+') && s.size() > 1 && s[1] != '-') s.remove_prefix(1);
  double d = 0;
  const auto [end, error] = std::from_chars(s.data(), s.data() + s.size(), d);
  if (error != std::errc() || !std::isfinite(d)) return r;
  return {d, s.substr(static_cast<std::size_t>(end - s.data()))};
}

} // namespace ivrin

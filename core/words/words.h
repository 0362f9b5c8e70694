// What the core says in words, each a whole sentence or a whole name with places for what changes: so that a program
// can give them in another language. The core itself speaks English and knows no catalogue.
//
// Two ways to a reader. What is composed (a refusal, a range, a note) is said with `worded`, here. What stands in
// tables (labels, meanings, choices) stays as it is written there, and whoever shows it asks for `worded` of it.
#pragma once

#include <exception>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

namespace ivrin {

/// Gives a text in the reader's language, or as it is. Asked from any thread.
using Translator = std::string (*)(std::string_view english);
/// Once, before anything is said; nothing: English.
void setTranslator(Translator t);

namespace wording {
std::string filled(std::string_view english, const std::vector<std::string>& parts);

template <class T> std::string part(const T& value) {
  if constexpr (std::is_arithmetic_v<T>)
    return std::to_string(value);
  else
    return std::string(value);
}
} // namespace wording

/// `english` in the reader's language, its places %1 … %9 filled with the parts in their order; a whole number is
/// written as it is, everything else comes as text. A part's own "%1" is left alone.
template <class... Parts> std::string worded(std::string_view english, const Parts&... parts) {
  static_assert(sizeof...(Parts) <= 9);
  return wording::filled(english, {wording::part(parts)...});
}

/// What an exception says to a reader.
std::string inWords(const std::exception& e);

} // namespace ivrin

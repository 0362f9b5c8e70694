#include "import/tags.h"

#include "import/tag_fields.h"
#include "time/plain_number.h"

#include <algorithm>
#include <cctype>

namespace ivrin {
namespace {

constexpr std::size_t kLongestTitle = 1000;

bool takes(std::string_view& text, std::string_view word) {
  if (!text.starts_with(word)) return false;
  text.remove_prefix(word.size());
  return true;
}

} // namespace

std::optional<Key> readKey(std::string_view text) {
  std::string plain;
  for (const char c : text.substr(0, 40))
    if (c != ' ' && c != '-') plain += c;
  if (plain.empty()) return std::nullopt;
  // The note, its accidental, then the mode.
  constexpr std::string_view kLetters = "CDEFGAB";
  constexpr int kNotes[] = {0, 2, 4, 5, 7, 9, 11};
  const auto letter = kLetters.find(static_cast<char>(std::toupper(static_cast<unsigned char>(plain.front()))));
  if (letter == std::string_view::npos) return std::nullopt;
  int note = kNotes[letter];
  std::string_view rest = std::string_view(plain).substr(1);
  if (takes(rest, "#") || takes(rest, "♯"))
    note += 1;
  else if (takes(rest, "b") || takes(rest, "♭"))
    note += 11;
  std::string mode(rest);
  if (mode != "M") // a capital alone says major
    for (char& c : mode) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  if (mode.empty() || mode == "M" || mode == "maj" || mode == "major") return Key{note % 12, false};
  if (mode == "m" || mode == "min" || mode == "minor") return Key{note % 12, true};
  return std::nullopt;
}

Tags tagsOf(const std::filesystem::path& file) {
  const TagFields said = tagFieldsOf(file);
  Tags tags;
  tags.title = said.title.substr(0, kLongestTitle);
  if (!isUtf8(tags.title)) tags.title.clear(); // cut within a character
  const NumberRead bpm = readNumber(said.bpm);
  if (bpm.rest.empty() && bpm.value >= 20 && bpm.value <= 400) tags.bpm = bpm.value;
  tags.key = readKey(said.key);
  return tags;
}

} // namespace ivrin

#include "song/row_role.h"

#include <algorithm>
#include <cctype>

namespace ivrin {
namespace {

struct WordOfRole {
  std::string_view word;
  RowRole role;
};
// Whole words of a name; longer ones are found inside others too ("backingvocals"). The earlier ones say more.
constexpr WordOfRole kWords[] = {
    {"riser", RowRole::effects},      {"impact", RowRole::effects},   {"sweep", RowRole::effects},
    {"downlifter", RowRole::effects}, {"uplifter", RowRole::effects}, {"sfx", RowRole::effects},
    {"fx", RowRole::effects},         {"whoosh", RowRole::effects},   {"transition", RowRole::effects},
    {"vocal", RowRole::voice},        {"vocals", RowRole::voice},     {"vox", RowRole::voice},
    {"voice", RowRole::voice},        {"voices", RowRole::voice},     {"vocoder", RowRole::voice},
    {"bv", RowRole::voice},           {"bvs", RowRole::voice},        {"bgv", RowRole::voice},
    {"bgvs", RowRole::voice},         {"choir", RowRole::voice},      {"singer", RowRole::voice},
    {"adlib", RowRole::voice},        {"adlibs", RowRole::voice},     {"rap", RowRole::voice},
    {"harmonies", RowRole::voice},    {"chorus vox", RowRole::voice}, {"drum", RowRole::drums},
    {"drums", RowRole::drums},        {"kick", RowRole::drums},       {"kik", RowRole::drums},
    {"bd", RowRole::drums},           {"snare", RowRole::drums},      {"snr", RowRole::drums},
    {"sd", RowRole::drums},           {"hat", RowRole::drums},        {"hats", RowRole::drums},
    {"hihat", RowRole::drums},        {"hh", RowRole::drums},         {"tom", RowRole::drums},
    {"toms", RowRole::drums},         {"cymbal", RowRole::drums},     {"cymbals", RowRole::drums},
    {"crash", RowRole::drums},        {"ride", RowRole::drums},       {"perc", RowRole::drums},
    {"percussion", RowRole::drums},   {"percs", RowRole::drums},      {"shaker", RowRole::drums},
    {"tambourine", RowRole::drums},   {"tamb", RowRole::drums},       {"clap", RowRole::drums},
    {"claps", RowRole::drums},        {"conga", RowRole::drums},      {"congas", RowRole::drums},
    {"bongo", RowRole::drums},        {"bongos", RowRole::drums},     {"overhead", RowRole::drums},
    {"overheads", RowRole::drums},    {"oh", RowRole::drums},         {"rim", RowRole::drums},
    {"beat", RowRole::drums},         {"loop", RowRole::drums},       {"cajon", RowRole::drums},
    {"bass", RowRole::bass},          {"sub", RowRole::bass},         {"808", RowRole::bass},
    {"bassline", RowRole::bass},      {"atmo", RowRole::texture},     {"atmos", RowRole::texture},
    {"ambience", RowRole::texture},   {"ambient", RowRole::texture},  {"texture", RowRole::texture},
    {"drone", RowRole::texture},      {"noise", RowRole::texture},    {"foley", RowRole::texture},
    {"vinyl", RowRole::texture},      {"field", RowRole::texture},    {"soundscape", RowRole::texture},
    {"guitar", RowRole::harmony},     {"guitars", RowRole::harmony},  {"gtr", RowRole::harmony},
    {"gtrs", RowRole::harmony},       {"gt", RowRole::harmony},       {"keys", RowRole::harmony},
    {"piano", RowRole::harmony},      {"pno", RowRole::harmony},      {"organ", RowRole::harmony},
    {"rhodes", RowRole::harmony},     {"wurli", RowRole::harmony},    {"synth", RowRole::harmony},
    {"synths", RowRole::harmony},     {"pad", RowRole::harmony},      {"pads", RowRole::harmony},
    {"strings", RowRole::harmony},    {"violin", RowRole::harmony},   {"viola", RowRole::harmony},
    {"cello", RowRole::harmony},      {"brass", RowRole::harmony},    {"horn", RowRole::harmony},
    {"horns", RowRole::harmony},      {"trumpet", RowRole::harmony},  {"sax", RowRole::harmony},
    {"flute", RowRole::harmony},      {"arp", RowRole::harmony},      {"chords", RowRole::harmony},
    {"pluck", RowRole::harmony},      {"lead", RowRole::harmony},     {"harp", RowRole::harmony},
    {"bells", RowRole::harmony},      {"marimba", RowRole::harmony},  {"banjo", RowRole::harmony},
    {"mandolin", RowRole::harmony},   {"ukulele", RowRole::harmony},  {"accordion", RowRole::harmony},
};
constexpr std::size_t kInsideOthers = 5; // letters of a word that is found inside another

bool isLetter(char c) {
  return std::isalnum(static_cast<unsigned char>(c)) != 0 || static_cast<unsigned char>(c) >= 0x80;
}

/// In small letters, what is no letter or digit as one space.
std::string asWordList(std::string_view name) {
  std::string words = " ";
  char former = ' ';
  for (const char c : name) {
    if (!isLetter(c)) {
      if (words.back() != ' ') words += ' ';
    } else {
      // "LeadVox" is two words, and so is "Kick2"; "808" is one.
      const bool upper =
                     std::isupper(static_cast<unsigned char>(c)) && std::islower(static_cast<unsigned char>(former)),
                 digit =
                     std::isdigit(static_cast<unsigned char>(c)) && std::isalpha(static_cast<unsigned char>(former));
      if ((upper || digit) && words.back() != ' ') words += ' ';
      words += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    }
    former = c;
  }
  if (words.back() != ' ') words += ' ';
  return words;
}

/// How much of it can go from the front (or the back) of all names: up to a place between words.
std::size_t commonPart(const std::vector<std::string>& names, bool fromBack) {
  const auto at = [&](const std::string& s, std::size_t i) { return fromBack ? s[s.size() - 1 - i] : s[i]; };
  std::size_t same = names.front().size();
  for (const std::string& n : names) {
    std::size_t i = 0;
    while (i < std::min(same, n.size()) && at(n, i) == at(names.front(), i)) ++i;
    same = i;
  }
  // Whole words, and something is left of each name.
  for (std::size_t i = same; i > 0; --i) {
    bool ends = true;
    for (const std::string& n : names) {
      if (i >= n.size()) {
        ends = false;
        break;
      }
      const char last = at(n, i - 1), next = at(n, i);
      // The cut lies behind what separates: no letter before it, or after it.
      ends = ends && (!isLetter(last) || !isLetter(next));
      std::size_t letters = 0;
      for (std::size_t k = i; k < n.size(); ++k) letters += isLetter(at(n, k));
      ends = ends && letters > 0;
    }
    if (ends) return i;
  }
  return 0;
}

std::string withoutEnds(std::string s) {
  const auto loose = [](char c) { return c == ' ' || c == '-' || c == '.' || c == '_'; };
  while (!s.empty() && loose(s.back())) s.pop_back();
  std::size_t i = 0;
  while (i < s.size() && loose(s[i])) ++i;
  return s.substr(i);
}

} // namespace

const char* roleWord(RowRole role) {
  switch (role) {
  case RowRole::voice:
    return "voice";
  case RowRole::harmony:
    return "harmony";
  case RowRole::texture:
    return "texture";
  case RowRole::effects:
    return "effects";
  case RowRole::bass:
    return "bass";
  case RowRole::drums:
    return "drums";
  }
  return "";
}

std::optional<RowRole> roleOfWord(std::string_view word) {
  for (const RowRole r : kRowRoles)
    if (word == roleWord(r)) return r;
  return std::nullopt;
}

std::optional<RowRole> roleOfName(std::string_view name) {
  const std::string words = asWordList(name);
  for (const WordOfRole& w : kWords)
    if (words.find(" " + std::string(w.word) + " ") != std::string::npos) return w.role;
  for (const WordOfRole& w : kWords)
    if (w.word.size() >= kInsideOthers && words.find(w.word) != std::string::npos) return w.role;
  return std::nullopt;
}

std::vector<std::string> rowNames(const std::vector<std::string>& fileNames) {
  std::vector<std::string> names = fileNames;
  for (std::string& n : names) std::replace(n.begin(), n.end(), '_', ' ');
  if (names.size() > 1) {
    const std::size_t front = commonPart(names, false);
    for (std::string& n : names) n.erase(0, front);
    const std::size_t back = commonPart(names, true);
    for (std::string& n : names) n.erase(n.size() - back);
  }
  // Numbers that only count the files, each with one and what separates it.
  const auto counted = [](const std::string& n) {
    std::size_t i = 0;
    while (i < n.size() && std::isdigit(static_cast<unsigned char>(n[i]))) ++i;
    std::size_t k = i;
    while (k < n.size() && !isLetter(n[k])) ++k;
    return i > 0 && i <= 2 && k > i && k < n.size() ? k : std::size_t{0};
  };
  if (names.size() > 1 && std::all_of(names.begin(), names.end(), [&](const std::string& n) { return counted(n) > 0; }))
    for (std::string& n : names) n.erase(0, counted(n));
  for (std::size_t i = 0; i < names.size(); ++i) {
    names[i] = withoutEnds(names[i]);
    if (names[i].empty()) names[i] = fileNames[i];
    names[i][0] = static_cast<char>(std::toupper(static_cast<unsigned char>(names[i][0])));
  }
  return names;
}

} // namespace ivrin

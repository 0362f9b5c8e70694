#include "patterns/pattern_book.h"

#include "files/json.h"
#include "files/named_files.h"
#include "files/safe_file.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr std::size_t kMostBytes = 1 << 20;

Pattern levels(const std::vector<double>& all) {
  Pattern p;
  for (const double level : all) p.push_back({.level = level});
  return p;
}

Pattern pitches(const std::vector<double>& all) {
  Pattern p;
  for (const double semitones : all) p.push_back({.semitones = semitones});
  return p;
}

std::vector<NamedPattern> makeShipped() {
  std::vector<NamedPattern> all;
  const auto add = [&](const char* name, Pattern p) { all.push_back({name, std::move(p)}); };
  add("every third muted", levels({1, 1, 0}));
  add("three three two", levels({1, 0.35, 0.35, 1, 0.35, 0.35, 1, 0.35}));
  add("five over sixteen", spread(levels(std::vector<double>(16, 1)), 5));
  add("seven over sixteen", spread(levels(std::vector<double>(16, 1)), 7));
  add("offbeats", levels({0, 0, 1, 0.6}));
  add("gallop", levels({1, 0, 0.7, 0.7}));
  add("crescendo over four beats",
      levels({0.1, 0.13, 0.16, 0.2, 0.25, 0.3, 0.35, 0.4, 0.46, 0.52, 0.6, 0.68, 0.76, 0.84, 0.92, 1}));
  add("fade-out over two beats", levels({1, 0.8, 0.62, 0.48, 0.36, 0.27, 0.2, 0.14}));
  add("left and right", sidesInTurn(levels({1, 1}), 0.8));
  Pattern circle;
  for (int i = 0; i < 16; ++i)
    circle.push_back({.side = std::round(100 * 0.9 * std::sin(2 * std::numbers::pi * i / 16)) / 100});
  add("slow pan left to right and back", circle);
  Pattern call = levels({1, 1, 1, 0, 0.6, 0.6, 0.6, 0});
  for (std::size_t i = 0; i < call.size(); ++i) call[i].side = i < 4 ? -0.6 : 0.6;
  add("call left, answer right", call);
  add("minor chord down", pitches({0, -5, -9, -12}));
  add("up an octave in fifths and fourths", pitches({0, 7, 12, 7}));
  Pattern back(4);
  back[1].reversed = back[3].reversed = true;
  add("back and forth", back);
  return all;
}

struct Part {
  const char* key;
  double min, max, initial;
  double PatternStep::*part;
};
constexpr Part kParts[] = {{"level", 0, 4, 1, &PatternStep::level},
                           {"side", -1, 1, 0, &PatternStep::side},
                           {"semitones", -24, 24, 0, &PatternStep::semitones}};
/// What a step may have of its own.
struct OwnPart {
  const char* key;
  double min, max;
  std::optional<double> PatternStep::*part;
};
constexpr OwnPart kOwnParts[] = {{"fade_in_percent", 0, 100, &PatternStep::in},
                                 {"fade_out_percent", 0, 100, &PatternStep::out},
                                 {"fade_in_bend", -1, 1, &PatternStep::inBend},
                                 {"fade_out_bend", -1, 1, &PatternStep::outBend}};

const Value* field(const Object& o, std::string_view key) {
  const auto it = std::find_if(o.begin(), o.end(), [&](const auto& e) { return e.first == key; });
  return it == o.end() ? nullptr : &it->second;
}

std::optional<double> numberIn(const Value& v, double min, double max, const std::string& place, Problems& problems) {
  const double* d = v.number();
  if (!d)
    problems.error(ErrorId::wrong_type, place, worded("must be a number, not %1", v.typeName()));
  else if (!(*d >= min && *d <= max))
    problems.error(
        ErrorId::out_of_range, place,
        worded("%1 is out of range, allowed is %2..%3", shortestNumber(*d), shortestNumber(min), shortestNumber(max)));
  else
    return *d;
  return std::nullopt;
}

std::optional<PatternStep> parseStep(const Value& v, const std::string& place, Problems& problems) {
  const Object* o = v.object();
  if (!o) {
    problems.error(ErrorId::wrong_type, place, worded("must be an object, not %1", v.typeName()));
    return std::nullopt;
  }
  PatternStep s;
  for (const auto& [key, value] : *o) {
    if (key == "reversed") {
      if (value.boolean())
        s.reversed = *value.boolean();
      else
        problems.error(ErrorId::wrong_type, place + ".reversed",
                       worded("must be true or false, not %1", value.typeName()));
      continue;
    }
    const std::string& name = key; // clang 14 does not capture bindings
    const auto named = [&](const auto& p) { return name == p.key; };
    const auto part = std::find_if(std::begin(kParts), std::end(kParts), named);
    const auto own = std::find_if(std::begin(kOwnParts), std::end(kOwnParts), named);
    if (part != std::end(kParts)) {
      if (const auto d = numberIn(value, part->min, part->max, place + "." + key, problems)) s.*part->part = *d;
    } else if (own != std::end(kOwnParts)) {
      s.*own->part = numberIn(value, own->min, own->max, place + "." + key, problems);
    } else {
      problems.error(ErrorId::unknown_field, place, worded("does not have a field “%1”", key));
    }
  }
  return s;
}

/// A file name made of what is safe in one; what a name says never leads elsewhere.
std::string fileNameOf(const std::string& name) {
  std::string file;
  for (const char c : name) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
    if (plain)
      file += c;
    else if (!file.empty() && file.back() != '-')
      file += '-';
  }
  while (!file.empty() && file.back() == '-') file.pop_back();
  return (file.empty() ? "pattern" : file.substr(0, 60)) + ".json";
}

std::optional<NamedPattern> readPattern(const std::filesystem::path& file, Problems& problems) {
  std::string why;
  const auto text = readWholeFile(file, kMostBytes, why);
  if (!text) {
    problems.error(ErrorId::unreadable, file.filename().string(), why);
    return std::nullopt;
  }
  Problems own;
  auto p = parsePattern(*text, own);
  for (Problem& one : own.list) {
    one.place = file.filename().string() + (one.place.empty() ? "" : ": " + one.place);
    problems.add(std::move(one));
  }
  return p;
}

} // namespace

const std::vector<NamedPattern>& shippedPatterns() {
  static const std::vector<NamedPattern> all = makeShipped();
  return all;
}

std::string patternText(const NamedPattern& p) {
  List steps;
  for (const PatternStep& s : p.steps) {
    Object o;
    for (const Part& part : kParts)
      if (s.*part.part != part.initial) o.emplace_back(part.key, s.*part.part);
    if (s.reversed) o.emplace_back("reversed", true);
    for (const OwnPart& own : kOwnParts)
      if (s.*own.part) o.emplace_back(own.key, *(s.*own.part));
    steps.emplace_back(std::move(o));
  }
  return prettyJson(Object{{"format", "ivrin-pattern"}, {"version", 1}, {"name", p.name}, {"steps", std::move(steps)}});
}

std::optional<NamedPattern> parsePattern(std::string_view text, Problems& problems) {
  const auto v = parseJson(text, problems);
  if (!v) return std::nullopt;
  const std::size_t before = problems.list.size();
  const Object* o = v->object();
  const Value* format = o ? field(*o, "format") : nullptr;
  if (!format || *format != Value("ivrin-pattern")) {
    problems.error(ErrorId::not_a_song, "", worded("is not a pattern: its \"format\" is not \"ivrin-pattern\""));
    return std::nullopt;
  }
  const Value* version = field(*o, "version");
  if (!version || *version != Value(1)) {
    problems.error(ErrorId::newer_version, "version", worded("is not 1, the version this Ivrin reads"));
    return std::nullopt;
  }
  for (const auto& [key, value] : *o)
    if (key != "format" && key != "version" && key != "name" && key != "steps")
      problems.error(ErrorId::unknown_field, "", worded("does not have a field “%1”", key));
  NamedPattern p;
  const Value* name = field(*o, "name");
  if (!name || !name->text() || name->text()->empty() || name->text()->size() > 200)
    problems.error(ErrorId::wrong_type, "name", worded("must be a name of 1 to 200 bytes"));
  else
    p.name = *name->text();
  const Value* steps = field(*o, "steps");
  if (!steps || !steps->list() || steps->list()->empty() || steps->list()->size() > kMostSteps) {
    problems.error(ErrorId::wrong_type, "steps", worded("must be a list of 1 to %1 cells", kMostSteps));
    return std::nullopt;
  }
  for (std::size_t i = 0; i < steps->list()->size(); ++i)
    if (const auto s = parseStep((*steps->list())[i], "steps[" + std::to_string(i) + "]", problems))
      p.steps.push_back(*s);
  return problems.list.size() > before ? std::nullopt : std::optional(std::move(p));
}

std::vector<NamedPattern> patternsIn(const std::filesystem::path& folder, Problems& problems) {
  std::vector<NamedPattern> all;
  eachNamedFile(folder, problems, [&](const std::string& text, Problems& own) {
    if (auto p = parsePattern(text, own)) all.push_back(std::move(*p));
  });
  std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
  return all;
}

bool keepPattern(const std::filesystem::path& folder, const NamedPattern& p, std::string& why) {
  std::error_code failed;
  std::filesystem::create_directories(folder, failed);
  // Another name may give the same file name: then a number follows.
  const std::string stem = std::filesystem::path(fileNameOf(p.name)).stem().string();
  for (int n = 1; n <= 99; ++n) {
    const auto file = folder / (n == 1 ? stem + ".json" : stem + "-" + std::to_string(n) + ".json");
    if (std::filesystem::exists(std::filesystem::symlink_status(file, failed))) {
      Problems ignored;
      const auto there = readPattern(file, ignored);
      if (!there || there->name != p.name) continue;
    }
    return replaceFile(file, patternText(p), why);
  }
  why = worded("there are too many patterns named like “%1” in %2. Use another name", p.name, folder.string());
  return false;
}

} // namespace ivrin

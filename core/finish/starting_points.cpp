#include "finish/starting_points.h"

#include "files/json.h"
#include "files/named_files.h"
#include "finish/shipped_starting_points.h"
#include "time/check.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

constexpr const char* kFormat = "ivrin-starting-point";
constexpr std::size_t kLongestPointName = 200; // bytes
constexpr std::size_t kMostProcessors = 64;

} // namespace

bool StartingPoint::suits(const std::string& kind) const {
  return kinds.empty() || std::find(kinds.begin(), kinds.end(), kind) != kinds.end();
}

std::vector<Processor> readChain(const Value& list, const std::string& place, const Registry& registry,
                                 Problems& problems) {
  std::vector<Processor> chain;
  const List* l = list.list();
  if (!l || l->size() > kMostProcessors)
    problems.error(ErrorId::wrong_type, place, worded("must be a list of up to 64 processors"));
  for (std::size_t i = 0; l && i < std::min(l->size(), kMostProcessors); ++i) {
    const std::string at = place + "[" + std::to_string(i) + "]";
    Processor one;
    if (const Object* fields = (*l)[i].object())
      for (const auto& [name, v] : *fields)
        name == "type" && v.text() ? static_cast<void>(one.type = *v.text())
                                   : static_cast<void>(one.settings[name] = v);
    if (const TableSpec* table = registry.processor(one.type))
      checkSettings(*table, one.settings, at, problems);
    else
      problems.error(ErrorId::unknown_kind, at + ".type",
                     worded("“%1” is not a finish processor that this version knows", one.type));
    chain.push_back(std::move(one));
  }
  return chain;
}

List chainList(const std::vector<Processor>& chain) {
  List list;
  for (const Processor& one : chain) {
    Object o{{"type", one.type}};
    for (const auto& [key, value] : one.settings) o.emplace_back(key, value);
    list.emplace_back(std::move(o));
  }
  return list;
}

std::optional<StartingPoint> readStartingPoint(std::string_view text, const Registry& registry, Problems& problems) {
  const std::size_t before = problems.list.size();
  const auto root = parseJson(text, problems);
  if (!root) return std::nullopt;
  const Object* o = root->object();
  if (!o) {
    problems.error(ErrorId::wrong_type, "", worded("is not an object"));
    return std::nullopt;
  }
  StartingPoint p;
  bool isOne = false;
  for (const auto& [key, value] : *o) {
    if (key == "format") {
      isOne = value == Value(kFormat);
    } else if (key == "version") {
      if (!value.number() || *value.number() != 1)
        problems.error(ErrorId::newer_version, "version",
                       worded("has a version that this Ivrin does not read (only 1)"));
    } else if (key == "name") {
      if (value.text() && !value.text()->empty() && value.text()->size() <= kLongestPointName)
        p.name = *value.text();
      else
        problems.error(ErrorId::wrong_type, "name", worded("must be text of 1 to 200 bytes"));
    } else if (key == "kinds") {
      const List* l = value.list();
      if (!l) problems.error(ErrorId::wrong_type, "kinds", worded("must be a list"));
      for (std::size_t i = 0; l && i < l->size(); ++i)
        if ((*l)[i].text() && registry.kind(*(*l)[i].text()))
          p.kinds.push_back(*(*l)[i].text());
        else
          problems.error(ErrorId::unknown_kind, "kinds[" + std::to_string(i) + "]",
                         worded("is not an ornament that this version knows"));
    } else if (key == "finish") {
      p.finish = readChain(value, "finish", registry, problems);
    } else {
      problems.error(ErrorId::unknown_field, key, worded("is not a field of a preset"));
    }
  }
  if (!isOne) problems.error(ErrorId::wrong_type, "format", worded("is not “%1”", kFormat));
  if (p.name.empty()) problems.error(ErrorId::missing_field, "name", worded("is missing"));
  for (std::size_t i = before; i < problems.list.size(); ++i)
    if (problems.list[i].isError) return std::nullopt;
  return p;
}

std::vector<StartingPoint> shippedStartingPoints(const Registry& registry) {
  std::vector<StartingPoint> all;
  for (const char* text : kShippedStartingPoints) {
    Problems wrong;
    if (auto p = readStartingPoint(text, registry, wrong)) all.push_back(std::move(*p));
    IVRIN_CHECK(1, wrong.list.empty());
  }
  return all;
}

std::string writeStartingPoint(const StartingPoint& p) {
  List kinds;
  for (const auto& k : p.kinds) kinds.emplace_back(k);
  return prettyJson(Object{{"format", kFormat},
                           {"version", 1},
                           {"name", p.name},
                           {"kinds", Value(std::move(kinds))},
                           {"finish", Value(chainList(p.finish))}});
}

std::vector<StartingPoint> startingPointsIn(const fs::path& folder, const Registry& registry, Problems& problems) {
  std::vector<StartingPoint> all;
  eachNamedFile(folder, problems, [&](const std::string& text, Problems& own) {
    if (auto p = readStartingPoint(text, registry, own)) all.push_back(std::move(*p));
  });
  return all;
}

bool keepStartingPoint(const fs::path& folder, const StartingPoint& point, std::string& why) {
  if (point.name.size() > kLongestPointName) { // it could not be read again
    why = worded("the name of a preset is too long (at most %1 bytes)", kLongestPointName);
    return false;
  }
  return keepNamedFile(folder, point.name, writeStartingPoint(point), why);
}

} // namespace ivrin

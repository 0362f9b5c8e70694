#include "finish/starting_points.h"

#include "song/json.h"
#include "song/named_files.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

constexpr const char* kFormat = "ivrin-starting-point";
constexpr std::size_t kLongestPointName = 200; // bytes
constexpr std::size_t kMostProcessors = 64;

Processor filter(Value low, Value high, double slope = 12) {
  return {"filter", {{"low_cut_hz", std::move(low)}, {"high_cut_hz", std::move(high)}, {"slope_db", slope}}};
}
Processor level(double lu) {
  return {"level", {{"offset_lu", lu}}};
}

} // namespace

bool StartingPoint::suits(const std::string& kind) const {
  return kinds.empty() || std::find(kinds.begin(), kinds.end(), kind) != kinds.end();
}

const std::vector<StartingPoint>& shippedStartingPoints() {
  static const std::vector<StartingPoint> all = {
      {"thin and narrow",
       {"delay-throw", "reverb-throw", "reverse-reverb", "treat"},
       {filter(450.0, 4200.0), {"width", {{"percent", 30.0}}}, level(-8)}},
      {"far behind",
       {},
       {filter(220.0, 3200.0),
        {"reverb", {{"character", "hall"}, {"decay_seconds", 3.5}, {"mix_percent", 65.0}}},
        level(-11)}},
      {"wide and soft",
       {},
       {filter(180.0, 7000.0),
        {"chorus", {{"rate", "2 bars"}, {"depth_percent", 35.0}, {"mix_percent", 45.0}}},
        {"width", {{"percent", 160.0}}},
        level(-7)}},
      {"broken radio",
       {},
       {filter(500.0, 2800.0, 24),
        {"dirt", {{"bits", 8.0}, {"rate_hz", 9000.0}, {"drive_percent", 45.0}}},
        {"width", {{"percent", 0.0}}},
        level(-7)}},
      {"swallowed",
       {"delay-throw", "reverb-throw", "treat"},
       {filter(Value(), Value(List{List{0.0, 9000.0}, List{4.0, 300.0}}), 24), level(-6)}},
      {"out of the dark",
       {"reverse-reverb", "reverse", "treat"},
       {filter(Value(), Value(List{List{-4.0, 400.0}, List{0.0, 14000.0, 0.4}}), 24),
        {"width", {{"percent", 140.0}}},
        level(-5)}},
      {"a third and a fifth",
       {"reverse-reverb", "reverb-throw", "delay-throw", "reverse"},
       {filter(200.0, Value()), {"harmony", {{"steps", Value(List{2.0, 4.0})}, {"level_db", -5.0}}}, level(-6)}},
      {"an octave above, an octave below",
       {"reverse-reverb", "reverb-throw", "treat"},
       {{"harmony", {{"steps", Value(List{7.0, -7.0})}, {"level_db", -8.0}, {"spread_percent", 80.0}}}, level(-6)}},
      {"from left to right",
       {},
       {filter(250.0, Value()), {"pan", {{"position", Value(List{List{0.0, -0.9}, List{4.0, 0.9}})}}}, level(-7)}},
      {"tin wall",
       {"reverb-throw", "treat", "delay-throw"},
       {filter(300.0, Value()),
        {"reverb",
         {{"character", "impulse"},
          {"impulse_file", "shipped:tin-shed"},
          {"decay_seconds", 1.0},
          {"mix_percent", 60.0}}},
        level(-6)}},
      {"pressed flat",
       {"treat", "reverse", "delay-throw"},
       {{"compressor", {{"threshold_db", -28.0}, {"ratio", 8.0}, {"attack_ms", 2.0}, {"release_ms", 90.0}}},
        {"dirt", {{"drive_percent", 30.0}}},
        level(-4)}},
      {"breathing in eighths",
       {},
       {filter(200.0, Value()),
        {"tremolo", {{"rate", "1/8"}, {"depth_percent", 75.0}, {"spread_percent", 60.0}}},
        level(-7)}},
      {"plate on a hit",
       {"treat"},
       {{"reverb", {{"character", "plate"}, {"decay_seconds", 1.2}, {"mix_percent", 30.0}}}}},
      {"out of the way", {}, {filter(200.0, 8000.0), {"duck", {{"depth_db", 9.0}}}, level(-8)}}};
  return all;
}

std::vector<Processor> readChain(const Value& list, const std::string& place, const Registry& registry,
                                 Problems& problems) {
  std::vector<Processor> chain;
  const List* l = list.list();
  if (!l || l->size() > kMostProcessors)
    problems.error(ErrorId::wrong_type, place, worded("wanted a list of up to 64 processors"));
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
                     worded("\"%1\" is not a finish processor of this version", one.type));
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
        problems.error(ErrorId::newer_version, "version", worded("this version reads version 1 only"));
    } else if (key == "name") {
      if (value.text() && !value.text()->empty() && value.text()->size() <= kLongestPointName)
        p.name = *value.text();
      else
        problems.error(ErrorId::wrong_type, "name", worded("wanted a text of 1 to 200 bytes"));
    } else if (key == "kinds") {
      const List* l = value.list();
      if (!l) problems.error(ErrorId::wrong_type, "kinds", worded("wanted a list"));
      for (std::size_t i = 0; l && i < l->size(); ++i)
        if ((*l)[i].text() && registry.kind(*(*l)[i].text()))
          p.kinds.push_back(*(*l)[i].text());
        else
          problems.error(ErrorId::unknown_kind, "kinds[" + std::to_string(i) + "]",
                         worded("is not a kind of this version"));
    } else if (key == "finish") {
      p.finish = readChain(value, "finish", registry, problems);
    } else {
      problems.error(ErrorId::unknown_field, key, worded("a starting point has no such field"));
    }
  }
  if (!isOne) problems.error(ErrorId::wrong_type, "format", worded("is not \"%1\"", kFormat));
  if (p.name.empty()) problems.error(ErrorId::missing_field, "name", worded("is missing"));
  for (std::size_t i = before; i < problems.list.size(); ++i)
    if (problems.list[i].isError) return std::nullopt;
  return p;
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
    why = worded("the name of a starting point has at most %1 bytes", kLongestPointName);
    return false;
  }
  return keepNamedFile(folder, point.name, writeStartingPoint(point), why);
}

} // namespace ivrin

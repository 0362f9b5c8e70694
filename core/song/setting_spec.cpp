#include "song/setting_spec.h"

#include "song/curve.h"
#include "time/note_value.h"

#include <algorithm>
#include <stdexcept>

namespace ivrin {
namespace {

std::string rangeText(const SettingSpec& s) {
  return shortestNumber(s.min) + ".." + shortestNumber(s.max) + (s.unit.empty() ? "" : " " + s.unit);
}

void checkNumber(const SettingSpec& s, double d, const std::string& place, Problems& problems) {
  if (!(d >= s.min && d <= s.max))
    problems.error(ErrorId::out_of_range, place, shortestNumber(d) + " is out of range, allowed is " + rangeText(s));
  else if (!s.allowed.empty() && std::find(s.allowed.begin(), s.allowed.end(), d) == s.allowed.end()) {
    std::string all;
    for (const double a : s.allowed) all += (all.empty() ? "" : ", ") + shortestNumber(a);
    problems.error(ErrorId::out_of_range, place, shortestNumber(d) + " is none of " + all);
  }
}

void checkOne(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) {
  switch (s.type) {
  case SettingType::number:
    if (const auto* t = v.text(); t && std::find(s.choices.begin(), s.choices.end(), *t) != s.choices.end()) return;
    if (const auto* d = v.number())
      checkNumber(s, *d, place, problems);
    else
      problems.error(ErrorId::wrong_type, place,
                     "is " + v.typeName() + ", wanted a number " + rangeText(s) + (s.curve ? " or a curve" : "") +
                         (s.nullable ? " or null" : ""));
    return;
  case SettingType::boolean:
    if (!v.boolean()) problems.error(ErrorId::wrong_type, place, "is " + v.typeName() + ", wanted true or false");
    return;
  case SettingType::choice: {
    std::string all;
    for (const auto& c : s.choices) all += (all.empty() ? "\"" : ", \"") + c + "\"";
    const auto* t = v.text();
    if (!t)
      problems.error(ErrorId::wrong_type, place, "is " + v.typeName() + ", wanted one of " + all);
    else if (std::find(s.choices.begin(), s.choices.end(), *t) == s.choices.end())
      problems.error(ErrorId::unknown_choice, place, "\"" + *t + "\" is not one of " + all + didYouMean(*t, s.choices));
    return;
  }
  case SettingType::text:
    if (const auto* t = v.text(); !t)
      problems.error(ErrorId::wrong_type, place, "is " + v.typeName() + ", wanted a text");
    else if (t->empty() || t->size() > 4096)
      problems.error(ErrorId::out_of_range, place, "must have 1 to 4096 bytes");
    return;
  case SettingType::bands: {
    const auto* l = v.list();
    if (!l || l->size() > 8) {
      problems.error(ErrorId::wrong_type, place, "is not a list of up to 8 bands {\"freq_hz\", \"gain_db\", \"q\"}");
      return;
    }
    for (std::size_t i = 0; i < l->size(); ++i) {
      const std::string at = place + "[" + std::to_string(i) + "]";
      const Object* o = (*l)[i].object();
      if (!o || o->size() != 3) {
        problems.error(ErrorId::wrong_type, at, "wanted {\"freq_hz\", \"gain_db\", \"q\"}");
        continue;
      }
      const std::pair<const char*, std::pair<double, double>> wanted[] = {
          {"freq_hz", {20, 20000}}, {"gain_db", {-24, 24}}, {"q", {0.1, 20}}};
      for (const auto& limit : wanted) {
        const char* key = limit.first;
        const auto& range = limit.second;
        const auto it = std::find_if(o->begin(), o->end(), [&](const auto& e) { return e.first == key; });
        SettingSpec one{key, key, "", SettingType::number, range.first, range.second, 0.0, "", ""};
        if (it == o->end())
          problems.error(ErrorId::missing_field, at, std::string("has no \"") + key + "\"");
        else
          checkOne(one, it->second, at + "." + key, problems);
      }
    }
    return;
  }
  case SettingType::time:
  case SettingType::duration:
  case SettingType::rate:
    if (const auto* d = v.number())
      checkNumber(s, *d, place, problems);
    else if (const auto* t = v.text(); !t)
      problems.error(ErrorId::wrong_type, place,
                     "is " + v.typeName() + ", wanted a note value or " +
                         (s.type == SettingType::time   ? "milliseconds"
                          : s.type == SettingType::rate ? "Hz"
                                                        : "seconds"));
    else if (const auto note = NoteValue::parse(*t); !note)
      problems.error(ErrorId::out_of_range, place,
                     "\"" + *t + "\" is not a note value (such as \"1/8\", \"1/8.\", \"1/16t\", \"2 bars\")");
    else if (note->kind == NoteValue::Kind::bars && note->number > 16)
      problems.error(ErrorId::out_of_range, place, "\"" + *t + "\" is longer than 16 bars");
    return;
  }
}

} // namespace

const SettingSpec* TableSpec::find(std::string_view wanted) const {
  const auto it = std::find_if(settings.begin(), settings.end(), [&](const auto& s) { return s.key == wanted; });
  return it == settings.end() ? nullptr : &*it;
}

static const TableSpec* findTable(const std::vector<TableSpec>& tables, std::string_view id) {
  const auto it = std::find_if(tables.begin(), tables.end(), [&](const auto& t) { return t.id == id; });
  return it == tables.end() ? nullptr : &*it;
}

const TableSpec* Registry::kind(std::string_view id) const {
  return findTable(kinds, id);
}
const TableSpec* Registry::processor(std::string_view id) const {
  return findTable(processors, id);
}

void checkSetting(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) {
  if (v.isNull() && s.nullable) return;
  if (const auto* l = v.list(); l && s.perSide) {
    if (l->size() != 2)
      problems.error(ErrorId::wrong_type, place, "a list must be [left, right]");
    else
      for (std::size_t i = 0; i < 2; ++i) checkSetting(s, (*l)[i], place + "[" + std::to_string(i) + "]", problems);
    return;
  }
  if (v.list() && s.curve) {
    const auto c = Curve::from(v);
    if (!c || c->points().size() > 1024) {
      problems.error(ErrorId::wrong_type, place, "is not a curve: wanted a list of 1 to 1024 [x, y] or [x, y, bend]");
      return;
    }
    const auto& points = c->points();
    for (std::size_t i = 0; i < points.size(); ++i) {
      const std::string at = place + "[" + std::to_string(i) + "]";
      checkNumber(s, points[i].y, at, problems);
      if (!(points[i].bend >= -1 && points[i].bend <= 1))
        problems.error(ErrorId::out_of_range, at,
                       "bend " + shortestNumber(points[i].bend) + " is out of range, allowed is -1..1");
      if (s.curveOverSpan && !(points[i].x >= 0 && points[i].x <= 1))
        problems.error(ErrorId::out_of_range, at, "x is out of range, allowed is 0..1 over the span");
      else if (!(points[i].x >= -100000 && points[i].x <= 100000))
        problems.error(ErrorId::out_of_range, at, "x is out of range, allowed is -100000..100000 beats");
      if (i > 0 && points[i].x < points[i - 1].x) problems.error(ErrorId::bad_order, at, "x must not go back");
    }
    return;
  }
  checkOne(s, v, place, problems);
}

void checkSettings(const TableSpec& table, const Settings& settings, const std::string& place, Problems& problems) {
  for (const auto& [key, value] : settings) {
    if (const auto* spec = table.find(key)) {
      checkSetting(*spec, value, place + "." + key, problems);
    } else {
      std::vector<std::string> names;
      for (const auto& s : table.settings) names.push_back(s.key);
      problems.error(ErrorId::unknown_field, place + "." + key,
                     "\"" + table.id + "\" has no such setting" + didYouMean(key, names));
    }
  }
}

const Value& settingOr(const TableSpec& table, const Settings& settings, std::string_view key) {
  if (const auto it = settings.find(std::string(key)); it != settings.end()) return it->second;
  const auto* spec = table.find(key);
  if (!spec) throw std::logic_error("no setting " + std::string(key) + " in the table of " + table.id);
  return spec->initial;
}

} // namespace ivrin

#include "song/settings/setting_spec.h"

#include "song/curve.h"
#include "song/settings/setting_text.h"
#include "song/settings/type_tools.h"
#include "words/words.h"

#include <algorithm>
#include <stdexcept>

namespace ivrin {
const SettingSpec* TableSpec::find(std::string_view wanted) const {
  const auto it = std::find_if(settings.begin(), settings.end(), [&](const auto& s) { return s.key == wanted; });
  return it == settings.end() ? nullptr : &*it;
}

const SettingSpec* TableSpec::withRole(Role role) const {
  const auto it = std::find_if(settings.begin(), settings.end(), [&](const auto& s) { return s.role == role; });
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

namespace {

void checkCurve(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) {
  const auto c = Curve::from(v);
  if (!c || c->points().size() > 1024) {
    problems.error(ErrorId::wrong_type, place, worded("is not a curve (a list of 1 to 1024 [x, y] or [x, y, bend])"));
    return;
  }
  const auto& points = c->points();
  for (std::size_t i = 0; i < points.size(); ++i) {
    const std::string at = place + "[" + std::to_string(i) + "]";
    checkNumber(s, points[i].y, at, problems);
    if (!(points[i].bend >= -1 && points[i].bend <= 1))
      problems.error(ErrorId::out_of_range, at,
                     worded("bend %1 is out of range, allowed is -1..1", shortestNumber(points[i].bend)));
    if (s.curveOverSpan && !(points[i].x >= 0 && points[i].x <= 1))
      problems.error(ErrorId::out_of_range, at, worded("x is out of range, allowed is 0..1 over the span"));
    else if (!(points[i].x >= -100000 && points[i].x <= 100000))
      problems.error(ErrorId::out_of_range, at, worded("x is out of range, allowed is -100000..100000 beats"));
    if (i > 0 && points[i].x < points[i - 1].x) problems.error(ErrorId::bad_order, at, worded("x must not go back"));
  }
}

} // namespace

void checkSetting(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) {
  if (v.isNull() && s.nullable) return;
  const auto entries = [&](const List& l) {
    for (std::size_t i = 0; i < l.size(); ++i)
      if (!(l[i].isNull() && s.entriesNullable))
        s.type->check(s, l[i], place + "[" + std::to_string(i) + "]", problems);
  };
  const auto* l = v.list();
  if (s.shape == Shape::pair) {
    if (!l || l->size() != 2)
      problems.error(ErrorId::wrong_type, place, worded("must be [from, to], not %1", v.typeName()));
    else
      entries(*l);
    return;
  }
  if (s.shape == Shape::list) {
    if (!l || l->empty() || l->size() > s.most)
      problems.error(ErrorId::wrong_type, place,
                     worded("must be a list of 1 to %2 values, not %1", v.typeName(), s.most));
    else
      entries(*l);
    return;
  }
  if (l && s.perSide) {
    if (l->size() != 2)
      problems.error(ErrorId::wrong_type, place, worded("must be [left, right]"));
    else
      for (std::size_t i = 0; i < 2; ++i) checkSetting(s, (*l)[i], place + "[" + std::to_string(i) + "]", problems);
    return;
  }
  if (l && s.curve) return checkCurve(s, v, place, problems);
  s.type->check(s, v, place, problems);
}

int SettingSpec::sinceWith(const Value& v) const {
  if (v.isNull()) return std::max(since, nullSince);
  int version = std::max(since, type->since(v));
  if (const double* d = v.number();
      d && !atFirst.empty() && std::find(atFirst.begin(), atFirst.end(), *d) == atFirst.end())
    version = std::max(version, restSince);
  if (const auto* l = v.list(); l && (shape != Shape::one || perSide))
    for (const Value& one : *l) version = std::max(version, type->since(one));
  return version;
}

void checkSettings(const TableSpec& table, const Settings& settings, const std::string& place, Problems& problems,
                   int version) {
  for (const auto& [key, value] : settings) {
    const auto* spec = table.find(key);
    if (spec && spec->since > version) {
      problems.error(ErrorId::unknown_field, place + "." + key, newerThan(spec->since, version));
    } else if (spec && spec->sinceWith(value) > version) {
      const std::string what = value.isNull() ? "null" : settingText(*spec, value);
      problems.error(
          ErrorId::wrong_type, place + "." + key,
          worded("%1 came with song version %2; this file says version %3", what, spec->sinceWith(value), version));
    } else if (spec) {
      checkSetting(*spec, value, place + "." + key, problems);
    } else {
      std::vector<std::string> names;
      for (const auto& s : table.settings)
        if (s.since <= version) names.push_back(s.key);
      problems.error(ErrorId::unknown_field, place + "." + key,
                     worded("“%1” has no such setting%2", table.id, didYouMean(key, names)));
    }
  }
}

std::string newerThan(int since, int version) {
  return worded("came with song version %1; this file says version %2", since, version);
}

const Value& settingOr(const TableSpec& table, const Settings& settings, std::string_view key) {
  if (const auto it = settings.find(std::string(key)); it != settings.end()) return it->second;
  const auto* spec = table.find(key);
  if (!spec) throw std::logic_error("no setting " + std::string(key) + " in the table of " + table.id);
  return spec->initial;
}

} // namespace ivrin

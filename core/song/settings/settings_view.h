// Typed looks into a settings object whose values were checked.
#pragma once

#include "song/curve.h"
#include "song/settings/setting_spec.h"
#include "time/note_value.h"

namespace ivrin {

class SettingsView {
 public:
  /// Both must outlive it.
  SettingsView(const TableSpec& table, const Settings& set)
      : table_(table)
      , set_(set) {}
  const Value& value(const char* key) const { return settingOr(table_, set_, key); }
  double number(const char* key) const { return *value(key).number(); }
  double share(const char* key) const { return number(key) / 100; } // of a percentage
  double gain(const char* key) const { return Decibels(number(key)).gain(); }
  bool yes(const char* key) const { return *value(key).boolean(); }
  const std::string& text(const char* key) const { return *value(key).text(); }
  bool is(const char* key, std::string_view choice) const { return text(key) == choice; }
  std::optional<double> maybe(const char* key) const {
    const double* d = value(key).number();
    return d ? std::optional(*d) : std::nullopt;
  }
  Curve curve(const char* key, double scale = 1) const {
    auto points = Curve::from(value(key))->points();
    for (auto& q : points) q.y *= scale;
    return Curve(points);
  }
  /// Numbers of a list, or of a pair; null entries are left out.
  std::vector<double> numbers(const char* key) const {
    std::vector<double> all;
    if (const auto* l = value(key).list())
      for (const Value& v : *l)
        if (v.number()) all.push_back(*v.number());
    return all;
  }
  /// The same with null entries in their places.
  std::vector<std::optional<double>> numbersOrNull(const char* key) const {
    std::vector<std::optional<double>> all;
    if (const auto* l = value(key).list())
      for (const Value& v : *l) all.push_back(v.number() ? std::optional(*v.number()) : std::nullopt);
    return all;
  }
  /// A setting of type time at a place of the song.
  double seconds(const char* key, const TempoMap& map, Beats at) const {
    if (const double* ms = value(key).number()) return *ms / 1000;
    return NoteValue::parse(text(key))->seconds(map, at).value;
  }
  /// A setting of type rate, in Hz.
  double hertz(const char* key, const TempoMap& map, Beats at) const {
    if (const double* hz = value(key).number()) return *hz;
    return 1 / NoteValue::parse(text(key))->seconds(map, at).value;
  }

 private:
  const TableSpec& table_;
  const Settings& set_;
};

} // namespace ivrin

// A generic value as it stands in a song file: null, true/false, number, text, list or object. Settings are kept
// in this form in the song; typed views of them are made in ornaments/. Equality is by content.
#pragma once

#include <map>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

namespace ivrin {

struct Value;
using List = std::vector<Value>;
/// In file order; keys are unique (the reader refuses doubles).
using Object = std::vector<std::pair<std::string, Value>>;

struct Value {
  std::variant<std::monostate, bool, double, std::string, List, Object> data;

  Value() = default;
  Value(bool b)
      : data(b) {}
  Value(double d)
      : data(d) {}
  Value(int i)
      : data(static_cast<double>(i)) {}
  Value(const char* s)
      : data(std::string(s)) {}
  Value(std::string s)
      : data(std::move(s)) {}
  Value(List l)
      : data(std::move(l)) {}
  Value(Object o)
      : data(std::move(o)) {}

  bool isNull() const { return std::holds_alternative<std::monostate>(data); }
  const bool* boolean() const { return std::get_if<bool>(&data); }
  const double* number() const { return std::get_if<double>(&data); }
  const std::string* text() const { return std::get_if<std::string>(&data); }
  const List* list() const { return std::get_if<List>(&data); }
  const Object* object() const { return std::get_if<Object>(&data); }
  /// "null", "true or false", "a number", …; for messages.
  std::string typeName() const;
  friend bool operator==(const Value&, const Value&) = default;
};

/// Settings by key. A key that is absent has the default of its table.
using Settings = std::map<std::string, Value>;

/// The shortest decimal that reads back to the same double.
std::string shortestNumber(double d);
/// Whether all of it is UTF-8 (RFC 3629), which a song file is.
bool isUtf8(std::string_view s);
/// One line of JSON, whatever the value: what is no UTF-8 becomes U+FFFD, what is no number null.
std::string compactJson(const Value& v);

} // namespace ivrin

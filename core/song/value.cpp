#include "song/value.h"

#include <charconv>
#include <cmath>

namespace ivrin {

std::string Value::typeName() const {
  static const char* const names[] = {"null", "true or false", "a number", "text", "a list", "an object"};
  return names[data.index()];
}

std::string shortestNumber(double d) {
  if (d == 0) return "0"; // −0 too: the file has one zero
  char buf[40];
  const auto r = std::to_chars(buf, buf + sizeof buf, d);
  std::string general(buf, r.ptr);
  // Plain digits for what people read as plain numbers, the exponent only where it is really shorter.
  if (general.find('e') != std::string::npos && std::abs(d) < 1e15 && std::abs(d) >= 1e-6) {
    const auto f = std::to_chars(buf, buf + sizeof buf, d, std::chars_format::fixed);
    if (f.ec == std::errc{}) return std::string(buf, f.ptr);
  }
  return general;
}

namespace {

void quote(const std::string& s, std::string& out) {
  static const char* const hex = "0123456789abcdef";
  out += '"';
  for (const char ch : s) {
    const auto c = static_cast<unsigned char>(ch);
    if (ch == '"' || ch == '\\') {
      out += '\\';
      out += ch;
    } else if (ch == '\n') {
      out += "\\n";
    } else if (ch == '\t') {
      out += "\\t";
    } else if (c < 0x20) {
      out += "\\u00";
      out += hex[c >> 4];
      out += hex[c & 15];
    } else {
      out += ch;
    }
  }
  out += '"';
}

void write(const Value& v, std::string& out) {
  if (const auto* b = v.boolean()) {
    out += *b ? "true" : "false";
  } else if (const auto* d = v.number()) {
    out += shortestNumber(*d);
  } else if (const auto* s = v.text()) {
    quote(*s, out);
  } else if (const auto* l = v.list()) {
    out += '[';
    for (std::size_t i = 0; i < l->size(); ++i) {
      if (i) out += ", ";
      write((*l)[i], out);
    }
    out += ']';
  } else if (const auto* o = v.object()) {
    out += '{';
    for (std::size_t i = 0; i < o->size(); ++i) {
      if (i) out += ", ";
      quote((*o)[i].first, out);
      out += ": ";
      write((*o)[i].second, out);
    }
    out += '}';
  } else {
    out += "null";
  }
}

} // namespace

std::string compactJson(const Value& v) {
  std::string out;
  write(v, out);
  return out;
}

} // namespace ivrin

#include "song/value.h"

#include "time/hex.h"
#include "words/words.h"

#include <algorithm>
#include <charconv>
#include <cmath>

namespace ivrin {

std::string Value::typeName() const {
  static const char* const names[] = {"null", "true or false", "a number", "text", "a list", "an object"};
  return worded(names[data.index()]);
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

/// How many bytes the character of UTF-8 that begins at `i` has (RFC 3629: shortest form, no surrogates); 0: none does.
std::size_t characterBytes(std::string_view s, std::size_t i) {
  const auto byte = [&](std::size_t k) { return k < s.size() ? static_cast<unsigned char>(s[k]) : 0u; };
  const unsigned first = byte(i);
  if (first < 0x80) return 1;
  const std::size_t n = first >= 0xf0 ? 4 : first >= 0xe0 ? 3 : 2;
  if (first < 0xc2 || first > 0xf4) return 0;
  for (std::size_t k = 1; k < n; ++k)
    if (byte(i + k) < 0x80 || byte(i + k) > 0xbf) return 0;
  const unsigned second = byte(i + 1);
  if ((first == 0xe0 && second < 0xa0) || (first == 0xed && second > 0x9f) || (first == 0xf0 && second < 0x90) ||
      (first == 0xf4 && second > 0x8f))
    return 0;
  return n;
}

void quote(const std::string& s, std::string& out) {
  out += '"';
  for (std::size_t i = 0; i < s.size();) {
    const char ch = s[i];
    const auto c = static_cast<unsigned char>(ch);
    const std::size_t n = characterBytes(s, i);
    if (ch == '"' || ch == '\\') {
      out += '\\';
      out += ch;
    } else if (ch == '\n') {
      out += "\\n";
    } else if (ch == '\t') {
      out += "\\t";
    } else if (c < 0x20) {
      out += "\\u00";
      out += hexText(c, 2);
    } else if (n == 0) {
      out += "\uFFFD"; // no character: what is written stays JSON all the same
    } else {
      out.append(s, i, n);
    }
    i += std::max<std::size_t>(n, 1);
  }
  out += '"';
}

void write(const Value& v, std::string& out) {
  if (const auto* b = v.boolean()) {
    out += *b ? "true" : "false";
  } else if (const auto* d = v.number()) {
    out += std::isfinite(*d) ? shortestNumber(*d) : "null";
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

bool isUtf8(std::string_view s) {
  for (std::size_t i = 0; i < s.size();) {
    const std::size_t n = characterBytes(s, i);
    if (n == 0) return false;
    i += n;
  }
  return true;
}

std::string compactJson(const Value& v) {
  std::string out;
  write(v, out);
  return out;
}

} // namespace ivrin

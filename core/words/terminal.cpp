#include "words/terminal.h"

#include <cstdio>

namespace ivrin {
namespace {

constexpr unsigned char kLeadsC1 = 0xC2; // U+0080 to U+00BF in UTF-8

void addEscaped(std::string& out, unsigned code) {
  char text[8];
  std::snprintf(text, sizeof text, "\\u%04x", code);
  out += text;
}

} // namespace

std::string shownPlainly(std::string_view text) {
  std::string out;
  out.reserve(text.size());
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto c = static_cast<unsigned char>(text[i]);
    const auto next = i + 1 < text.size() ? static_cast<unsigned char>(text[i + 1]) : 0u;
    if (c == kLeadsC1 && next >= 0x80 && next < 0xA0) {
      addEscaped(out, next);
      ++i;
    } else if ((c < 0x20 && c != '\n' && c != '\t') || c == 0x7F) {
      addEscaped(out, c);
    } else {
      out += text[i];
    }
  }
  return out;
}

bool PlainStream::pass(std::string_view text) {
  const std::string plain = shownPlainly(text);
  return to_->sputn(plain.data(), static_cast<std::streamsize>(plain.size())) ==
         static_cast<std::streamsize>(plain.size());
}

std::streamsize PlainStream::xsputn(const char* text, std::streamsize n) {
  std::string all(held_ ? 1 : 0, static_cast<char>(kLeadsC1));
  all.append(text, static_cast<std::size_t>(n));
  held_ = !all.empty() && static_cast<unsigned char>(all.back()) == kLeadsC1;
  if (held_) all.pop_back();
  return pass(all) ? n : 0;
}

PlainStream::int_type PlainStream::overflow(int_type c) {
  if (traits_type::eq_int_type(c, traits_type::eof())) return traits_type::not_eof(c);
  const char one = traits_type::to_char_type(c);
  return xsputn(&one, 1) == 1 ? c : traits_type::eof();
}

int PlainStream::sync() {
  if (held_) {
    held_ = false;
    pass(std::string_view("\xC2", 1));
  }
  return to_->pubsync();
}

} // namespace ivrin

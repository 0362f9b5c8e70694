// What goes to a terminal. A file's name or a song's title may hold control characters, which would steer the terminal
// (move its cursor, change its title, even type into it): none of them gets there.
#pragma once

#include <streambuf>
#include <string>
#include <string_view>

namespace ivrin {

/// Control characters but line feed and tab (C0, DEL, and C1 as UTF-8 has them) as JSON writes them: "\u001b". So what
/// is JSON stays JSON.
std::string shownPlainly(std::string_view text);

/// Passes on to another buffer what it is given, shown plainly.
class PlainStream : public std::streambuf {
 public:
  explicit PlainStream(std::streambuf* to)
      : to_(to) {}
  ~PlainStream() override { sync(); }
  PlainStream(const PlainStream&) = delete;
  PlainStream& operator=(const PlainStream&) = delete;

 protected:
  int_type overflow(int_type c) override;
  std::streamsize xsputn(const char* text, std::streamsize n) override;
  int sync() override;

 private:
  bool pass(std::string_view text);
  std::streambuf* to_;
  bool held_ = false; // a first byte of two (0xC2) that may begin a C1 character
};

} // namespace ivrin

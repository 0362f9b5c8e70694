#include "audio/data_length.h"

#include <array>
#include <cstring>
#include <fstream>
#include <string_view>

namespace ivrin {
namespace {

constexpr int kMostChunks = 4096; // before the data; more is not a header

/// Sizes that stand for "not known yet". The last is what programs write that count with a sign, less some room.
bool unknown(std::uint32_t size) {
  return size == 0 || size == 0xffffffffu || (size >= 0x7ffff000u && size <= 0x7fffffffu);
}

std::uint32_t number(const char* bytes, bool bigEndian) {
  std::uint32_t n = 0;
  for (int i = 0; i < 4; ++i) n |= std::uint32_t{static_cast<unsigned char>(bytes[i])} << (8 * (bigEndian ? 3 - i : i));
  return n;
}

} // namespace

std::optional<DataLength> dataLength(const std::filesystem::path& file) {
  std::error_code ec;
  const auto whole = static_cast<std::int64_t>(std::filesystem::file_size(file, ec));
  std::ifstream in(file, std::ios::binary);
  std::array<char, 12> head{};
  if (ec || !in.read(head.data(), head.size())) return std::nullopt;
  const std::string_view form(head.data(), 4), type(head.data() + 8, 4);
  const bool rf64 = form == "RF64" && type == "WAVE", aiff = form == "FORM" && (type == "AIFF" || type == "AIFC");
  const bool wave = rf64 || ((form == "RIFF" || form == "RIFX") && type == "WAVE");
  if (!wave && !aiff) return std::nullopt;
  const bool big = form == "RIFX" || aiff;

  std::int64_t at = 12, longData = -1; // the second from RF64's own chunk
  for (int chunk = 0; chunk < kMostChunks; ++chunk) {
    std::array<char, 8> c{};
    in.seekg(at);
    if (!in.read(c.data(), c.size())) return std::nullopt;
    const std::string_view id(c.data(), 4);
    const std::uint32_t size = number(c.data() + 4, big);
    if (id == "ds64" && rf64) {
      std::array<char, 16> sizes{};
      if (in.read(sizes.data(), sizes.size()))
        longData = static_cast<std::int64_t>(number(sizes.data() + 8, false) |
                                             std::uint64_t{number(sizes.data() + 12, false)} << 32);
    }
    if (id == (aiff ? "SSND" : "data")) {
      const std::int64_t there = whole - (at + 8);
      if (rf64 && size == 0xffffffffu && longData > 0) return DataLength{at + 8, longData, there};
      const bool open =
          unknown(size) && (size != 0 || unknown(number(head.data() + 4, big))) && std::int64_t{size} != there;
      return DataLength{at + 8, size, there, open};
    }
    at += 8 + std::int64_t{size} + (size & 1);
  }
  return std::nullopt;
}

} // namespace ivrin

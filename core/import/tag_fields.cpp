#include "import/tag_fields.h"

#include "song/value.h"

#include <algorithm>
#include <cstdint>
#include <fcntl.h>
#include <functional>
#include <string_view>
#include <sys/stat.h>
#include <unistd.h>
#include <utility>

namespace ivrin {
namespace {

constexpr std::size_t kMostBytes = 1 << 20;  // of a file, in all
constexpr std::size_t kMostOfText = 1 << 16; // of one text
constexpr int kMostParts = 1000;             // frames, blocks, chunks or pages that are walked through

/// A file from which so many bytes are read and no more.
class FileBytes {
 public:
  explicit FileBytes(const std::filesystem::path& file)
      : fd_(::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)) {
    struct stat st {};
    if (fd_ >= 0 && ::fstat(fd_, &st) == 0 && S_ISREG(st.st_mode)) size_ = st.st_size;
  }
  ~FileBytes() {
    if (fd_ >= 0) ::close(fd_);
  }
  FileBytes(const FileBytes&) = delete;
  FileBytes& operator=(const FileBytes&) = delete;

  std::int64_t size() const { return size_; }
  /// Fewer where the file, or what may be read of it, ends.
  std::string at(std::int64_t offset, std::uint64_t count) {
    if (offset < 0 || offset >= size_) return {};
    std::string got(std::min({static_cast<std::size_t>(count), left_, static_cast<std::size_t>(size_ - offset)}), '\0');
    const ssize_t n = got.empty() ? 0 : ::pread(fd_, got.data(), got.size(), offset);
    got.resize(n > 0 ? static_cast<std::size_t>(n) : 0);
    left_ -= got.size();
    return got;
  }

 private:
  int fd_;
  std::int64_t size_ = 0;
  std::size_t left_ = kMostBytes;
};

std::uint32_t byteAt(std::string_view s, std::size_t i) {
  return static_cast<unsigned char>(s[i]);
}
/// Of `count` bytes from `i` on; 7 bits of each in ID3's "synchsafe" numbers.
std::uint32_t bigEndian(std::string_view s, std::size_t i, std::size_t count, int bits = 8) {
  std::uint32_t v = 0;
  for (std::size_t k = 0; k < count; ++k) v = (v << bits) | byteAt(s, i + k);
  return v;
}
std::uint32_t littleEndian(std::string_view s, std::size_t i) {
  return byteAt(s, i) | byteAt(s, i + 1) << 8 | byteAt(s, i + 2) << 16 | byteAt(s, i + 3) << 24;
}

void addUtf8(std::string& out, std::uint32_t c) {
  const auto put = [&](std::uint32_t b) { out += static_cast<char>(b); };
  if (c < 0x80) {
    put(c);
  } else if (c < 0x800) {
    put(0xC0 | c >> 6);
    put(0x80 | (c & 63));
  } else if (c < 0x10000) {
    put(0xE0 | c >> 12);
    put(0x80 | (c >> 6 & 63));
    put(0x80 | (c & 63));
  } else {
    put(0xF0 | c >> 18);
    put(0x80 | (c >> 12 & 63));
    put(0x80 | (c >> 6 & 63));
    put(0x80 | (c & 63));
  }
}

void take(std::string& field, std::string text) {
  while (!text.empty() && (text.back() == ' ' || text.back() == '\0')) text.pop_back();
  if (field.empty()) field = std::move(text);
}

// ---------------------------------------------------------------- ID3v2

/// One text of a frame (its first byte names the encoding) from `at` on, which moves behind the zero that ends it.
std::string frameText(std::string_view frame, std::size_t& at) {
  std::string out;
  const std::uint32_t encoding = byteAt(frame, 0);
  if (encoding == 0 || encoding > 2) { // ISO 8859-1, UTF-8
    for (; at < frame.size() && frame[at] != '\0'; ++at)
      encoding == 0 ? addUtf8(out, byteAt(frame, at)) : static_cast<void>(out += frame[at]);
    ++at;
    return out;
  }
  bool little = false; // 2: UTF-16, big-endian; 1: as its mark says
  std::uint32_t high = 0;
  for (; at + 1 < frame.size(); at += 2) {
    const std::uint32_t a = byteAt(frame, at), b = byteAt(frame, at + 1), unit = little ? b << 8 | a : a << 8 | b;
    if (unit == 0) break;
    if (unit == 0xFFFE)
      little = !little;
    else if (unit >= 0xD800 && unit < 0xDC00)
      high = unit;
    else if (unit >= 0xDC00 && unit < 0xE000)
      addUtf8(out, high ? 0x10000 + ((std::exchange(high, 0) - 0xD800) << 10) + (unit - 0xDC00) : 0xFFFD);
    else if (unit != 0xFEFF)
      addUtf8(out, unit);
  }
  at += 2;
  return out;
}

std::string withoutUnsynchronisation(std::string_view s) {
  std::string out;
  for (std::size_t i = 0; i < s.size(); ++i) {
    out += s[i];
    if (byteAt(s, i) == 0xFF && i + 1 < s.size() && s[i + 1] == '\0') ++i;
  }
  return out;
}

void takeFrame(const std::string& id, std::string_view frame, TagFields& fields) {
  if (frame.empty()) return;
  std::size_t at = 1;
  const std::string text = frameText(frame, at);
  if (id == "TIT2" || id == "TT2") take(fields.title, text);
  if (id == "TBPM" || id == "TBP") take(fields.bpm, text);
  if (id == "TKEY" || id == "TKE") take(fields.key, text);
  if (id != "TXXX" && id != "TXX") return;
  std::string called;
  for (const char c : text) called += static_cast<char>(c >= 'a' && c <= 'z' ? c - 32 : c);
  if (called == "BPM") take(fields.bpm, frameText(frame, at));
  if (called == "INITIALKEY") take(fields.key, frameText(frame, at));
}

/// A tag at `begin`; returns how long it says it is, 0 where there is none.
std::int64_t readId3(FileBytes& file, std::int64_t begin, TagFields& fields) {
  const std::string head = file.at(begin, 10);
  if (head.size() < 10 || !head.starts_with("ID3")) return 0;
  const std::uint32_t version = byteAt(head, 3), flags = byteAt(head, 5);
  const auto length = static_cast<std::int64_t>(bigEndian(head, 6, 4, 7) & 0x0FFFFFFF);
  if (version < 2 || version > 4) return length + 10;
  // Before 2.4 all of a tag may be unsynchronised, frame headers too: then it is read as a whole. Else from frame to
  // frame, whatever lies between.
  const bool whole = version < 4 && (flags & 0x80) != 0;
  const std::string all =
      whole ? withoutUnsynchronisation(file.at(begin + 10, static_cast<std::uint64_t>(length))) : "";
  const auto at = [&](std::int64_t offset, std::uint64_t count) {
    if (!whole) return offset >= length ? std::string() : file.at(begin + 10 + offset, count);
    const auto from = std::min(static_cast<std::size_t>(offset), all.size());
    return all.substr(from, static_cast<std::size_t>(count));
  };
  const std::size_t names = version == 2 ? 3 : 4, header = version == 2 ? 6 : 10;
  std::int64_t next = 0;
  if (version > 2 && (flags & 0x40) != 0) { // an extended header
    const std::string extended = at(0, 4);
    if (extended.size() < 4) return length + 10;
    next = version == 4 ? bigEndian(extended, 0, 4, 7) : std::int64_t{4} + bigEndian(extended, 0, 4);
  }
  for (int n = 0; n < kMostParts && next < length; ++n) {
    const std::string h = at(next, header);
    if (h.size() < header || h[0] == '\0') break; // padding
    const std::string id = h.substr(0, names);
    std::uint64_t size = bigEndian(h, names, names);
    if (version == 4 && (size & 0x80808080u) == 0) size = bigEndian(h, 4, 4, 7); // some write plain numbers
    const std::uint32_t bits = version == 2 ? 0 : byteAt(h, 9);
    const bool closed = version == 3 ? (bits & 0xC0) != 0 : version == 4 && (bits & 0x0C) != 0; // packed, encrypted
    const bool grouped = version == 3 ? (bits & 0x20) != 0 : version == 4 && (bits & 0x40) != 0;
    const std::size_t extra = (grouped ? 1u : 0u) + (version == 4 && (bits & 0x01) != 0 ? 4u : 0u);
    if (!closed && id[0] == 'T' && size > extra) {
      std::string frame =
          at(next + static_cast<std::int64_t>(header + extra), std::min<std::uint64_t>(size - extra, kMostOfText));
      if (version == 4 && (bits & 0x02)) frame = withoutUnsynchronisation(frame);
      takeFrame(id, frame, fields);
    }
    next += static_cast<std::int64_t>(header + size);
  }
  return length + 10;
}

// ---------------------------------------------------------------- Vorbis comments

void takeComments(std::string_view block, TagFields& fields) {
  if (block.size() < 4) return;
  std::size_t at = std::size_t{4} + littleEndian(block, 0); // after the vendor's name
  if (at + 4 > block.size()) return;
  const std::uint32_t count = littleEndian(block, at);
  at += 4;
  for (std::uint32_t i = 0; i < count && at + 4 <= block.size(); ++i) {
    const std::size_t length = littleEndian(block, at);
    at += 4;
    const std::string_view one = block.substr(at, length);
    at += length;
    const auto equals = one.find('=');
    if (equals == std::string_view::npos || equals > 20) continue;
    std::string name;
    for (const char c : one.substr(0, equals)) name += static_cast<char>(c >= 'a' && c <= 'z' ? c - 32 : c);
    std::string* field = name == "TITLE"        ? &fields.title
                         : name == "BPM"        ? &fields.bpm
                         : name == "INITIALKEY" ? &fields.key
                                                : nullptr;
    if (field) take(*field, std::string(one.substr(equals + 1, kMostOfText)));
  }
}

void readFlac(FileBytes& file, std::int64_t begin, TagFields& fields) {
  std::int64_t at = begin + 4;
  for (int n = 0; n < kMostParts; ++n) {
    const std::string h = file.at(at, 4);
    if (h.size() < 4) return;
    const std::uint32_t length = bigEndian(h, 1, 3);
    if ((byteAt(h, 0) & 0x7F) == 4) return takeComments(file.at(at + 4, length), fields);
    if (byteAt(h, 0) & 0x80) return; // the last one
    at += 4 + static_cast<std::int64_t>(length);
  }
}

/// The second packet of a file's first stream holds the comments.
void readOgg(FileBytes& file, TagFields& fields) {
  std::string packet, serial;
  int packets = 0;
  std::int64_t at = 0;
  for (int n = 0; n < kMostParts && packets < 2; ++n) {
    const std::string h = file.at(at, 27);
    if (h.size() < 27 || !h.starts_with("OggS")) return;
    const std::string lengths = file.at(at + 27, byteAt(h, 26));
    if (lengths.size() < byteAt(h, 26)) return;
    if (n == 0) serial = h.substr(14, 4);
    std::int64_t body = at + 27 + static_cast<std::int64_t>(lengths.size());
    for (std::size_t i = 0; i < lengths.size(); ++i) {
      const std::uint32_t length = byteAt(lengths, i);
      if (h.substr(14, 4) == serial && packets < 2) {
        packet += file.at(body, length);
        if (length < 255 && ++packets == 1) packet.clear();
      }
      body += length;
    }
    at = body;
  }
  if (packet.starts_with("\x03vorbis")) takeComments(std::string_view(packet).substr(7), fields);
  if (packet.starts_with("OpusTags")) takeComments(std::string_view(packet).substr(8), fields);
  if (packet.size() > 4 && (byteAt(packet, 0) & 0x7F) == 4) takeComments(std::string_view(packet).substr(4), fields);
}

// ---------------------------------------------------------------- chunks

/// Calls `each` with the name, place and length of every chunk between `at` and `end`.
void eachChunk(FileBytes& file, std::int64_t at, std::int64_t end, bool big,
               const std::function<void(const std::string&, std::int64_t, std::int64_t)>& each) {
  std::int64_t longData = 0; // of an RF64 file, whose own field is too small for it
  for (int n = 0; n < kMostParts && at + 8 <= end; ++n) {
    const std::string h = file.at(at, 8);
    if (h.size() < 8) return;
    const std::string name = h.substr(0, 4);
    std::int64_t length = big ? bigEndian(h, 4, 4) : littleEndian(h, 4);
    if (name == "ds64")
      if (const std::string sizes = file.at(at + 16, 8); sizes.size() == 8)
        longData = static_cast<std::int64_t>(littleEndian(sizes, 0) | std::uint64_t{littleEndian(sizes, 4) & 0x7FFFFFFF}
                                                                          << 32);
    if (name == "data" && length == 0xFFFFFFFF) length = longData;
    if (length > end - at) length = end - at;
    each(name, at + 8, length);
    at += 8 + length + (length & 1);
  }
}

void readChunks(FileBytes& file, const std::string& head, TagFields& fields) {
  const bool big = head.starts_with("FORM");
  TagFields plain; // where there is no ID3
  eachChunk(file, 12, file.size(), big, [&](const std::string& name, std::int64_t at, std::int64_t length) {
    if (name == "id3 " || name == "ID3 ") readId3(file, at, fields);
    if (name == "NAME" && big) take(plain.title, file.at(at, std::min<std::uint64_t>(length, kMostOfText)));
    if (name != "LIST" || big || file.at(at, 4) != "INFO") return;
    eachChunk(file, at + 4, at + length, false, [&](const std::string& info, std::int64_t from, std::int64_t count) {
      if (info == "INAM") take(plain.title, file.at(from, std::min<std::uint64_t>(count, kMostOfText)));
    });
  });
  if (!isUtf8(plain.title)) { // then it is ISO 8859-1
    const std::string latin = std::exchange(plain.title, {});
    for (std::size_t i = 0; i < latin.size(); ++i) addUtf8(plain.title, byteAt(latin, i));
  }
  take(fields.title, plain.title);
}

} // namespace

TagFields tagFieldsOf(const std::filesystem::path& path) {
  TagFields fields;
  FileBytes file(path);
  const std::string head = file.at(0, 12);
  if (head.size() < 12) return fields;
  if (head.starts_with("RIFF") || head.starts_with("RF64") || head.starts_with("FORM")) {
    readChunks(file, head, fields);
  } else if (head.starts_with("OggS")) {
    readOgg(file, fields);
  } else {
    const std::int64_t after = readId3(file, 0, fields);
    if (file.at(after, 4) == "fLaC") readFlac(file, after, fields);
    const std::string last = file.at(file.size() - 128, 33); // ID3v1
    if (last.starts_with("TAG") && fields.title.empty()) {
      std::size_t at = 1;
      take(fields.title, frameText('\0' + last.substr(3, 30), at));
    }
  }
  return fields;
}

} // namespace ivrin

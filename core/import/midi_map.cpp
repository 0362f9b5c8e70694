#include "import/midi_map.h"

#include "files/safe_file.h"
#include "song/limits.h"
#include "time/plain_number.h"
#include "words/words.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <set>
#include <unordered_set>

namespace ivrin {
namespace {

constexpr double kMicrosOfMinute = 60e6;
constexpr int kLeastBpmOfSong = 20, kMostBpmOfSong = 400; // the song file's
constexpr std::size_t kMostEntries = 20000, kMostMarkers = 1000;

/// Bytes read from the front. Past the end it reads noughts and has failed.
class Bytes {
 public:
  Bytes(std::string_view all, std::size_t at, std::size_t end)
      : all_(all)
      , at_(at)
      , end_(end) {}
  std::size_t at() const { return at_; }
  bool more() const { return at_ < end_; }
  bool failed() const { return failed_; }
  unsigned byte() {
    if (at_ >= end_) {
      failed_ = true;
      return 0;
    }
    return static_cast<unsigned char>(all_[at_++]);
  }
  unsigned peek() const { return at_ < end_ ? static_cast<unsigned char>(all_[at_]) : 0; }
  unsigned big(int bytes) {
    unsigned v = 0;
    for (int i = 0; i < bytes; ++i) v = v << 8 | byte();
    return v;
  }
  /// A number of one to four bytes of seven bits each.
  unsigned varied() {
    unsigned v = 0;
    for (int i = 0; i < 4; ++i) {
      const unsigned b = byte();
      v = v << 7 | (b & 0x7f);
      if ((b & 0x80) == 0) return v;
    }
    failed_ = true;
    return v;
  }
  std::string_view take(std::size_t n) {
    if (n > end_ - at_) {
      failed_ = true;
      n = end_ - at_;
    }
    at_ += n;
    return all_.substr(at_ - n, n);
  }

 private:
  std::string_view all_;
  std::size_t at_, end_;
  bool failed_ = false;
};

/// The standard knows ASCII; what is no UTF-8 is taken as Latin-1.
std::string asUtf8(std::string_view text) {
  std::string out;
  for (const char c : text.substr(0, kLongestName / 2))
    if (static_cast<unsigned char>(c) >= 0x20 || c == '\t') out += c;
  if (isUtf8(out)) return out;
  std::string wide;
  for (const char c : out) {
    const auto u = static_cast<unsigned char>(c);
    if (u < 0x80) {
      wide += c;
    } else {
      wide += static_cast<char>(0xc0 | u >> 6);
      wide += static_cast<char>(0x80 | (u & 0x3f));
    }
  }
  return wide;
}

template <class T> bool byPlace(const T& a, const T& b) {
  return a.at < b.at;
}

struct Raw {
  struct Tempo {
    Beats at;
    unsigned micros;
  };
  struct Meter {
    Beats at;
    int count, unit;
  };
  std::vector<Tempo> tempo;
  std::vector<Meter> meter;
  std::vector<Landing> markers;
  std::optional<std::pair<Beats, Key>> key;
  std::string title;
};

/// One track into `raw`; what is wrong, and at which byte, is an error.
bool readTrack(Bytes& in, unsigned division, bool first, const std::string& place, Raw& raw, Problems& problems) {
  const auto wrong = [&](std::string what) {
    problems.error(ErrorId::syntax, place, worded("byte %1: %2", in.at(), what));
    return false;
  };
  std::uint64_t ticks = 0;
  unsigned status = 0;
  while (in.more()) {
    ticks += in.varied();
    if (ticks > std::uint64_t{division} * 1000000) return wrong(worded("an event is a million beats into the song"));
    const Beats at(static_cast<std::int64_t>(ticks * static_cast<std::uint64_t>(kTicksPerQuarter) / division));
    if (in.failed() || !in.more()) return wrong(worded("an event is incomplete"));
    if (in.peek() >= 0x80) status = in.byte();
    if (status == 0xff) {
      const unsigned type = in.byte(), length = in.varied();
      const std::string_view data = in.take(length);
      if (in.failed()) break;
      const auto u = [&](std::size_t i) { return static_cast<unsigned>(static_cast<unsigned char>(data[i])); };
      status = 0;
      if (type == 0x2f) return true; // the end of the track
      if (type == 0x51 && length == 3 && raw.tempo.size() < kMostEntries) {
        raw.tempo.push_back({at, u(0) << 16 | u(1) << 8 | u(2)});
      } else if (type == 0x58 && length >= 2 && raw.meter.size() < kMostEntries) {
        raw.meter.push_back({at, static_cast<int>(u(0)), u(1) < 16 ? 1 << u(1) : 0});
      } else if (type == 0x59 && length == 2 && (!raw.key || at < raw.key->first)) {
        // Sharps, or flats under 0, of the circle of fifths.
        const int sharps = static_cast<signed char>(data[0]);
        const bool minor = u(1) == 1;
        if (sharps >= -7 && sharps <= 7 && u(1) <= 1)
          raw.key = {at, Key{((sharps * 7 + (minor ? 9 : 0)) % 12 + 12) % 12, minor}};
      } else if (type == 0x03 && first && raw.title.empty()) {
        raw.title = asUtf8(data);
      } else if (type == 0x06 && raw.markers.size() < kMostMarkers) {
        raw.markers.push_back({{}, at, asUtf8(data)});
      }
    } else if (status == 0xf0 || status == 0xf7) {
      in.take(in.varied());
      status = 0;
    } else if (status >= 0x80 && status < 0xf0) {
      const unsigned kind = status & 0xf0;
      in.take(kind == 0xc0 || kind == 0xd0 ? 1 : 2);
    } else {
      return wrong(worded("an event is missing"));
    }
    if (in.failed()) break;
  }
  return in.failed() ? wrong(worded("an event is incomplete")) : true;
}

/// Meters as they come, each at its place or after it, with the bars counted along: no entry is looked at twice for
/// each.
class BarCount {
 public:
  struct Bar {
    std::int64_t number;
    Beats begins, next;
  };
  /// The bar that `at` lies in. No earlier than where the last but one change stands.
  Bar at(Beats at) const {
    std::size_t i = meters_.size() - 1;
    while (i > 0 && meters_[i].at > at) --i; // a change that waits for its bar line
    const MeterEntry& m = meters_[i];
    const std::int64_t bars = (at - m.at).ticks / m.barLength().ticks;
    const Beats begins = m.at + m.barLength() * bars;
    return {bars_[i] + bars, begins, begins + m.barLength()};
  }
  /// From this bar line on; what begins there already gives way.
  void change(std::int64_t bar, MeterEntry m) {
    while (!meters_.empty() && meters_.back().at >= m.at) {
      meters_.pop_back();
      bars_.pop_back();
    }
    meters_.push_back(m);
    bars_.push_back(bar);
  }
  const std::vector<MeterEntry>& meters() const { return meters_; }

 private:
  std::vector<MeterEntry> meters_{{Beats(0), 4, 4}};
  std::vector<std::int64_t> bars_{1}; // that each begins
};

std::string barText(const TempoMap& map, Beats at) {
  return std::to_string(map.barAt(at).bar);
}

} // namespace

bool isMidiName(const std::filesystem::path& file) {
  std::string ending = file.extension().string();
  for (char& c : ending) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return std::any_of(std::begin(kMidiEndings), std::end(kMidiEndings), [&](const char* e) { return ending == e; });
}

std::optional<MidiMap> readMidi(std::string_view bytes, const std::string& place, Problems& problems) {
  const auto refuse = [&](ErrorId id, std::string what) {
    problems.error(id, place, std::move(what));
    return std::nullopt;
  };
  Bytes head(bytes, 0, bytes.size());
  if (head.take(4) != "MThd") return refuse(ErrorId::syntax, worded("is not a Standard MIDI File"));
  const unsigned length = head.big(4), format = head.big(2), tracks = head.big(2), division = head.big(2);
  if (head.failed() || length < 6) return refuse(ErrorId::syntax, worded("its header is incomplete"));
  if (format > 1)
    return refuse(ErrorId::refused, worded("has separate sequences (MIDI format 2). Export it as format 0 or 1"));
  if ((division & 0x8000) != 0 || division == 0)
    return refuse(ErrorId::refused, worded("uses SMPTE time code, not beats. Export it with ticks per quarter note"));
  head.take(length - 6);

  Raw raw;
  unsigned read = 0;
  while (head.more() && read < tracks) {
    const std::string_view name = head.take(4);
    const unsigned size = head.big(4);
    if (head.failed()) return refuse(ErrorId::syntax, worded("byte %1: a track is incomplete", head.at()));
    const std::size_t from = head.at();
    const bool whole = size <= bytes.size() - from;
    if (name == "MTrk") {
      Bytes track(bytes, from, whole ? from + size : bytes.size());
      if (!readTrack(track, division, read == 0, place, raw, problems)) return std::nullopt;
      ++read;
    }
    if (!whole) return refuse(ErrorId::syntax, worded("byte %1: a track is incomplete", bytes.size()));
    head.take(size);
  }
  if (read < tracks || read == 0)
    return refuse(ErrorId::syntax, worded("has %1 of the %2 tracks that its header announces", read, tracks));

  MidiMap map;
  std::stable_sort(raw.meter.begin(), raw.meter.end(), byPlace<Raw::Meter>);
  std::stable_sort(raw.tempo.begin(), raw.tempo.end(), byPlace<Raw::Tempo>);
  BarCount count;
  for (const Raw::Meter& m : raw.meter) {
    const auto [bar, begins, next] = count.at(m.at);
    if (m.count < 1 || m.count > 32 || m.unit < 1 || m.unit > 32)
      return refuse(ErrorId::out_of_range,
                    worded("bar %1: the time signature %2/%3 is not supported (up to 32 beats over 1 to 32)",
                           std::to_string(bar), m.count, m.unit));
    if (begins != m.at)
      problems.note(ErrorId::bad_order, place,
                    worded("the time signature %1/%2 starts inside bar %3 and was moved to the next bar", m.count,
                           m.unit, std::to_string(bar)));
    count.change(begins == m.at ? bar : bar + 1, {begins == m.at ? m.at : next, m.count, m.unit});
  }
  map.meter = count.meters();
  const TempoMap bars({{}}, map.meter, Seconds(0), 48000);
  map.tempo = {{Beats(0), 120}};
  for (const Raw::Tempo& t : raw.tempo) {
    // In the file's microseconds no tempo is a whole number; the nearest short one within half of such a step is meant.
    const double exact = t.micros > 0 ? kMicrosOfMinute / t.micros : 1e9,
                 step = exact * exact / kMicrosOfMinute * 0.5001;
    double bpm = exact;
    for (const double unit : {1.0, 10.0, 100.0, 1000.0, 1e4})
      if (const double near = std::round(exact * unit) / unit; std::abs(near - exact) <= step) {
        bpm = near;
        break;
      }
    if (bpm < kLeastBpmOfSong || bpm > kMostBpmOfSong)
      return refuse(ErrorId::out_of_range,
                    worded("bar %1: the tempo %2 BPM is not supported (%3 to %4)", barText(bars, t.at),
                           t.micros > 0 ? fixedNumber(bpm, 1) : "∞", kLeastBpmOfSong, kMostBpmOfSong));
    if (map.tempo.back().at == t.at)
      map.tempo.back().bpm = bpm;
    else if (map.tempo.back().bpm != bpm)
      map.tempo.push_back({t.at, bpm});
  }
  if (raw.key) map.key = raw.key->second;
  map.title = raw.title;
  std::stable_sort(raw.markers.begin(), raw.markers.end(), byPlace<Landing>);
  map.markers = std::move(raw.markers);
  return map;
}

std::optional<MidiMap> readMidiFile(const std::filesystem::path& file, Problems& problems) {
  std::string why;
  const auto bytes = readWholeFile(file, kLargestMidiFile, why);
  const std::string name = file.filename().string();
  if (!bytes) {
    problems.error(ErrorId::unreadable, name, why);
    return std::nullopt;
  }
  return readMidi(*bytes, name, problems);
}

Song withMidiMap(Song song, const MidiMap& map) {
  song.tempo = map.tempo;
  song.meter = map.meter;
  song.startSeconds = 0;
  if (!song.key) song.key = map.key;
  if (!song.sections.empty()) return song;
  const TempoMap grid = song.tempoMap();
  std::unordered_set<std::string> ids;
  for (const Landing& l : song.allLandings()) ids.insert(l.id);
  std::set<Beats> taken;
  int number = 0;
  for (const Landing& m : map.markers) {
    // On the bar line that it is meant for; a second one at a place is left out.
    const std::int64_t bar = grid.barAt(m.at).bar;
    const Beats from = grid.barStart(bar), to = grid.barStart(bar + 1), at = m.at - from < to - m.at ? from : to;
    if (grid.secondsAt(at).value >= kLongestSongSeconds || !taken.insert(at).second) continue;
    std::string id;
    do id = "s" + std::to_string(++number);
    while (!ids.insert(id).second);
    song.sections.push_back({std::move(id), at, m.name});
  }
  std::stable_sort(song.sections.begin(), song.sections.end(), byPlace<Landing>);
  return song;
}

} // namespace ivrin

// Standard MIDI Files as bytes.
#pragma once

#include <cmath>
#include <string>
#include <vector>

namespace ivrin::test {

inline std::string bigEndian(unsigned v, int bytes) {
  std::string s;
  for (int i = bytes - 1; i >= 0; --i) s += static_cast<char>(v >> (8 * i) & 0xff);
  return s;
}

/// A track, event by event; `after` counts ticks from the one before.
class MidiTrack {
 public:
  MidiTrack& bytes(unsigned after, const std::string& event) {
    std::string number(1, static_cast<char>(after & 0x7f));
    for (unsigned v = after >> 7; v > 0; v >>= 7) number.insert(0, 1, static_cast<char>(0x80 | (v & 0x7f)));
    text_ += number + event;
    return *this;
  }
  MidiTrack& meta(unsigned after, int type, const std::string& data) {
    return bytes(after, std::string("\xff") + static_cast<char>(type) + static_cast<char>(data.size()) + data);
  }
  MidiTrack& tempo(unsigned after, double bpm) {
    return meta(after, 0x51, bigEndian(static_cast<unsigned>(std::lround(60e6 / bpm)), 3));
  }
  /// `unit` as a power of two.
  MidiTrack& meter(unsigned after, int count, int unit) {
    return meta(after, 0x58, {static_cast<char>(count), static_cast<char>(unit), 24, 8});
  }
  MidiTrack& name(const std::string& text) { return meta(0, 0x03, text); }
  std::string whole() const {
    const std::string end = text_ + std::string("\0\xff\x2f\0", 4);
    return "MTrk" + bigEndian(static_cast<unsigned>(end.size()), 4) + end;
  }

 private:
  std::string text_;
};

inline std::string midiFile(const std::vector<MidiTrack>& tracks, unsigned division = 480) {
  std::string s = "MThd" + bigEndian(6, 4) + bigEndian(tracks.size() > 1 ? 1 : 0, 2) +
                  bigEndian(static_cast<unsigned>(tracks.size()), 2) + bigEndian(division, 2);
  for (const MidiTrack& t : tracks) s += t.whole();
  return s;
}

} // namespace ivrin::test

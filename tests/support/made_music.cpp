#include "test_support/made_music.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ivrin::test {
namespace {

constexpr double kPieceSeconds = 30;

enum class Drums { none, rock, four, slow, broken, ballad, shuffle, waltz, six, bossa, half };
enum class Harmony { none, pads, arpeggio, strum, piano, drone };
enum class Sort { steady, drifting, slowing, walking, stepping, rubato, noise, silence, speech, brief };

struct Piece {
  const char* name;
  double bpm;
  Drums drums;
  Harmony harmony = Harmony::pads;
  int tonic = 9;
  bool minor = true;
  double lead = 0;      // seconds of nothing before bar 1
  int bars = 0;         // of harmony alone before the drums come in
  double human = 0.004; // how far players are off, seconds
  double room = 0;
  double rate = 48000;
  bool voice = false, bass = true, mixed = false;
  Sort sort = Sort::steady;
};

const Piece kPieces[] = {
    {"rock 92", 92, Drums::rock, Harmony::strum, 4, false, 0.5},
    {"rock 104.3", 104.3, Drums::rock, Harmony::piano, 2, true, 0, 2},
    {"rock 118", 118, Drums::rock, Harmony::strum, 7, false, 1.37},
    {"rock 128.5", 128.5, Drums::rock, Harmony::strum, 9, true, 0, 0, 0.006},
    {"rock 140", 140, Drums::rock, Harmony::strum, 0, false, 0.2, 0, 0.004, 0.8},
    {"rock 152", 152, Drums::rock, Harmony::strum, 5, false, 0, 0, 0.005, 0, 44100},
    {"rock 165", 165, Drums::rock, Harmony::strum, 11, true},
    {"rock with a singer 98", 98, Drums::rock, Harmony::pads, 2, false, 0, 1, 0.006, 0, 48000, true},
    {"rock in a hall 110", 110, Drums::rock, Harmony::piano, 7, true, 0.8, 0, 0.004, 1.8},
    {"rock, all in one file 124", 124, Drums::rock, Harmony::strum, 4, true, 0, 0, 0.004, 0, 48000, true, true, true},
    {"four to the floor 118", 118, Drums::four, Harmony::pads, 9, true},
    {"four to the floor 122", 122, Drums::four, Harmony::arpeggio, 5, true, 0, 4},
    {"four to the floor 126", 126, Drums::four, Harmony::pads, 0, true, 2.0},
    {"four to the floor 128", 128, Drums::four, Harmony::arpeggio, 7, true, 0, 0, 0},
    {"four to the floor 132.7", 132.7, Drums::four, Harmony::pads, 3, false, 0, 0, 0, 0, 44100},
    {"four to the floor 138", 138, Drums::four, Harmony::arpeggio, 6, true, 0.1, 0, 0},
    {"four to the floor, sung 125", 125, Drums::four, Harmony::pads, 10, false, 0, 2, 0.002, 0.6, 48000, true},
    {"four, all in one file 130", 130, Drums::four, Harmony::arpeggio, 2, true, 0, 0, 0.001, 0, 44100, false, true,
     true},
    {"slow beat 68", 68, Drums::slow, Harmony::pads, 9, true, 0, 0, 0.008},
    {"slow beat 74", 74, Drums::slow, Harmony::piano, 2, true, 0.6, 1, 0.01},
    {"slow beat 82", 82, Drums::slow, Harmony::strum, 7, true, 0, 0, 0.01},
    {"slow beat 86", 86, Drums::slow, Harmony::pads, 0, false, 0, 0, 0.008, 0, 44100},
    {"slow beat 90", 90, Drums::slow, Harmony::piano, 5, false, 1.1, 0, 0.008, 0, 48000, true},
    {"slow beat 95", 95, Drums::slow, Harmony::arpeggio, 4, true},
    {"broken beat 160", 160, Drums::broken, Harmony::pads, 9, true},
    {"broken beat 168", 168, Drums::broken, Harmony::pads, 2, true, 0, 4, 0.002},
    {"broken beat 172", 172, Drums::broken, Harmony::pads, 5, true, 0.4},
    {"broken beat 174", 174, Drums::broken, Harmony::arpeggio, 7, true, 0, 0, 0.002, 0.7},
    {"broken beat 176", 176, Drums::broken, Harmony::pads, 10, true, 0, 0, 0.002, 0, 44100},
    {"ballad 60", 60, Drums::ballad, Harmony::piano, 0, false, 0, 2, 0.01, 1.6},
    {"ballad 66", 66, Drums::ballad, Harmony::piano, 7, false, 0.9, 0, 0.01, 0, 48000, true},
    {"ballad 72", 72, Drums::ballad, Harmony::pads, 5, false, 0, 0, 0.01, 1.2},
    {"ballad 78", 78, Drums::ballad, Harmony::piano, 2, true, 0, 2, 0.008},
    {"ballad 63.4", 63.4, Drums::ballad, Harmony::piano, 4, true, 0.3, 0, 0.008},
    {"shuffle 96", 96, Drums::shuffle, Harmony::strum, 9, false, 0, 0, 0.006},
    {"shuffle 112", 112, Drums::shuffle, Harmony::piano, 0, false, 0.5, 0, 0.006},
    {"shuffle 124", 124, Drums::shuffle, Harmony::strum, 7, false},
    {"shuffle 136", 136, Drums::shuffle, Harmony::piano, 5, false, 0, 0, 0.005},
    {"waltz 88", 88, Drums::waltz, Harmony::piano, 2, false, 0, 0, 0.006},
    {"waltz 104", 104, Drums::waltz, Harmony::strum, 7, false, 0.7, 0, 0.006},
    {"waltz 120", 120, Drums::waltz, Harmony::piano, 9, true, 0, 2, 0.006, 1.0},
    {"waltz 144", 144, Drums::waltz, Harmony::strum, 0, false},
    {"six eight 60", 60, Drums::six, Harmony::arpeggio, 9, true, 0, 0, 0.006},
    {"six eight 70", 70, Drums::six, Harmony::piano, 4, true, 0.5, 0, 0.006},
    {"bossa 120", 120, Drums::bossa, Harmony::strum, 5, false, 0, 0, 0.006},
    {"bossa 132", 132, Drums::bossa, Harmony::piano, 2, true, 0.4, 0, 0.006},
    {"half time 140", 140, Drums::half, Harmony::pads, 5, true},
    {"half time 150", 150, Drums::half, Harmony::arpeggio, 0, true, 0, 0, 0.002},
    {"piano alone 76", 76, Drums::none, Harmony::piano, 7, false, 0, 0, 0.008},
    {"piano alone 100", 100, Drums::none, Harmony::piano, 2, true, 0.6, 0, 0.01, 1.5},
    {"arpeggio alone 112", 112, Drums::none, Harmony::arpeggio, 9, true},
    {"arpeggio alone 84", 84, Drums::none, Harmony::arpeggio, 4, false, 0.3, 0, 0.004, 1.2},
    {"strummed alone 116", 116, Drums::none, Harmony::strum, 0, false, 0, 0, 0.008},
    {"strummed alone, sung 92", 92, Drums::none, Harmony::strum, 9, true, 0, 0, 0.01, 0, 48000, true},
    {"drifting rock 100", 100, Drums::rock, Harmony::strum, 4, true, 0, 0, 0.006, 0, 48000, false, true, false,
     Sort::drifting},
    {"drifting waltz 110", 110, Drums::waltz, Harmony::piano, 7, false, 0, 0, 0.006, 0, 48000, false, true, false,
     Sort::drifting},
    {"rubato piano", 70, Drums::none, Harmony::piano, 2, false, 0, 0, 0.01, 1.5, 48000, false, false, false,
     Sort::rubato},
    {"rubato, sung", 80, Drums::none, Harmony::pads, 5, false, 0, 0, 0.01, 0, 48000, true, false, false, Sort::rubato},
    {"noise", 0, Drums::none, Harmony::none, 0, false, 0, 0, 0, 0, 48000, false, false, false, Sort::noise},
    {"silence", 0, Drums::none, Harmony::none, 0, false, 0, 0, 0, 0, 48000, false, false, false, Sort::silence},
    {"speech", 0, Drums::none, Harmony::none, 0, false, 0, 0, 0, 0, 48000, false, false, false, Sort::speech},
    {"three seconds", 120, Drums::rock, Harmony::pads, 9, true, 0, 0, 0, 0, 48000, false, true, false, Sort::brief},
    {"a drone", 0, Drums::none, Harmony::drone, 9, true, 0, 0, 0, 0, 48000, false, false, false, Sort::noise},
    {"slowing rock 120", 120, Drums::rock, Harmony::pads, 9, true, 0.4, 0, 0.006, 0, 48000, false, true, false,
     Sort::slowing},
    {"walking rock 96", 96, Drums::rock, Harmony::strum, 2, true, 0.7, 2, 0.006, 0, 48000, false, true, false,
     Sort::walking},
    {"walking ballad 72", 72, Drums::slow, Harmony::piano, 7, false, 0, 0, 0.008, 1.2, 48000, true, true, false,
     Sort::walking},
    {"walking bossa 128", 128, Drums::bossa, Harmony::strum, 5, false, 0, 0, 0.006, 0, 44100, false, true, false,
     Sort::walking},
    {"walking strummed 105", 105, Drums::none, Harmony::strum, 0, false, 0.3, 0, 0.006, 0, 48000, false, false, false,
     Sort::walking},
    {"stepping four 124", 124, Drums::four, Harmony::pads, 9, true, 0, 0, 0.002, 0, 48000, false, true, false,
     Sort::stepping},
};

/// Chords of a song, as steps of its scale.
constexpr std::array<int, 4> kMinorWay = {0, 5, 2, 6}, kMajorWay = {0, 4, 5, 3};

class Band {
 public:
  Band(int which, int take, MadePiece& out)
      : piece_(kPieces[which])
      , out_(out)
      , draw_(static_cast<std::uint64_t>(which) * 131 + 7 + static_cast<std::uint64_t>(take) * 7919)
      , seed_(static_cast<std::uint64_t>(which) * 17 + 3 + static_cast<std::uint64_t>(take) * 6007) {
    piece_.bpm = std::round(piece_.bpm * std::pow(1.027, take) * 100) / 100;
    piece_.tonic = (piece_.tonic + 5 * take) % 12;
    piece_.lead += 0.31 * take;
    out_.name = piece_.name;
    out_.rate = piece_.rate;
    out_.barOneSeconds = piece_.lead;
    out_.beatsInBar = beats_ = piece_.drums == Drums::waltz ? 3 : piece_.drums == Drums::six ? 2 : 4;
    if (piece_.sort == Sort::steady) out_.bpm = piece_.bpm;
    if (piece_.harmony != Harmony::none && piece_.sort != Sort::noise) {
      out_.tonic = piece_.tonic;
      out_.minor = piece_.minor;
    }
    seconds_ = piece_.sort == Sort::brief ? 3 : kPieceSeconds;
    // Where each beat lies.
    double t = piece_.lead, walked = 1;
    for (int b = 0; t < seconds_ + 4; ++b) {
      beatAt_.push_back(t);
      double bpm = std::max(piece_.bpm, 30.0);
      if (piece_.sort == Sort::drifting) bpm *= 1 + 0.05 * std::sin(b * 0.11);
      if (piece_.sort == Sort::slowing) bpm *= 1 - 0.2 * t / kPieceSeconds;
      if (piece_.sort == Sort::walking) {
        walked = std::clamp(walked * (1 + 0.016 * (draw_.unit() - 0.5)), 0.93, 1.07);
        bpm *= walked;
      }
      if (piece_.sort == Sort::stepping && b >= 28) bpm *= 1.035;
      if (piece_.sort == Sort::rubato) bpm *= 0.7 + 0.65 * draw_.unit();
      t += 60 / bpm;
    }
  }

  void play() {
    if (piece_.sort <= Sort::stepping) {
      out_.beats = beatAt_;
      out_.wanders = piece_.sort != Sort::steady;
    }
    switch (piece_.sort) {
    case Sort::noise: {
      Part p = part();
      if (piece_.harmony == Harmony::drone)
        p.pad(0, seconds_, {45, 52, 57}, -24, 2, 2);
      else
        p.hiss(-26, 8000);
      out_.stems.push_back(stereoOf(p));
      return;
    }
    case Sort::silence:
      out_.stems.push_back(stereoOf(part()));
      return;
    case Sort::speech: {
      Part p = part();
      for (double t = 0.3; t < seconds_ - 3; t += 1.6 + 1.7 * draw_.unit())
        p.speak(t, 0.9 + 1.2 * draw_.unit(), 45 + 6 * draw_.unit(), -24);
      out_.stems.push_back(stereoOf(p));
      return;
    }
    default:
      break;
    }
    Part kit = part(), bass = part(), chords = part(), voice = part();
    for (int bar = 0; at(bar * beats_) < seconds_; ++bar) {
      if (bar >= piece_.bars) playDrums(kit, bar);
      playHarmony(chords, bass, bar);
      if (piece_.voice) sing(voice, bar);
    }
    std::vector<const Part*> all;
    if (piece_.drums != Drums::none) all.push_back(&kit);
    if (piece_.bass) all.push_back(&bass);
    if (piece_.harmony != Harmony::none) all.push_back(&chords);
    if (piece_.voice) all.push_back(&voice);
    if (piece_.mixed) {
      Part mix = part();
      for (const Part* p : all) mix.bleed(*p, 0, 0);
      out_.stems.push_back(sounding(mix));
      return;
    }
    for (const Part* p : all) out_.stems.push_back(sounding(*p));
  }

 private:
  Part part() { return {seconds_, piece_.rate, ++seed_}; }
  StereoBuffer sounding(const Part& p) const {
    return piece_.room > 0 ? inRoom(p, -9, piece_.room, piece_.room > 1.4) : stereoOf(p);
  }
  /// Where a place between beats lies.
  double at(double beat) const {
    const auto i = std::min(static_cast<std::size_t>(beat), beatAt_.size() - 2);
    return beatAt_[i] + (beat - static_cast<double>(i)) * (beatAt_[i + 1] - beatAt_[i]);
  }
  double played(double beat) { return std::max(0.0, at(beat) + piece_.human * 2 * (draw_.unit() - 0.5)); }
  void hits(Part& kit, int bar, std::initializer_list<double> kicks, std::initializer_list<double> snares,
            double hatEvery, double offHatDb = -3, double swing = 0.5) {
    const double from = bar * beats_;
    for (const double k : kicks) kit.kick(played(from + k), -14);
    for (const double s : snares) kit.snare(played(from + s), -16);
    if (hatEvery <= 0) return;
    for (int i = 0; i * hatEvery < beats_ - 1e-9; ++i) {
      const double b = i * hatEvery, part = b - std::floor(b);
      // The second half of a beat comes later when it swings.
      const double late = swing != 0.5 && std::abs(part - 0.5) < 1e-6 ? swing - 0.5 : 0;
      kit.hat(played(from + b + late), part < 1e-6 ? -32 : -32 + offHatDb);
    }
  }
  void playDrums(Part& kit, int bar) {
    const bool even = bar % 2 == 0;
    switch (piece_.drums) {
    case Drums::none:
      break;
    case Drums::rock:
      even ? hits(kit, bar, {0, 2}, {1, 3}, 0.5) : hits(kit, bar, {0, 1.5, 2}, {1, 3}, 0.5);
      break;
    case Drums::four:
      hits(kit, bar, {0, 1, 2, 3}, {1, 3}, 0.5, 4);
      break;
    case Drums::slow:
      even ? hits(kit, bar, {0, 1.75, 2.5}, {1, 3}, 0.5, -2, 0.58) : hits(kit, bar, {0, 2.5}, {1, 3}, 0.5, -2, 0.58);
      break;
    case Drums::broken:
      even ? hits(kit, bar, {0, 2.5}, {1, 3}, 0.5, -1) : hits(kit, bar, {0, 0.5, 2.5}, {1, 3}, 0.5, -1);
      break;
    case Drums::ballad:
      hits(kit, bar, {0, 2}, {1, 3}, 1);
      break;
    case Drums::shuffle:
      hits(kit, bar, {0, 2}, {1, 3}, 0.5, -4, 2 / 3.0);
      break;
    case Drums::waltz:
      hits(kit, bar, {0}, {}, 1, 0);
      kit.snare(played(bar * beats_ + 1), -22);
      kit.snare(played(bar * beats_ + 2), -22);
      break;
    case Drums::six:
      hits(kit, bar, {0}, {1}, 0);
      for (int i = 0; i < 6; ++i) kit.hat(played(bar * beats_ + i / 3.0), i % 3 == 0 ? -31 : -35);
      break;
    case Drums::bossa:
      hits(kit, bar, {0, 1.5, 2, 3.5}, {}, 0.5, -1);
      for (const double s : {0.0, 1.5, 3.0}) kit.tom(played(bar * beats_ + s), 70, -24);
      break;
    case Drums::half:
      hits(kit, bar, {0, 1.5}, {2}, 0.5, -1);
      break;
    }
  }
  double note(double root, int step) const { return noteOfScale(root, step, piece_.minor); }
  void playHarmony(Part& chords, Part& bass, int bar) {
    const double from = bar * beats_, to = at(from + beats_), length = to - at(from);
    const int way = (piece_.minor ? kMinorWay : kMajorWay)[static_cast<std::size_t>(bar % 4)];
    const double root = 48 + piece_.tonic + (piece_.tonic > 6 ? -12 : 0);
    const std::array<double, 3> notes = {note(root + 12, way), note(root + 12, way + 2), note(root + 12, way + 4)};
    switch (piece_.harmony) {
    case Harmony::none:
    case Harmony::drone:
      break;
    case Harmony::pads:
      chords.pad(at(from), length - 0.1, {notes[0], notes[1], notes[2]}, -26, 0.08, 0.2);
      break;
    case Harmony::arpeggio: {
      const double step = piece_.drums == Drums::six ? 1 / 3.0 : 0.5;
      for (int i = 0; i * step < beats_ - 1e-9; ++i)
        chords.pluck(played(from + i * step), length / beats_ * step * 1.4, notes[static_cast<std::size_t>(i % 3)],
                     i * step == std::floor(i * step) ? -23 : -25);
      break;
    }
    case Harmony::strum:
      for (int b = 0; b < beats_; ++b)
        for (std::size_t n = 0; n < 3; ++n) {
          chords.pluck(played(from + b), length / beats_, notes[n], b == 0 ? -26 : -29);
          if (b % 2 == 1) chords.pluck(played(from + b + 0.5), length / beats_ / 2, notes[n], -32);
        }
      break;
    case Harmony::piano:
      for (const double n : notes) {
        chords.pluck(played(from), length, n, -25);
        if (beats_ > 2) chords.pluck(played(from + beats_ / 2), length / 2, n, -29);
      }
      for (int b = 1; b < beats_; ++b)
        chords.pluck(played(from + b), length / beats_, notes[static_cast<std::size_t>(draw_.below(3))] + 12, -28);
      break;
    }
    if (!piece_.bass) return;
    const double low = note(root - 12, way);
    if (piece_.drums == Drums::four)
      for (int b = 0; b < beats_; ++b) bass.bass(at(from + b + 0.5), length / beats_ * 0.4, low, -20);
    else if (piece_.drums == Drums::waltz || piece_.drums == Drums::ballad || piece_.drums == Drums::none)
      bass.bass(played(from), length * 0.8, low, -20);
    else
      for (int b = 0; b < beats_; ++b)
        if (b == 0 || draw_.unit() < 0.6)
          bass.bass(played(from + b), length / beats_ * 0.8, b == 0 ? low : note(root - 12, way + (b % 2) * 4), -20);
  }
  void sing(Part& voice, int bar) {
    if (bar % 4 == 3) return;
    double b = bar * beats_ + 0.5 * draw_.below(2);
    while (b < (bar + 1) * beats_ - 0.6) {
      const double length = 0.5 * (1 + draw_.below(3));
      voice.sing(at(b), at(b + length * 0.9) - at(b), note(60 + piece_.tonic % 12, draw_.below(6)), -22,
                 "aeo"[draw_.below(3)], draw_.unit() < 0.4);
      b += length;
    }
  }

  Piece piece_;
  MadePiece& out_;
  Chance draw_;
  std::uint64_t seed_;
  double seconds_ = kPieceSeconds;
  int beats_ = 4;
  std::vector<double> beatAt_;
};

} // namespace

std::string madePieceName(int which) {
  return kPieces[which].name;
}

int madePieceCount() {
  return static_cast<int>(std::size(kPieces));
}

MadePiece madePiece(int which, int take) {
  MadePiece out;
  Band(which, take, out).play();
  return out;
}

} // namespace ivrin::test

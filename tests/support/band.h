// A band that plays what it is told: mono parts of sung and spoken lines, strings, bells, basses and drums, made so
// that what is played, and when, is known. Quick rather than beautiful; the same bytes on every machine for the same
// seed.
#pragma once

#include "audio/buffer.h"
#include "audio/chance.h"
#include "dsp/measure/loudness.h"

#include <cstdint>
#include <functional>
#include <vector>

namespace ivrin::test {

class Part {
 public:
  Part(double seconds, double rate, std::uint64_t seed = 1);
  std::int64_t frames() const { return static_cast<std::int64_t>(x.size()); }
  double rate() const { return rate_; }

  // Times in seconds, levels in dBFS of about the RMS while it is held (struck things: of the first 50 ms), pitches as
  // MIDI notes. What lies outside the part is dropped.
  /// A vowel of a voice: harmonics under three formants, 25 ms to come in and 70 ms to go, a little vibrato.
  void sing(double at, double length, double note, double db, char vowel = 'a', bool consonant = false);
  /// Syllables of speech: pitch that glides, hisses between them.
  void speak(double at, double length, double note, double db);
  /// Several notes of detuned saws through a low-pass.
  void pad(double at, double length, const std::vector<double>& notes, double db, double attack = 0.3,
           double release = 0.4);
  /// A string that is plucked: harmonics that die, the high ones sooner; damped at the end of `length`.
  void pluck(double at, double length, double note, double db);
  /// Inharmonic modes that ring for `decay` seconds (60 dB).
  void bell(double at, double note, double db, double decay);
  void bass(double at, double length, double note, double db);
  void kick(double at, double db);
  void snare(double at, double db);
  void hat(double at, double db, bool open = false);
  void tom(double at, double note, double db);
  void crash(double at, double db);
  /// Steady noise through a low-pass, at this RMS level all along: an amplifier, a room.
  void hiss(double db, double lowPassHz = 4000);
  /// Another part heard through the wall or in the microphone next to it.
  void bleed(const Part& other, double db, double delay = 0.004);
  /// Gain by which everything so far is multiplied from `from` to `to`.
  void turn(double from, double to, double db);

  std::vector<float> x;

 private:
  void play(double at, double length, const std::function<float(double t)>& voice);
  void modes(double at, const std::vector<std::array<double, 3>>& hertzSecondsLevel, double db);
  void noise(double at, double seconds, double db, double lowHz, double highHz, double attack, double decay);
  double rate_;
  Chance chance_;
};

/// Of R. Bristow-Johnson's cookbook.
Biquad lowPass(double hz, double q, double rate);
/// The MIDI note so many steps of a major or minor scale over its root.
double noteOfScale(double root, int step, bool minor);
/// Both sides of a part in the middle, or apart by a few milliseconds.
StereoBuffer stereoOf(const Part& part, double apartSeconds = 0);
/// With a room around it: `wetDb` against the dry sound (a steady sound is as loud in the room at 0), `decay` seconds.
StereoBuffer inRoom(const Part& part, double wetDb, double decay, bool hall = false);

} // namespace ivrin::test

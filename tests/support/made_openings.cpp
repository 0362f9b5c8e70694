#include "test_support/made_openings.h"

#include <cmath>

namespace ivrin::test {
namespace {

constexpr double kOpeningsSeconds = 30;

enum class Plays { singer, legato, talker, strings, chords, piano, bells, kick, snare, kit, bass, hiss };

struct RowOf {
  const char* name;
  Plays plays;
  double bpm;
  double room = 0, hissDb = -200, rate = 48000;
};

const RowOf kRowsOf[] = {
    {"a singer 90", Plays::singer, 90},
    {"a singer 72", Plays::singer, 72},
    {"a singer in hiss 110", Plays::singer, 110, 0, -58},
    {"a singer in a room 98", Plays::singer, 98, 0.7},
    {"a singer 124 at 44.1 kHz", Plays::singer, 124, 0, -200, 44100},
    {"legato 84", Plays::legato, 84},
    {"legato 100", Plays::legato, 100, 0, -60},
    {"a talker 96", Plays::talker, 96},
    {"a talker in a room 104", Plays::talker, 104, 0.6},
    {"strings 80", Plays::strings, 80},
    {"strings 118", Plays::strings, 118, 1.2},
    {"chords 104", Plays::chords, 104},
    {"chords in hiss 92", Plays::chords, 92, 0, -60},
    {"a bass 88", Plays::bass, 88},
    {"a bass 126", Plays::bass, 126},
    {"a piano 76", Plays::piano, 76},
    {"a piano 120", Plays::piano, 120, 0.8},
    {"bells 90", Plays::bells, 90},
    {"bells in hiss 110", Plays::bells, 110, 0, -62},
    {"lone kicks 100", Plays::kick, 100},
    {"lone kicks in a room 86", Plays::kick, 86, 0.5},
    {"lone snares 94", Plays::snare, 94},
    {"lone snares 132", Plays::snare, 132, 0.4, -62},
    {"a kit 110", Plays::kit, 110},
    {"a kit 174", Plays::kit, 174, 0.4},
    {"hiss", Plays::hiss, 100, 0, -40},
};

} // namespace

int madeOpeningsCount() {
  return static_cast<int>(std::size(kRowsOf));
}

MadeOpenings madeOpenings(int which, int take) {
  RowOf row = kRowsOf[which];
  row.bpm *= std::pow(1.031, take);
  Chance draw(static_cast<std::uint64_t>(which) * 53 + 11 + static_cast<std::uint64_t>(take) * 4099);
  MadeOpenings out;
  out.name = row.name;
  out.rate = row.rate;
  out.bpm = row.bpm;
  const double beat = 60 / row.bpm;
  Part p(kOpeningsSeconds, row.rate,
         static_cast<std::uint64_t>(which) * 7 + 1 + static_cast<std::uint64_t>(take) * 101);
  std::vector<MadeOpenings::Span> sounds; // phrases
  double t = beat * (1 + draw.below(2));
  const auto longOrShort = [&] { return draw.unit() < 0.5 ? 0.25 + 0.1 * draw.unit() : 0.8 + 1.4 * draw.unit(); };
  const auto isHeld = [&](double seconds) { return seconds > 0.3 && seconds / beat > 0.7; };
  while (t < kOpeningsSeconds - 6 * beat) {
    const double from = t;
    const int notes = 2 + draw.below(4);
    double end = t;
    switch (row.plays) {
    case Plays::singer:
    case Plays::legato:
    case Plays::strings:
    case Plays::bass:
    case Plays::piano:
      for (int n = 0; n < notes; ++n) {
        const double length = longOrShort() * beat, note = 57 + 2 * draw.below(7);
        const bool joined = row.plays == Plays::legato;
        const double sounding = joined ? length : length * 0.85;
        if (row.plays == Plays::strings)
          p.pad(t, sounding, {note, note + 7}, -22, 0.03, 0.06);
        else if (row.plays == Plays::bass)
          p.bass(t, sounding, note - 24, -20);
        else if (row.plays == Plays::piano)
          p.pluck(t, sounding, note, -20);
        else
          p.sing(t, sounding, note, -20 - 4 * draw.unit(), "aeo"[draw.below(3)], !joined && draw.unit() < 0.5);
        if (isHeld(sounding)) (row.plays == Plays::piano ? out.ringing : out.held).push_back({t, t + sounding});
        end = t + sounding;
        t += length;
      }
      break;
    case Plays::talker: {
      const double length = (1.2 + 1.5 * draw.unit()) * beat;
      p.speak(t, length, 45 + 6 * draw.unit(), -22);
      end = t += length;
      break;
    }
    case Plays::chords: {
      const double length = (1.5 + 2 * draw.unit()) * beat, root = 50 + 2 * draw.below(5);
      p.pad(t, length, {root, root + 4, root + 7}, -22, 0.05, 0.1);
      out.held.push_back({t, t + length});
      end = t += length;
      break;
    }
    case Plays::bells:
      p.bell(t, 72 + 2 * draw.below(6), -20, 0.6);
      out.hits.push_back(t);
      end = t + 0.2;
      t += 0.2;
      break;
    case Plays::kick:
    case Plays::snare:
      if (draw.unit() < 0.6) {
        row.plays == Plays::kick ? p.kick(t, -14) : p.snare(t, -14);
        out.hits.push_back(t);
        end = t + 0.15;
      } else { // two close together are none that stands alone
        for (const double d : {0.0, 0.35 * beat}) row.plays == Plays::kick ? p.kick(t + d, -14) : p.snare(t + d, -14);
        end = t + 0.35 * beat + 0.15;
      }
      t = end;
      break;
    case Plays::kit:
      for (int i = 0; i < 8; ++i, t += beat / 2) {
        p.hat(t, -30);
        if (i % 4 == 0) p.kick(t, -14);
        if (i % 4 == 2) p.snare(t, -16);
        end = t + 0.12;
      }
      break;
    case Plays::hiss:
      t = kOpeningsSeconds;
      continue;
    }
    sounds.push_back({from, end});
    t = std::max(t, end) + beat * (draw.unit() < 0.7 ? 1.3 + 2 * draw.unit() : 6);
  }
  for (std::size_t i = 1; i < sounds.size(); ++i) out.gaps.push_back({sounds[i - 1].second, sounds[i].first});
  if (row.hissDb > -100) p.hiss(row.hissDb);
  out.sound = row.room > 0 ? inRoom(p, -12, row.room) : stereoOf(p);
  return out;
}

} // namespace ivrin::test

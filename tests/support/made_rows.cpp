#include "test_support/made_rows.h"

#include <cmath>

namespace ivrin::test {
namespace {

constexpr double kSeconds = 26;

enum class Player { singer, talker, pad, bells, pluck, bass, kit, piano, brass };

double scaleNote(double root, int step) {
  return noteOfScale(root, step, false);
}

/// A phrase of so many beats; returns where its last sound is let go.
double playPhrase(Part& p, Player player, double at, double beats, double beat, double db, Chance& draw) {
  static constexpr char kVowels[] = {'a', 'e', 'i', 'o', 'u'};
  double t = at;
  const double end = at + beats * beat;
  switch (player) {
  case Player::singer:
    while (t < end - 0.1) {
      const double length = std::min(beat * (draw.unit() < 0.4 ? 0.5 : draw.unit() < 0.6 ? 1 : 1.5), end - t);
      p.sing(t, length * (0.85 + 0.14 * draw.unit()), scaleNote(57, draw.below(9)), db - 6 * draw.unit(),
             kVowels[draw.below(5)], draw.unit() < 0.3);
      t += length;
    }
    return end;
  case Player::talker:
    p.speak(t, beats * beat, 50, db);
    return end;
  case Player::pad:
  case Player::brass: {
    const double each = std::max(beat * 2, 0.8);
    while (t < end - 0.2) {
      const int root = draw.below(6);
      const double length = std::min(each, end - t), attack = player == Player::pad ? 0.25 : 0.04;
      p.pad(t, length - 0.1, {scaleNote(48, root), scaleNote(48, root + 2), scaleNote(48, root + 4)}, db, attack,
            player == Player::pad ? 0.3 : 0.1);
      t += length;
    }
    return end + (player == Player::pad ? 0.2 : 0);
  }
  case Player::bells:
    while (t < end - 0.1) {
      p.bell(t, scaleNote(72, draw.below(8)), db - 4 * draw.unit(), 0.8 + 0.7 * draw.unit());
      t += beat * (draw.unit() < 0.5 ? 0.5 : 1);
    }
    return end;
  case Player::piano:
    while (t < end - 0.1) {
      const double length = std::min(beat * (draw.unit() < 0.5 ? 1 : 0.5), end - t);
      for (const int k : {0, 2, 4}) p.pluck(t, length, scaleNote(55, k + draw.below(3)), db - 4 - 3 * draw.unit());
      t += length;
    }
    return end;
  case Player::pluck:
    while (t < end - 0.1) {
      const double length = std::min(beat * 0.5, end - t);
      p.pluck(t, length, scaleNote(52, draw.below(10)), db - 5 * draw.unit());
      t += length;
    }
    return end;
  case Player::bass:
    while (t < end - 0.1) {
      const double length = std::min(beat * (draw.unit() < 0.6 ? 0.5 : 1), end - t);
      p.bass(t, length * 0.9, scaleNote(33, draw.below(5)), db - 3 * draw.unit());
      t += length;
    }
    return end;
  case Player::kit:
    for (int s = 0; t < end - 0.02; ++s, t += beat / 4) {
      if (s % 8 == 0 || draw.unit() < 0.15) p.kick(t, db);
      if (s % 8 == 4) p.snare(t, db - 2);
      if (s % 2 == 0) p.hat(t, db - 14 - 4 * draw.unit());
      if (s > 8 && draw.unit() < 0.12) p.tom(t, 43 + draw.below(8), db - 3);
    }
    return end;
  }
  return end;
}

struct Recipe {
  const char* name;
  Player player;
  MadeRow::Class type;
  double bpm;
  double room = 0, roomDb = -8; // seconds, level of the room
  double floorDb = -200;        // under the player's level
  bool bleeding = false;        // the floor is a band next door
  double verseDb = 0;           // the first half is softer
  double rate = 48000;
};

constexpr auto kDry = MadeRow::Class::dry, kNoisy = MadeRow::Class::noisy, kRoomy = MadeRow::Class::roomy,
               kRunning = MadeRow::Class::running;

const Recipe kRecipes[] = {
    {"singer", Player::singer, kDry, 104},
    {"singer slow", Player::singer, kDry, 56},
    {"singer fast", Player::singer, kDry, 172},
    {"singer, verse 30 dB softer", Player::singer, kDry, 96, 0, 0, -200, false, -30},
    {"singer at 44.1 kHz", Player::singer, kDry, 120, 0, 0, -200, false, 0, 44100},
    {"talker", Player::talker, kDry, 90},
    {"talker, half 20 dB softer", Player::talker, kDry, 128, 0, 0, -200, false, -20},
    {"pad", Player::pad, kDry, 84},
    {"pad fast", Player::pad, kDry, 150},
    {"brass", Player::brass, kDry, 112},
    {"brass, verse 30 dB softer", Player::brass, kDry, 76, 0, 0, -200, false, -30},
    {"pluck", Player::pluck, kDry, 98},
    {"piano", Player::piano, kDry, 70},
    {"bass", Player::bass, kDry, 124},
    {"bass slow", Player::bass, kDry, 62},
    {"kit", Player::kit, kDry, 100},
    {"kit fast", Player::kit, kDry, 174},
    {"singer in hiss", Player::singer, kNoisy, 104, 0, 0, -25},
    {"singer in hiss, slow", Player::singer, kNoisy, 60, 0, 0, -30},
    {"singer, band in the microphone", Player::singer, kNoisy, 118, 0, 0, -25, true},
    {"singer, band in the microphone, fast", Player::singer, kNoisy, 160, 0, 0, -27, true},
    {"talker in hiss", Player::talker, kNoisy, 92, 0, 0, -28},
    {"talker, band in the microphone", Player::talker, kNoisy, 108, 0, 0, -26, true},
    {"brass in hiss", Player::brass, kNoisy, 88, 0, 0, -25},
    {"pad in hiss", Player::pad, kNoisy, 100, 0, 0, -30},
    {"pluck in hiss", Player::pluck, kNoisy, 132, 0, 0, -30},
    {"piano, band in the microphone", Player::piano, kNoisy, 80, 0, 0, -30, true},
    {"bass with hum and hiss", Player::bass, kNoisy, 96, 0, 0, -32},
    {"kit, band in the microphone", Player::kit, kNoisy, 110, 0, 0, -28, true},
    {"singer in a room", Player::singer, kRoomy, 104, 0.7, -8},
    {"singer in a hall", Player::singer, kRoomy, 72, 2.5, -10},
    {"singer in a long hall", Player::singer, kRoomy, 58, 4.0, -12},
    {"talker in a room", Player::talker, kRoomy, 96, 1.0, -8},
    {"brass in a hall", Player::brass, kRoomy, 84, 2.0, -10},
    {"pad in a hall", Player::pad, kRoomy, 66, 2.5, -10},
    {"pluck in a room", Player::pluck, kRoomy, 110, 0.9, -8},
    {"piano in a hall", Player::piano, kRoomy, 64, 2.2, -10},
    {"bells", Player::bells, kRoomy, 92},
    {"bells in a hall", Player::bells, kRoomy, 60, 2.0, -12},
    {"kit in a room", Player::kit, kRoomy, 100, 0.8, -6},
    {"kit in a hall", Player::kit, kRoomy, 88, 1.6, -10},
    {"bass in a room", Player::bass, kRoomy, 90, 0.8, -12},
    {"kit that never rests", Player::kit, kRunning, 122},
    {"kit in a room that never rests", Player::kit, kRunning, 96, 0.8, -6},
    {"pad that never rests", Player::pad, kRunning, 80},
    {"pluck that never rests", Player::pluck, kRunning, 140},
    {"bass that never rests", Player::bass, kRunning, 128},
    {"bells that never rest", Player::bells, kRunning, 104},
    {"singer who never breathes", Player::singer, kRunning, 110},
};

/// A band to be heard through the wall: kit, bass and plucked strings all along.
Part bandNextDoor(double seconds, double rate, double beat, std::uint64_t seed) {
  Part band(seconds, rate, seed);
  Chance draw(seed + 5);
  playPhrase(band, Player::kit, 0, seconds / beat, beat, -16, draw);
  playPhrase(band, Player::pluck, 0, seconds / beat, beat, -22, draw);
  playPhrase(band, Player::bass, 0, seconds / beat, beat, -22, draw);
  return band;
}

} // namespace

int madeRowCount() {
  return static_cast<int>(std::size(kRecipes));
}

std::string madeRowName(int which) {
  return kRecipes[which].name;
}

MadeRow madeRow(int which, int take) {
  const Recipe& r = kRecipes[which];
  MadeRow row{r.name, r.type, r.bpm, r.rate, {}, {}};
  const double beat = row.beatSeconds(), db = -20;
  const auto seed = static_cast<std::uint64_t>(which + 1000 * take);
  Chance draw(seed * 131 + 3);
  Part part(kSeconds, r.rate, seed + 11);
  if (r.type == kRunning) {
    playPhrase(part, r.player, 0.2, (kSeconds - 0.4) / beat, beat, db, draw);
    row.played.push_back({0.2, kSeconds - 0.2});
  } else {
    double t = 0.4 + 0.5 * beat;
    while (t < kSeconds - 1.5) {
      const double beats = std::min(1.0 + draw.below(7), std::floor((kSeconds - 0.8 - t) / beat * 2) / 2);
      if (beats < 0.75) break;
      const double end = playPhrase(part, r.player, t, beats, beat, db, draw);
      row.played.push_back({t, end});
      // From a breath up to a bar; sounds that ring on their own need longer to be a rest at all.
      const double ring = r.player == Player::bells ? 0.5 : 0;
      t = end + ring + beat * (0.95 + 0.5 * draw.below(7));
    }
  }
  if (r.verseDb != 0) {
    double middle = kSeconds / 2;
    for (std::size_t i = 1; i < row.played.size(); ++i)
      if (row.played[i].first > kSeconds / 2) {
        middle = row.played[i].first - 0.05;
        break;
      }
    part.turn(0, middle, r.verseDb);
  }
  if (r.bleeding) {
    part.bleed(bandNextDoor(kSeconds, r.rate, beat, seed), db + r.floorDb + 14);
    part.hiss(db + r.floorDb - 12);
  } else if (r.floorDb > -100) {
    part.hiss(db + r.floorDb);
  }
  row.sound = r.room > 0 ? inRoom(part, r.roomDb, r.room, r.room > 1.5) : stereoOf(part);
  return row;
}

} // namespace ivrin::test

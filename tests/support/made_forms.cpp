#include "test_support/made_forms.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <string_view>

namespace ivrin::test {
namespace {

/// How a part is played. A digit of `plays` for each of: drums (0 none, 1 hats, 2 kick and hats, 3 all, 4 doubled),
/// bass, pads, plucked chords, voice (2: an octave up), bells.
struct Played {
  char letter;
  std::array<int, 4> way; // chords, steps of the scale
  const char* plays;
  double db = 0;
};

struct FormOf {
  const char* name;
  double bpm;
  const char* parts; // letters and bars
  std::vector<Played> played;
  bool minor = true, fills = false, oneFile = false;
  int beats = 4;
  double human = 0.004, room = 0;
};

const std::array<int, 4> kLow = {0, 5, 2, 6}, kLift = {3, 4, 5, 6}, kHigh = {5, 2, 6, 0}, kPlain = {0, 0, 3, 4},
                         kOther = {1, 4, 0, 3};

const std::vector<FormOf>& forms() {
  static const std::vector<FormOf> all = {
      {"song 104",
       104,
       "I8 V16 C16 V16 C16 B8 C16",
       {{'I', kLow, "001100"}, {'V', kLow, "211010"}, {'C', kHigh, "311121"}, {'B', kLift, "001010"}}},
      {"song with fills 118",
       118,
       "I4 V16 P8 C16 V16 P8 C16",
       {{'I', kLow, "101000"}, {'V', kLow, "311010"}, {'P', kLift, "211110"}, {'C', kHigh, "411120"}},
       false,
       true},
      {"a loop 124",
       124,
       "A8 B8 C16 D8 C16 E8",
       {{'A', kLow, "200000"},
        {'B', kLow, "210000"},
        {'C', kLow, "311100"},
        {'D', kLow, "001100"},
        {'E', kLow, "210001"}}},
      {"only chords change 96", 96, "A16 B8 A8", {{'A', kLow, "310100"}, {'B', kLift, "310100"}}, false},
      {"voice and guitar 88",
       88,
       "V8 C8 V8 C8 B8 C8",
       {{'V', kPlain, "000110"}, {'C', kHigh, "000120"}, {'B', kLift, "000100"}},
       false,
       false,
       false,
       4,
       0.012},
      {"waltz 132",
       132,
       "I8 V16 C16 V16 C16",
       {{'I', kLow, "000100"}, {'V', kLow, "210110"}, {'C', kHigh, "311120"}},
       false,
       false,
       false,
       3},
      {"broken 172",
       172,
       "I16 U8 D32 B16 U8 D32",
       {{'I', kLow, "101001"}, {'U', kLow, "201011"}, {'D', kLow, "411100"}, {'B', kHigh, "001010"}}},
      {"all in one file 110",
       110,
       "I8 V16 C16 V16 C16",
       {{'I', kLow, "001100"}, {'V', kLow, "211010"}, {'C', kHigh, "311121"}},
       true,
       false,
       true},
      {"slow 84",
       84,
       "I4 V12 H4 V12 H4 V12 H8",
       {{'I', kLow, "001000"}, {'V', kLow, "310010"}, {'H', kHigh, "311101"}},
       true,
       true},
      {"odd lengths 126",
       126,
       "V14 C9 V14 C9 O6",
       {{'V', kLow, "310110"}, {'C', kHigh, "411120"}, {'O', kPlain, "001000"}},
       false},
      {"soft and loud in a hall 120",
       120,
       "V16 C8 V16 C8 B8 C16",
       {{'V', kLow, "210110", -14}, {'C', kLow, "411120"}, {'B', kLift, "110110", -8}},
       true,
       true,
       false,
       4,
       0.008,
       1.6},
      {"long 138",
       138,
       "A16 B16 C8 D32 E16 C8 D32 A16",
       {{'A', kLow, "200000"},
        {'B', kLow, "210001"},
        {'C', kHigh, "101010"},
        {'D', kHigh, "411100"},
        {'E', kLift, "001100"}},
       true,
       true},
      {"nothing changes 120", 120, "A40", {{'A', kLow, "311100"}}},
      {"nothing changes, sung 100", 100, "A32", {{'A', kLow, "310110"}}, false, true},
  };
  return all;
}

} // namespace

int madeFormCount() {
  return static_cast<int>(forms().size());
}

MadeForm madeForm(int which, int take) {
  const FormOf& form = forms()[static_cast<std::size_t>(which)];
  MadeForm out;
  out.name = form.name;
  out.bpm = std::round(form.bpm * std::pow(1.023, take) * 100) / 100;
  out.beatsInBar = form.beats;
  std::vector<char> bars;
  for (std::string_view p = form.parts; !p.empty();) {
    const char name = p.front();
    std::size_t used = 1;
    int count = 0;
    while (used < p.size() && p[used] != ' ') count = count * 10 + (p[used++] - '0');
    p.remove_prefix(std::min(p.size(), used + 1));
    out.starts.push_back(static_cast<int>(bars.size()));
    out.letters.push_back(name);
    bars.insert(bars.end(), static_cast<std::size_t>(count), name);
  }
  const double beat = 60 / out.bpm, bar = beat * form.beats;
  const double seconds = bar * static_cast<double>(bars.size()) + 1;
  Chance draw(static_cast<std::uint64_t>(which) * 71 + 5 + static_cast<std::uint64_t>(take) * 5003);
  std::uint64_t seed = static_cast<std::uint64_t>(which) * 19 + 2 + static_cast<std::uint64_t>(take) * 3001;
  const int tonic = (2 + 5 * which + 7 * take) % 12;
  const auto part = [&] { return Part(seconds, out.rate, ++seed); };
  Part kit = part(), bass = part(), pads = part(), plucked = part(), voice = part(), bells = part();
  const auto late = [&] { return form.human * 2 * (draw.unit() - 0.5); };
  const double root = 48 + tonic - (tonic > 6 ? 12 : 0);
  const auto note = [&](double from, int step) { return noteOfScale(from, step, form.minor); };
  for (std::size_t b = 0; b < bars.size(); ++b) {
    const Played& p =
        *std::find_if(form.played.begin(), form.played.end(), [&](const Played& x) { return x.letter == bars[b]; });
    const auto plays = [&](std::size_t i) { return p.plays[i] - '0'; };
    const double at = bar * static_cast<double>(b), db = p.db;
    const auto first =
        static_cast<std::size_t>(*(std::upper_bound(out.starts.begin(), out.starts.end(), static_cast<int>(b)) - 1));
    const int way = p.way[(b - first) % 4];
    const bool last = b + 1 < bars.size() && bars[b + 1] != bars[b], fill = form.fills && (last || b % 8 == 7);
    const int drums = plays(0);
    for (int k = 0; k < form.beats && drums > 0; ++k) {
      const double t = at + k * beat;
      if (drums >= 2 && (drums == 4 || k % 2 == 0)) kit.kick(t + late(), -14 + db);
      if (drums >= 3 && (form.beats == 3 ? k > 0 : k % 2 == 1)) kit.snare(t + late(), -16 + db);
      for (int h = 0; h < 2; ++h) kit.hat(t + h * beat / 2 + late(), -30 - 3 * h + db);
      if (drums == 4) kit.hat(t + beat / 2 + late(), -26 + db, true);
      if (fill && k >= 2)
        for (int f = 0; f < 4; ++f) kit.tom(t + f * beat / 4 + late(), 55 - 3 * k, -18 + db);
    }
    if (drums >= 3 && b == first) kit.crash(at, -22 + db);
    if (plays(1))
      for (int k = 0; k < form.beats; ++k)
        if (k == 0 || draw.unit() < 0.6) bass.bass(at + k * beat + late(), beat * 0.8, note(root - 12, way), -20 + db);
    const std::vector<double> chord = {note(root + 12, way), note(root + 12, way + 2), note(root + 12, way + 4)};
    if (plays(2)) pads.pad(at, bar - 0.05, chord, -27 + db, 0.08, 0.2);
    if (plays(3))
      for (int k = 0; k < form.beats; ++k)
        for (const double n : chord) plucked.pluck(at + k * beat + late(), beat, n, (k == 0 ? -26 : -29) + db);
    // A line rests every fourth bar; into the next part it comes early.
    const bool early = form.fills && last && plays(4) == 0 && draw.unit() < 0.7;
    if ((plays(4) && b % 4 != 3) || early)
      for (double k = early ? form.beats - 1 : 0.5 * draw.below(2); k < form.beats - 0.6;) {
        const double length = 0.5 * (1 + draw.below(3));
        voice.sing(at + k * beat, beat * length * 0.9, note((plays(4) == 2 ? 67 : 60) + tonic % 6, draw.below(5)),
                   -22 + db, "aeo"[draw.below(3)], draw.unit() < 0.4);
        k += length;
      }
    if (plays(5))
      for (int k = 0; k < 2; ++k) bells.bell(at + k * bar / 2, chord[static_cast<std::size_t>(k)] + 24, -30 + db, 2);
  }
  std::vector<const Part*> all;
  const std::array<const Part*, 6> every = {&kit, &bass, &pads, &plucked, &voice, &bells};
  for (std::size_t i = 0; i < every.size(); ++i)
    if (std::any_of(form.played.begin(), form.played.end(), [&](const Played& p) { return p.plays[i] != '0'; }))
      all.push_back(every[i]);
  const auto sounding = [&](const Part& p) { return form.room > 0 ? inRoom(p, -9, form.room, true) : stereoOf(p); };
  if (form.oneFile) {
    Part mix = part();
    for (const Part* p : all) mix.bleed(*p, 0, 0);
    out.stems.push_back(sounding(mix));
  } else {
    for (const Part* p : all) out.stems.push_back(sounding(*p));
  }
  if (out.starts.size() < 2) {
    out.starts.clear();
    out.letters.clear();
  }
  return out;
}

} // namespace ivrin::test

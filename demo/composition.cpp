#include "composition.h"

namespace lantern {

const std::vector<Section>& form() {
  static const std::vector<Section> sections = {{Part::intro, 0, 8},    {Part::verse, 8, 16}, {Part::lift, 24, 8},
                                                {Part::chorus, 32, 16}, {Part::rest, 48, 6},  {Part::last, 54, 6}};
  return sections;
}

const Section& sectionAt(int bar) {
  const Section* found = &form().front();
  for (const Section& s : form())
    if (bar >= s.firstBar) found = &s;
  return *found;
}

namespace {

const Chord Dm9{38, {53, 57, 60, 64}}, Bb{34, {53, 57, 60, 62}}, Fadd9{41, {53, 57, 60, 67}}, C{36, {52, 55, 60, 62}},
    Gm{43, {53, 58, 62, 65}}, GmLow{31, {53, 58, 62, 65}}, Am{33, {52, 55, 60, 64}}, Asus{33, {52, 55, 62, 64}},
    A7{33, {52, 55, 61, 64}}, FoverA{33, {53, 57, 60, 65}}, DmEnd{38, {53, 57, 62, 64}};

const std::vector<const Chord*>& harmony() {
  static const std::vector<const Chord*> bars = {
      // intro
      &Dm9, &Dm9, &Bb, &Bb, &Fadd9, &Fadd9, &C, &C,
      // verse
      &Dm9, &Bb, &Fadd9, &C, &Dm9, &Bb, &Fadd9, &C, &Dm9, &Bb, &Fadd9, &C, &Dm9, &Bb, &Gm, &C,
      // lift
      &Gm, &Am, &Bb, &C, &Gm, &Am, &Bb, &Asus,
      // chorus
      &Bb, &C, &Dm9, &FoverA, &GmLow, &Bb, &C, &A7, &Bb, &C, &Dm9, &FoverA, &GmLow, &Bb, &Asus, &A7,
      // rest
      &Dm9, &Dm9, &Gm, &Gm, &Bb, &Asus,
      // last light
      &Bb, &C, &Dm9, &Fadd9, &Bb, &DmEnd};
  return bars;
}

/// Notes of one bar: offsets in beats.
void bar(std::vector<Sung>& out, int b, std::vector<Sung> notes) {
  for (Sung n : notes) {
    n.at += 4.0 * b;
    out.push_back(n);
  }
}

std::vector<Sung> write() {
  constexpr int D4 = 62, E4 = 64, F4 = 65, G4 = 67, A4 = 69, Bb4 = 70, C5 = 72, D5 = 74, E5 = 76, C4 = 60;
  std::vector<Sung> m;
  // A hum carries into the verse.
  bar(m, 6, {{0, 1.5, D4, 'm', 'u', .5}, {1.5, .5, E4, ' ', 'u', .5}, {2, 1.6, F4, ' ', 'u', .55}});
  bar(m, 7, {{0, 2.0, E4, 'm', 'u', .55}});
  // Verse: a line, a rest that wants filling, an answer with a long last word.
  const auto verseLine = [&](int b, bool second) {
    bar(m, b,
        {{.5, .45, A4, 'l', 'a', .7},
         {1, .45, A4, 'n', 'e', .65},
         {1.5, .45, G4, 'd', 'a', .65},
         {2, 1.0, A4, 'l', 'o', .8},
         {3.0, .75, F4, ' ', 'o', .7}});
    bar(m, b + 1,
        {{0, .9, second ? G4 : F4, 'n', 'a', .75}, {1.0, .45, E4, 'd', 'i', .65}, {1.5, 1.2, D4, 'l', 'a', .75}});
    bar(m, b + 2,
        {{.5, .45, C4, 'h', 'a', .6},
         {1, .45, F4, 'l', 'e', .65},
         {1.5, .45, G4, 'n', 'a', .7},
         {2, 1.0, A4, 'm', 'o', .8},
         {3, .75, G4, 'l', 'a', .7}});
  };
  verseLine(8, false);
  bar(m, 11, {{0, 1.6, E4, 'h', 'o', .8}});
  verseLine(12, true);
  bar(m, 15, {{0, .9, E4, 'n', 'a', .75}, {1, 1.0, D4, 'd', 'o', .75}});
  verseLine(16, false);
  bar(m, 19, {{0, 1.7, G4, 'h', 'o', .85}});
  bar(m, 20,
      {{.5, .45, A4, 'l', 'a', .75},
       {1, .45, A4, 'n', 'e', .7},
       {1.5, .45, C5, 'd', 'a', .8},
       {2, 1.0, C5, 'l', 'o', .85},
       {3, .75, A4, ' ', 'o', .75}});
  bar(m, 21, {{0, .9, A4, 'n', 'a', .8}, {1, .45, G4, 'd', 'i', .7}, {1.5, 1.4, F4, 'l', 'a', .8}});
  bar(m, 22,
      {{.5, .45, D4, 's', 'a', .7},
       {1, .45, F4, 'l', 'e', .7},
       {1.5, .45, G4, 'n', 'a', .75},
       {2, 1.4, Bb4, 'm', 'o', .85}});
  bar(m, 23, {{0, 1.3, G4, 'h', 'o', .85}});
  // Lift: long notes that climb, and hold back for what comes.
  bar(m, 24, {{0, 1.4, Bb4, 'l', 'a', .62}, {1.5, .4, A4, 'n', 'a', .58}, {2, 1.3, G4, 'd', 'o', .58}});
  bar(m, 25, {{0, 2.6, C5, 'l', 'a', .66}});
  bar(m, 26, {{0, 1.4, D5, 'h', 'a', .68}, {1.5, .4, C5, 'n', 'a', .62}, {2, 1.3, Bb4, 'd', 'o', .62}});
  bar(m, 27, {{0, 2.4, G4, 'l', 'o', .62}});
  bar(m, 28, {{0, 1.4, Bb4, 'l', 'a', .66}, {1.5, .4, C5, 'n', 'a', .64}, {2, 1.4, D5, 'd', 'o', .7}});
  bar(m, 29, {{0, 1.4, C5, 'l', 'a', .7}, {1.5, .4, D5, 'n', 'a', .68}, {2, 1.4, E5, 'd', 'a', .75}});
  bar(m, 30, {{0, 2.9, D5, 'h', 'a', .76}, {3, .8, C5, ' ', 'a', .7}});
  bar(m, 31, {{0, 1.8, D5, 'h', 'o', .82}});
  // Chorus: the hook, its answer, room after each.
  const auto hook = [&](int b, bool higher) {
    bar(m, b,
        {{0, .7, D5, 'l', 'a', 1},
         {.75, .7, D5, 'n', 'a', .9},
         {1.5, .45, C5, 'd', 'e', .85},
         {2, .9, A4, 'l', 'o', .85},
         {3, .4, F4, 'n', 'a', .75},
         {3.5, .4, G4, 'd', 'a', .8}});
    bar(m, b + 1, {{0, 2.2, higher ? C5 : G4, 'h', 'o', .95}});
    bar(m, b + 2,
        {{0, .7, D5, 'l', 'a', 1},
         {.75, .7, F4 + 12, 'n', 'a', .95},
         {1.5, .45, E5, 'd', 'e', .9},
         {2, 1.4, D5, 'l', 'o', .95}});
    bar(m, b + 3, {{0, .45, C5, 'n', 'a', .85}, {.5, 1.7, A4, 'h', 'a', .9}});
    bar(m, b + 4,
        {{.5, .45, Bb4, 'l', 'a', .85},
         {1, .45, Bb4, 'n', 'e', .8},
         {1.5, .45, A4, 'd', 'a', .8},
         {2, .9, Bb4, 'l', 'o', .85},
         {3, .8, D5, ' ', 'o', .9}});
    bar(m, b + 5, {{0, 1.4, C5, 'n', 'a', .9}, {1.5, .4, Bb4, 'd', 'a', .8}, {2, 1.2, A4, 'l', 'o', .85}});
    bar(m, b + 6, {{0, .9, G4, 'h', 'a', .85}, {1, .45, A4, 'l', 'e', .8}, {1.5, 1.2, E4, 'n', 'o', .8}});
  };
  hook(32, false);
  bar(m, 39, {{0, 1.5, A4, 'l', 'a', .9}});
  hook(40, true);
  bar(m, 47, {{0, 2.6, E5, 'h', 'a', 1}});
  // Rest: nearly nothing.
  bar(m, 49, {{0, 1.5, A4, 'm', 'u', .55}, {1.5, 1.6, F4, ' ', 'u', .5}});
  bar(m, 51, {{0, 1.0, Bb4, 'm', 'u', .55}, {1, 1.9, G4, ' ', 'u', .55}});
  bar(m, 53, {{0, .9, E4, 'n', 'a', .6}, {1, 1.6, A4, 'l', 'o', .7}});
  // Last light: the hook once more, quieter, and home.
  bar(m, 54,
      {{0, .7, D5, 'l', 'a', .8},
       {.75, .7, D5, 'n', 'a', .75},
       {1.5, .45, C5, 'd', 'e', .7},
       {2, 1.4, A4, 'l', 'o', .75}});
  bar(m, 55, {{0, 2.2, G4, 'h', 'o', .75}});
  bar(m, 56,
      {{0, .7, A4, 'l', 'a', .75},
       {.75, .7, A4, 'n', 'a', .7},
       {1.5, .45, G4, 'd', 'e', .65},
       {2, 1.2, F4, 'l', 'o', .7}});
  bar(m, 57, {{0, 1.9, E4, 'h', 'o', .65}});
  bar(m, 58, {{0, .9, F4, 'n', 'a', .65}, {1, .9, E4, 'd', 'i', .6}, {2, 1.2, D4, 'l', 'o', .65}});
  return m;
}

} // namespace

const Chord& chordAt(int b) {
  const auto& h = harmony();
  return *h[static_cast<std::size_t>(b < 0 ? 0 : b >= static_cast<int>(h.size()) ? static_cast<int>(h.size()) - 1 : b)];
}

const std::vector<Sung>& melody() {
  static const std::vector<Sung> m = write();
  return m;
}

} // namespace lantern

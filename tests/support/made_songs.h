// Songs of six stems and more that nobody would release, in many styles and tempi, of which it is known what is played
// where: a voice with its phrases, a band under it, a rest before the chorus. With places where a producer would press
// a key.
#pragma once

#include "test_support/signals.h"

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace ivrin::test {

struct MadePlace {
  std::string kind, row;
  double start = 0, length = 1;    // beats
  std::optional<double> nextEntry; // seconds: the first thing the row plays after a rest of 0.9 beats, within two bars
  double sourceEnd = 0;            // seconds: where what is pressed on is let go
};

struct MadeSong {
  std::string name;
  std::unique_ptr<TestSong> song;
  /// What each row plays, in seconds, apart by 0.9 beats at least.
  std::map<std::string, std::vector<std::pair<double, double>>> played;
  std::vector<MadePlace> places;
};

int madeSongCount();
/// Made from its number alone.
MadeSong madeSong(int which);

} // namespace ivrin::test

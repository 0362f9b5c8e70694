// The example program, run as its reader would.
#include "files/song_file.h"
#include "ornaments/kind.h"
#include "song/edits.h"
#include "test_support/places.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <fstream>

using namespace ivrin;
using namespace ivrin::test;

TEST_CASE("the example throws a word of a song with the core alone", "[cli][example]") {
  const TempFolder dir;
  writeWav(dir / "voice.wav", 48000, 1, 4 * 48000, only(96000, 120000, sine(500, 48000, 0.4))); // beat 1 of bar 2
  Song song;
  Stem stem;
  stem.id = stem.name = "voice";
  stem.file = "voice.wav";
  song.stems = {stem};
  std::ofstream(dir / "s.ivrin") << writeSong(song, allKinds().registry());
  const std::string program = std::filesystem::path(cliProgram()).parent_path() / "ivrin-example-throw";
  const std::string line = "'" + program + "' '" + (dir / "s.ivrin").string() + "' '" + (dir / "out").string() +
                           "' > '" + (dir / "said").string() + "'";
  REQUIRE(std::system(line.c_str()) == 0);
  const StereoBuffer mix = readWav(dir / "out/mix.wav");
  CHECK(rmsDb(mix.left(), 90000) < -120);
  // The word, its first echo a dotted eighth later, its second by 55 % lower; a tone of 0.4 has −11 dB.
  CHECK(rmsDb(mix.left() + 100000, 12000) == Approx(-11).margin(0.3));
  CHECK(rmsDb(mix.left() + 121000, 9600) == Approx(-11).margin(0.3));
  CHECK(rmsDb(mix.left() + 140000, 9600) == Approx(-16.2).margin(0.3));
}

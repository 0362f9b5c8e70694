// Beats of music that was not played to a click; docs/finding.md has all pieces.
#include "analysis/tempo_curve.h"
#include "services/grid_finding.h"
#include "test_support/made_music.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

FoundGrid gridOf(const MadePiece& piece) {
  std::vector<HeardSound> sounds;
  for (const StereoBuffer& b : piece.stems) sounds.push_back({readerOf(b), {Frames(0), Frames(b.frames())}, false});
  return findGrid(sounds, piece.rate, 2);
}

double nearest(const std::vector<double>& all, double at) {
  double least = 1e9;
  for (const double x : all) least = std::min(least, std::abs(x - at));
  return least;
}

/// Which of the made pieces are called so.
std::vector<int> piecesNamed(const std::string& begin) {
  std::vector<int> all;
  for (int i = 0; i < madePieceCount(); ++i)
    if (madePieceName(i).starts_with(begin)) all.push_back(i);
  return all;
}

FoundCurve curveOf(const std::vector<double>& beats, int inBar = 4) {
  FoundCurve c;
  c.beats = beats;
  c.beatsInBar = inBar;
  return c;
}

} // namespace

TEST_CASE("beats that wander are followed, bar 1 is one of them, and the song's grid lies on them", "[tempo][heavy]") {
  for (const char* name : {"drifting", "slowing", "walking", "stepping"})
    for (const int i : piecesNamed(name)) { // a second each: tens of seconds of sound are listened to
      const MadePiece piece = madePiece(i);
      INFO(piece.name);
      const FoundGrid found = gridOf(piece);
      REQUIRE(found.curve);
      CHECK(found.curve->confidence >= kLeastConfidence);
      CHECK(found.tempo->confidence < kLeastConfidence); // one tempo would run away
      const auto on = std::count_if(found.curve->beats.begin(), found.curve->beats.end(),
                                    [&](double at) { return nearest(piece.beats, at) < 0.02; });
      CHECK(static_cast<double>(on) >= 0.98 * static_cast<double>(found.curve->beats.size()));
      CHECK(std::abs(found.curve->beats.front() - piece.barOneSeconds) < 0.02);
      CHECK(found.curve->beatsInBar == piece.beatsInBar);
      Song song;
      song.sampleRate = static_cast<int>(piece.rate);
      song = onGrid(std::move(song), found);
      CHECK(song.tempo.size() < found.curve->beats.size() / 2);
      const TempoMap map = song.tempoMap();
      for (std::size_t b = 0; b < found.curve->beats.size(); ++b)
        CHECK(std::abs(map.secondsAt(Beats::ofQuarters(static_cast<double>(b))).value - found.curve->beats[b]) <
              0.0085);
    }
}

TEST_CASE("where there is no beat none is followed, and what is steady stays one tempo", "[tempo][heavy]") {
  for (const char* name : {"rubato", "noise", "silence", "speech", "a drone", "rock with a singer", "ballad 60",
                           "shuffle 96", "piano alone 76", "broken beat 168"})
    for (const int i : piecesNamed(name)) {
      const MadePiece piece = madePiece(i);
      INFO(piece.name);
      CHECK_FALSE(gridOf(piece).curve);
    }
}

TEST_CASE("tempi lie on their beats, few where few will do", "[tempo]") {
  std::vector<double> steady, faster, jump;
  for (int i = 0; i <= 64; ++i) steady.push_back(1.5 + 0.5 * i);
  const auto one = tempiOf(curveOf(steady));
  CHECK(one == std::vector<TempoEntry>{{Beats(0), 120}});
  double t = 0.25;
  for (int i = 0; i <= 128; ++i) {
    faster.push_back(t);
    t += 60 / (90.0 + 0.25 * i);
  }
  for (const double within : {0.002, 0.008, 0.03}) {
    const auto tempi = tempiOf(curveOf(faster), within);
    const TempoMap map(tempi, {{}}, Seconds(0.25), 48000);
    double worst = 0;
    for (std::size_t b = 0; b < faster.size(); ++b)
      worst = std::max(worst, std::abs(map.secondsAt(Beats::ofQuarters(static_cast<double>(b))).value - faster[b]));
    CHECK(worst <= within + 1e-5);
    if (within > 0.005)
      for (const TempoEntry& e : tempi) CHECK(e.at.ticks % (4 * kTicksPerQuarter) == 0); // on bar lines
  }
  CHECK(tempiOf(curveOf(faster), 0.03).size() < tempiOf(curveOf(faster), 0.002).size());
  // A jump within a bar is followed there.
  for (int i = 0; i <= 40; ++i) jump.push_back(i < 18 ? 0.5 * i : 9 + 0.6 * (i - 18));
  const auto two = tempiOf(curveOf(jump), 0.004);
  const TempoMap map(two, {{}}, Seconds(0), 48000);
  for (std::size_t b = 0; b < jump.size(); ++b)
    CHECK(map.secondsAt(Beats::ofQuarters(static_cast<double>(b))).value == Approx(jump[b]).margin(0.0045));
  CHECK(tempiOf(curveOf({})).empty());
  CHECK(tempiOf(curveOf({1})).empty());
}

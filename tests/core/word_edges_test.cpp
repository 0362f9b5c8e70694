#include "analysis/word_edges.h"

#include "test_support/band.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

TEST_CASE("edges come to the nearest crossing of zero", "[word-edges]") {
  StereoBuffer b(48000);
  for (std::int64_t i = 0; i < b.frames(); ++i)
    b.left()[i] = b.right()[i] = static_cast<float>(std::sin(2 * M_PI * 100 * (static_cast<double>(i) + 0.5) / 48000));
  for (const std::int64_t at : {1000, 5000, 5119, 20007}) {
    const Frames z = nearestZero(readerOf(b), Frames(at), Frames(480));
    CHECK(z.count % 240 == 0); // half a period
    CHECK(std::abs(z.count - at) <= 120);
  }
  CHECK(nearestZero(readerOf(StereoBuffer(48000)), Frames(1000), Frames(480)) == Frames(1000));
  CHECK(nearestZero(readerOf(b), Frames(0), Frames(480)).count >= -1); // from silence
}

// 64 words: two rates, four vowels, four pitches, with a hard consonant of 50 ms and without.
TEST_CASE("the vowel of a word begins after its hard consonant", "[word-edges]") {
  int right = 0, all = 0;
  for (const double rate : {44100.0, 48000.0})
    for (const char vowel : {'a', 'e', 'i', 'o'})
      for (const double note : {48.0, 55.0, 60.0, 67.0})
        for (const bool hard : {true, false}) {
          Part p(1, rate, static_cast<std::uint64_t>(note) + static_cast<std::uint64_t>(vowel));
          p.hiss(-70);
          p.sing(0.2, 0.6, note, -20, vowel, hard);
          const StereoBuffer b = stereoOf(p);
          const FrameRange word{Frames(std::llround(0.2 * rate)), Frames(std::llround(0.8 * rate))};
          const auto begin = vowelBegin(readerOf(b), word, rate);
          ++all;
          if (!begin) continue;
          const double ms = static_cast<double>((*begin - word.begin).count) / rate * 1e3;
          INFO(vowel << " " << note << " " << hard << " " << ms);
          right += std::abs(ms - (hard ? 55 : 5)) <= 15; // it fades in over 25 ms
        }
  INFO(right << " of " << all);
  CHECK(right >= all * 95 / 100);
}

TEST_CASE("what has no voice has no vowel", "[word-edges]") {
  Part p(1, 48000, 3);
  p.hiss(-20, 9000);
  CHECK_FALSE(vowelBegin(readerOf(stereoOf(p)), {Frames(4800), Frames(40000)}, 48000));
  CHECK_FALSE(vowelBegin(readerOf(StereoBuffer(48000)), {Frames(0), Frames(40000)}, 48000));
  CHECK_FALSE(vowelBegin(readerOf(StereoBuffer(48000)), {Frames(0), Frames(100)}, 48000));
}

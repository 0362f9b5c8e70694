#include "test_support/bench_song.h"

#include <cmath>

namespace ivrin::test {

std::unique_ptr<TestSong> bigSong(int stems, double seconds, int ornaments) {
  auto t = std::make_unique<TestSong>(48000, 120);
  const auto frames = static_cast<std::int64_t>(seconds * 48000);
  // One second of noise read round and round under a slow envelope: quick to make, never silent for long.
  const StereoBuffer grain = fill(48000, noise(5, 0.2));
  for (int s = 0; s < stems; ++s) {
    const auto turn = static_cast<std::int64_t>(997 * s);
    t->stem("stem" + std::to_string(s), frames, [&, s, turn](std::int64_t f, int side) {
      const auto phase = static_cast<double>((f + turn * 40) % 144000) / 144000.0;
      const float envelope = phase < 0.7 ? static_cast<float>(1 - phase) : 0.0f;
      return envelope * (side ? grain.right() : grain.left())[(f * (1 + s % 3) + turn) % 48000];
    });
  }
  const double beats = seconds * 2;
  for (int i = 0; i < ornaments; ++i) {
    const double at = std::floor(beats * 0.9 * i / std::max(1, ornaments)) + 0.5 * (i % 2);
    const std::string on = "stem" + std::to_string(i % stems);
    if (i % 5 == 4)
      t->ornament("gap", on, at, 1);
    else
      t->ornament("delay-throw", on, at, 1,
                  {{"time_left", i % 2 ? "1/8." : "1/4"},
                   {"time_right", "1/4"},
                   {"pattern", i % 3 ? "ping-pong" : "straight"},
                   {"feedback_percent", 45.0},
                   {"low_cut_hz", 200.0},
                   {"high_cut_hz", 7000.0},
                   {"duck_db", 6.0}});
  }
  return t;
}

} // namespace ivrin::test

// What is found of pieces made for it: the page docs/finding.md.
#include "bench.h"

#include "services/grid_finding.h"
#include "test_support/made_music.h"
#include "test_support/signals.h"

#include <cmath>
#include <cstdio>
#include <cstdlib>

namespace ivrin::bench {
namespace {

constexpr double kBpmWithin = 0.005;

std::vector<HeardSound> soundsOf(const test::MadePiece& piece) {
  std::vector<HeardSound> sounds;
  for (const StereoBuffer& b : piece.stems) sounds.push_back({test::readerOf(b), {Frames(0), Frames(b.frames())}});
  return sounds;
}

} // namespace

void findings() {
  int steady = 0, right = 0, octaveOff = 0, bars = 0, keyed = 0, keys = 0, tonics = 0, nothing = 0, admitted = 0,
      doubted = 0;
  std::printf("# What is found of a song, measured\n\nMade by `ivrin-bench finding`: %d pieces made for it "
              "(`tests/support/made_music.cpp`: rock, four to the floor, slow and broken beats, ballads, shuffles, "
              "waltzes, 6/8, without drums, drifting, rubato, and sounds that have no tempo), 30 s each, every piece "
              "from all its stems together. `IVRIN_TAKE=1` and up play them a little faster, in other keys, anew. A "
              "piece of which nothing can be told has no BPM here; its confidence has to be under 0.3.\n\n",
              test::madePieceCount());
  std::printf("| piece | BPM | found | confidence | bar 1 off by | beats in a bar | key | found | confidence |\n"
              "|---|---|---|---|---|---|---|---|---|\n");
  double seconds = 0, sounding = 0;
  const int take = std::getenv("IVRIN_TAKE") ? std::atoi(std::getenv("IVRIN_TAKE")) : 0;
  for (int i = 0; i < test::madePieceCount(); ++i) {
    const test::MadePiece piece = test::madePiece(i, take);
    const double begun = now();
    const FoundGrid found = findGrid(soundsOf(piece), piece.rate, 2);
    seconds += now() - begun;
    for (const StereoBuffer& b : piece.stems) sounding += static_cast<double>(b.frames()) / piece.rate;
    const double bpm = found.tempo ? found.tempo->bpm : 0, sure = found.tempo ? found.tempo->confidence : 0;
    std::string bar = "–";
    if (piece.bpm > 0) {
      ++steady;
      const bool ok = std::abs(bpm / piece.bpm - 1) < kBpmWithin;
      right += ok;
      for (const double r : {0.5, 2.0}) octaveOff += std::abs(bpm / piece.bpm / r - 1) < kBpmWithin;
      doubted += sure < kLeastConfidence;
      if (ok) {
        const double length = 60 / piece.bpm * piece.beatsInBar, off = found.tempo->barOneSeconds - piece.barOneSeconds,
                     apart = off - std::round(off / length) * length;
        char text[40];
        std::snprintf(text, sizeof text, "%.0f ms", 1e3 * apart);
        bar = text;
        bars += std::abs(apart) < 0.03 && found.tempo->beatsInBar == piece.beatsInBar;
      }
    } else {
      ++nothing;
      admitted += sure < kLeastConfidence;
    }
    std::string key = "–";
    if (piece.tonic) {
      ++keyed;
      key = keyText({*piece.tonic, piece.minor});
      if (found.key) {
        const Key is{*piece.tonic, piece.minor};
        keys += found.key->key == is || found.key->key == is.relative();
        tonics += found.key->key == is;
      }
    }
    const std::string foundKey = found.key ? keyText(found.key->key) : "–";
    std::printf("| %s | %s | %.2f | %.2f | %s | %s | %s | %s | %.2f |\n", piece.name.c_str(),
                piece.bpm > 0 ? std::to_string(piece.bpm).substr(0, 5).c_str() : "–", bpm, sure, bar.c_str(),
                found.tempo
                    ? (std::to_string(found.tempo->beatsInBar) + " of " + std::to_string(piece.beatsInBar)).c_str()
                    : "–",
                key.c_str(), foundKey.c_str(), found.key ? found.key->confidence : 0);
  }
  std::printf("\n## Together\n\n| what | found | target |\n|---|---|---|\n");
  std::printf("| tempo within 0.5 %%, octave right | %d of %d | ≥ 9 of 10 |\n", right, steady);
  std::printf("| half or double of it | %d | – |\n", octaveOff);
  std::printf("| bar 1 within 30 ms, and the bar's length | %d of %d | ≥ 8 of 10 |\n", bars, steady);
  std::printf("| key or its relative | %d of %d | ≥ 80 %% |\n", keys, keyed);
  std::printf("| key itself, not its relative | %d of %d | – |\n", tonics, keyed);
  std::printf("| nothing there: confidence under 0.3 | %d of %d | all |\n", admitted, nothing);
  std::printf("| there, and doubted nevertheless | %d of %d | – |\n", doubted, steady);
  std::printf("\nOn two threads %.1f ms for each second of a stem.\n", 1e3 * seconds / sounding);
}

} // namespace ivrin::bench

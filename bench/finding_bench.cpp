// What is found of pieces made for it: the page docs/finding.md.
#include "bench.h"

#include "analysis/median.h"
#include "other_finders.h"
#include "services/grid_finding.h"
#include "services/opening_finding.h"
#include "services/section_finding.h"
#include "test_support/bench_song.h"
#include "test_support/found_scores.h"
#include "test_support/made_music.h"
#include "test_support/signals.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>

namespace ivrin::bench {
namespace {

constexpr double kBpmWithin = 0.005, kBeatWithin = 0.02;

std::vector<HeardSound> soundsOf(const test::MadePiece& piece) {
  std::vector<HeardSound> sounds;
  for (const StereoBuffer& b : piece.stems) sounds.push_back({test::readerOf(b), {Frames(0), Frames(b.frames())}});
  return sounds;
}

/// How one of them did on all pieces.
struct Finder {
  int tempo = 0, octave = 0, related = 0, keys = 0;
  double seconds = 0;
  void add(const test::MadePiece& piece, double bpm, const std::optional<Key>& key, double took) {
    seconds += took;
    if (piece.bpm > 0) {
      tempo += std::abs(bpm / piece.bpm - 1) < kBpmWithin;
      for (const double r : {0.5, 2.0}) octave += std::abs(bpm / piece.bpm / r - 1) < kBpmWithin;
    }
    if (!piece.tonic || !key) return;
    const Key is{*piece.tonic, piece.minor};
    related += *key == is || *key == is.relative();
    keys += *key == is;
  }
  /// Of so many pieces; without `keyed` it finds no keys.
  void tell(const char* name, int steady, int keyed, double sounding) const {
    const auto of = [&](int n) { return keyed > 0 ? std::to_string(n) + " of " + std::to_string(keyed) : "–"; };
    std::printf("| %s | %d of %d | %d | %s | %s | %.1f |\n", name, tempo, steady, octave, of(related).c_str(),
                of(keys).c_str(), 1e3 * seconds / sounding);
  }
};

/// How pieces were followed that were not played to a click.
struct Wandering {
  std::string rows;
  int pieces = 0, followed = 0, bars = 0;
  std::size_t beats = 0, on = 0;
  void add(const test::MadePiece& piece, const FoundGrid& found) {
    ++pieces;
    char text[200];
    if (!found.curve) {
      std::snprintf(text, sizeof text, "| %s | – | – | – | – | – |\n", piece.name.c_str());
      rows += text;
      return;
    }
    ++followed;
    std::vector<double> off;
    for (const double at : found.curve->beats) {
      double least = 1e9;
      for (const double b : piece.beats) least = std::min(least, std::abs(b - at));
      off.push_back(least);
    }
    const auto within =
        static_cast<std::size_t>(std::count_if(off.begin(), off.end(), [](double d) { return d < kBeatWithin; }));
    beats += off.size();
    on += within;
    const double bar = found.curve->beats.front() - piece.barOneSeconds;
    bars += std::abs(bar) < 0.03 && found.curve->beatsInBar == piece.beatsInBar;
    std::snprintf(text, sizeof text, "| %s | %.2f | %zu of %zu | %.1f ms | %.0f ms | %zu |\n", piece.name.c_str(),
                  found.curve->confidence, within, off.size(), 1e3 * median(off), 1e3 * bar,
                  tempiOf(*found.curve).size());
    rows += text;
  }
  void tell(int steadyFollowed, int noneFollowed) const {
    std::printf("\n## Not played to a click\n\nPieces whose tempo drifts, slows down, walks by chance or steps: beats "
                "that were found within 20 ms of one that was played, how far they lie in the middle, and how many "
                "tempi the song gets for them.\n\n| piece | confidence | beats within 20 ms | in the middle | bar 1 "
                "off by | tempi |\n|---|---|---|---|---|---|\n%s",
                rows.c_str());
    std::printf("\nFollowed: %d of %d; %zu of %zu of their beats within 20 ms; bar 1 and the bar's length right in %d. "
                "Steady pieces followed all the same: %d. Sounds without a beat followed: %d.\n",
                followed, pieces, on, beats, bars, steadyFollowed, noneFollowed);
  }
};

void openingsFound(int take) {
  test::OpeningScores all;
  int roles = 0;
  for (int i = 0; i < test::madeOpeningsCount(); ++i) {
    const test::MadeOpenings made = test::madeOpenings(i, take);
    const TempoMap map({{Beats(0), made.bpm}}, {{Beats(0), 4, 4}}, Seconds(0), made.rate);
    all += scored(made, openingsIn(made.sound, map), map);
    roles += roleHeard(made) == roleOf(made);
  }
  std::printf("\n## Openings\n\nOn %d made rows of 30 s (`tests/support/made_openings.cpp`: singers, talkers, strings, "
              "pianos, bells, drums, dry, in hiss and in rooms).\n\n| what | found | that are not there | target |\n"
              "|---|---|---|---|\n",
              test::madeOpeningsCount());
  const auto line = [](const char* name, const test::FoundScore& s, const char* target) {
    std::printf("| %s | %d of %d | %d of %d | %s |\n", name, s.found, s.there, s.wrong, s.claimed, target);
  };
  line("gaps", all.gaps, "–");
  std::printf("| their next entry, within 30 ms | %d of %d | – | ≥ 95 %% |\n", all.entries, all.gaps.found);
  line("held notes", all.held, "≥ 85 %, ≤ 10 % false");
  line("lone hits", all.hits, "≥ 85 %, ≤ 10 % false");
  std::printf(
      "\nWhat a row is (voice, harmony, texture, bass, drums) is told from its sound alone in %d of %d; where its "
      "name says it, the name is believed.\n",
      roles, test::madeOpeningsCount());
}

void sectionsFound(int take) {
  std::printf("\n## Sections\n\nOn %d made songs (`tests/support/made_forms.cpp`): a letter and the bar that it starts "
              "on.\n\n| song | is | found |\n|---|---|---|\n",
              test::madeFormCount());
  test::SectionScores all;
  for (int i = 0; i < test::madeFormCount(); ++i) {
    const test::MadeForm song = test::madeForm(i, take);
    std::string is;
    for (std::size_t k = 0; k < song.starts.size(); ++k)
      is += (k > 0 ? " " : "") + std::string(1, song.letters[k]) + std::to_string(song.starts[k] + 1);
    const test::SectionScores own = scored(song, sectionsIn(song));
    std::printf("| %s | %s | %s |\n", song.name.c_str(), is.empty() ? "–" : is.c_str(),
                own.told.empty() ? "–" : own.told.c_str());
    all += own;
  }
  std::printf("\n| what | found | target |\n|---|---|---|\n");
  std::printf("| starts within a bar, the first left out | %d of %d | ≥ 75 %% |\n", all.starts.found, all.starts.there);
  std::printf("| on the very bar | %d of %d | – |\n", all.exact, all.starts.there);
  std::printf("| where none is | %d of %d | – |\n", all.starts.wrong, all.starts.claimed);
  std::printf("| two of them named alike, or not, as they are | %d of %d | – |\n", all.named, all.pairs);
}

void timesOfFinding() {
  const auto t = test::bigSong(16, 240, 0);
  for (Stem& s : t->song.stems) s.role = RowRole::harmony; // named, as stems are
  const auto plan = t->plan();
  Findings findings;
  double begun = now();
  const FoundGrid grid = findGrid(t->song, t->audio, 2);
  keep(&grid);
  const double tempo = now() - begun;
  std::vector<std::string> rows;
  for (const Stem& s : t->song.stems) rows.push_back(s.id);
  rows.emplace_back(kMixRow);
  begun = now();
  const auto openings = openingsOf(plan, rows, findings, 2);
  keep(openings.data());
  const double all = now() - begun;
  begun = now();
  const auto sections = sectionsOf(plan, findings, 2);
  keep(sections.data());
  std::printf(
      "\n## How long it takes\n\nOf 16 stems of four minutes, on two threads, nothing known of them before: tempo, "
      "bar 1 and key %.1f s (target: 3 s); all openings %.1f s (target: 20 s), and sections %.2f s more.\n",
      tempo, all, now() - begun);
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
  Finder ours, qm, aubio;
  Wandering wandering;
  int steadyFollowed = 0, noneFollowed = 0;
  const int take = std::getenv("IVRIN_TAKE") ? std::atoi(std::getenv("IVRIN_TAKE")) : 0;
  for (int i = 0; i < test::madePieceCount(); ++i) {
    const test::MadePiece piece = test::madePiece(i, take);
    const double begun = now();
    const FoundGrid found = findGrid(soundsOf(piece), piece.rate, 2);
    const double took = now() - begun;
    seconds += took;
    ours.add(piece, found.tempo ? found.tempo->bpm : 0, found.key ? std::optional(found.key->key) : std::nullopt, took);
    if (othersAreThere()) {
      const FoundByOther q = foundByQmDsp(piece.stems, piece.rate), a = foundByAubio(piece.stems, piece.rate);
      qm.add(piece, q.bpm, q.key, q.seconds);
      aubio.add(piece, a.bpm, a.key, a.seconds);
    }
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
    if (piece.wanders) wandering.add(piece, found);
    steadyFollowed += piece.bpm > 0 && found.curve;
    noneFollowed += piece.beats.empty() && found.curve;
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
  wandering.tell(steadyFollowed, noneFollowed);
  if (othersAreThere()) {
    std::printf("\n## Beside libraries\n\nThe same pieces; the libraries get all stems as one sound, one thread each "
                "(measured where they are installed; qm-dsp: complex-domain onset function, its second tempo tracker, "
                "its key mode; aubio: its default "
                "tempo; both at 512 of 1024 frames, the tempo from what lies between their beats).\n\n| | tempo within "
                "0.5 %% | half or double | key or its relative | key itself | ms for each second of a stem |\n"
                "|---|---|---|---|---|---|\n");
    ours.tell("ours, two threads", steady, keyed, sounding);
    qm.tell("qm-dsp", steady, keyed, sounding);
    aubio.tell("aubio", steady, 0, sounding);
  }
  openingsFound(take);
  sectionsFound(take);
  timesOfFinding();
}

} // namespace ivrin::bench

// Tempo, bar 1 and key of pieces of which they are known; docs/finding.md has all of them.
#include "analysis/key.h"
#include "analysis/tempo.h"
#include "dsp/measure/onsets.h"
#include "test_support/made_music.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

HeardRow heardOf(const StereoBuffer& sound, double rate) {
  HeardRow row;
  const FrameRange all{Frames(0), Frames(sound.frames())};
  row.beats = beatStrength(readerOf(sound), all, rate);
  row.chroma = rowChroma(readerOf(sound), all, rate);
  OnsetFinder finder(rate);
  finder.add(sound.left(), sound.right(), sound.frames());
  for (const Onset& o : finder.finish()) row.attacks.emplace_back(o.frame);
  return row;
}

std::optional<FoundTempo> tempoOf(const StereoBuffer& sound, double rate = 48000) {
  return findTempo({heardOf(sound, rate)}, rate);
}

/// Short bursts of noise at these times.
StereoBuffer clicksAt(const std::vector<double>& seconds, double rate, double length) {
  StereoBuffer b(static_cast<std::int64_t>(length * rate));
  b.span().clear();
  const Signal burst = noise(7, 0.5);
  for (const double s : seconds)
    for (std::int64_t i = 0; i < std::llround(0.02 * rate); ++i)
      if (const std::int64_t at = std::llround(s * rate) + i; at >= 0 && at < b.frames())
        b.left()[at] = b.right()[at] =
            burst(i, 0) * static_cast<float>(std::exp(-static_cast<double>(i) / (0.004 * rate)));
  return b;
}

} // namespace

TEST_CASE("the tempo of clicks is found to a hundredth of a percent, and where they lie to 2 ms, at any rate",
          "[tempo]") {
  for (const double rate : {48000.0, 44100.0, 96000.0, 22050.0}) {
    for (const double bpm : {74.3, 100.0, 127.77}) {
      INFO(bpm << " at " << rate);
      std::vector<double> at;
      for (double t = 0.4567; t < 40; t += 60 / bpm) at.push_back(t);
      const auto found = tempoOf(clicksAt(at, rate, 40), rate);
      REQUIRE(found);
      // Bare clicks say nothing of octaves.
      const double times = std::exp2(std::round(std::log2(found->bpm / bpm)));
      CHECK(found->bpm / times == Approx(bpm).epsilon(1e-4));
      CHECK(found->confidence > 0.5);
      const double beat = 60 / found->bpm, off = (found->beatSeconds - 0.4567) / beat;
      CHECK(std::abs(off - std::round(off)) * beat < 0.002);
    }
  }
}

TEST_CASE("where nothing is regular the confidence is under 0.3", "[tempo]") {
  CHECK_FALSE(tempoOf(StereoBuffer(48000 * 20)));                  // silence
  CHECK_FALSE(tempoOf(clicksAt({0.5, 1, 1.5, 2, 2.5}, 48000, 3))); // too little
  const auto noisy = tempoOf(fill(48000 * 20, noise(5, 0.2)));
  CHECK((!noisy || noisy->confidence < 0.1));
  const auto tone = tempoOf(fill(48000 * 20, [](std::int64_t f, int) { // two tones that beat twice a second
    const double t = static_cast<double>(f) / 48000;
    return static_cast<float>(0.2 * std::sin(2764.6 * t) + 0.2 * std::sin(2777.2 * t));
  }));
  CHECK((!tone || tone->confidence < 0.3));
  std::vector<double> wild;
  Chance draw(3);
  for (double t = 0.3; t < 40; t += 0.15 + 1.1 * draw.unit()) wild.push_back(t);
  const auto rubato = tempoOf(clicksAt(wild, 48000, 40));
  CHECK((!rubato || rubato->confidence < 0.3));
  // Beats that hurry: 100 to 112 BPM over 40 s is no one tempo.
  std::vector<double> hurry;
  for (double t = 0.3, bpm = 100; t < 40; t += 60 / bpm, bpm += 0.16) hurry.push_back(t);
  const auto drifting = tempoOf(clicksAt(hurry, 48000, 40));
  CHECK((!drifting || drifting->confidence < 0.3));
}

TEST_CASE("a stem that comes in late, and one without beats, change nothing", "[tempo]") {
  std::vector<double> at, late;
  for (double t = 0.25; t < 30; t += 0.5) {
    at.push_back(t);
    if (t > 12) late.push_back(t + 0.25);
  }
  const auto one = heardOf(clicksAt(at, 48000, 30), 48000), two = heardOf(clicksAt(late, 48000, 30), 48000),
             hiss = heardOf(fill(48000 * 30, noise(9, 0.3)), 48000);
  HeardRow brief = heardOf(clicksAt({1.1, 1.7, 2.0}, 48000, 4), 48000);
  const auto found = findTempo({one, two, hiss, brief, HeardRow{}}, 48000);
  REQUIRE(found);
  CHECK(found->bpm == Approx(120).epsilon(1e-3));
  CHECK(found->confidence > 0.5);
}

// A dozen of the 54; ivrin-bench finding plays all of them.
TEST_CASE("tempo, bar 1 and key of played pieces", "[tempo][heavy]") {
  int steady = 0, tempo = 0, bars = 0, keyed = 0, keys = 0;
  for (int i = 1; i < madePieceCount(); i += 4) {
    const MadePiece piece = madePiece(i, 1);
    INFO(piece.name);
    std::vector<HeardRow> rows;
    std::vector<RowChroma> notes;
    for (const StereoBuffer& b : piece.stems) {
      rows.push_back(heardOf(b, piece.rate));
      notes.push_back(rows.back().chroma);
    }
    const auto found = findTempo(rows, piece.rate);
    if (piece.bpm > 0) {
      ++steady;
      REQUIRE(found);
      CHECK(found->confidence >= 0.3);
      if (std::abs(found->bpm / piece.bpm - 1) < 0.005) {
        ++tempo;
        const double bar = 60 / piece.bpm * piece.beatsInBar, off = (found->barOneSeconds - piece.barOneSeconds) / bar;
        bars += found->beatsInBar == piece.beatsInBar && std::abs(off - std::round(off)) * bar < 0.03;
      } else { // one of those it offers
        CHECK(std::any_of(found->alternatives.begin(), found->alternatives.end(),
                          [&](double bpm) { return std::abs(bpm / piece.bpm - 1) < 0.005; }));
      }
    } else if (!piece.wanders) { // those are followed: tempo_curve_test.cpp
      CHECK((!found || found->confidence < 0.3));
    }
    if (piece.tonic) {
      ++keyed;
      const auto key = findKey(notes);
      const Key is{*piece.tonic, piece.minor};
      keys += key && (key->key == is || key->key == is.relative());
    }
  }
  REQUIRE(steady == 14);
  CHECK(tempo >= 12); // a broken beat and a half time may be halved
  CHECK(bars >= 11);
  CHECK(10 * keys >= 8 * keyed);
}

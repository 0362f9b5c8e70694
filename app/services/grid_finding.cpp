#include "services/grid_finding.h"

#include "dsp/parallel.h"
#include "services/attacks.h"
#include "services/stoppable.h"
#include "song/row_edits.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ivrin {
namespace {

constexpr std::size_t kStruckRows = 4;
constexpr double kRunsAway = 0.25; // what a steady tempo is worth where a curve follows better

/// Nobody hears a hundredth of a BPM, and most songs are made to a whole number.
double rounded(double bpm) {
  const double whole = std::round(bpm);
  return std::abs(bpm - whole) < 0.0005 * bpm ? whole : std::round(bpm * 100) / 100;
}

/// Where groups of four bars begin, as far as that is known.
std::vector<double> groupStarts(const FoundGrid& found, double end) {
  std::vector<double> starts;
  if (found.curve && found.curve->barConfidence >= kLeastConfidence) {
    for (std::size_t i = 0; i < found.curve->beats.size(); i += static_cast<std::size_t>(4 * found.curve->beatsInBar))
      starts.push_back(found.curve->beats[i]);
  } else if (!found.curve && found.tempo && found.tempo->barConfidence >= kLeastConfidence) {
    const double group = 4 * found.tempo->beatsInBar * 60 / found.tempo->bpm;
    for (double at = found.tempo->barOneSeconds; at < end; at += group) starts.push_back(at);
  }
  return starts;
}

/// Whether its last chord rings on for more than a bar with nothing struck any more.
bool comesToRest(const FoundGrid& found, const std::vector<RowChroma>& notes, double lastAttack) {
  if (!found.tempo) return false;
  constexpr float kSounds = 0.1f;
  double last = 0;
  for (const RowChroma& r : notes)
    for (std::size_t i = r.steps.size(); i-- > 0;)
      if (std::accumulate(r.steps[i].begin(), r.steps[i].end(), 0.0f) > kSounds) {
        last = std::max(last, static_cast<double>(i) * r.stepSeconds);
        break;
      }
  return last - lastAttack > 1.25 * found.tempo->beatsInBar * 60 / found.tempo->bpm;
}

} // namespace

FoundGrid findGrid(const std::vector<HeardSound>& sounds, double sampleRate, int threads, std::stop_token stop) {
  std::vector<HeardRow> rows(sounds.size());
  FoundGrid found;
  found.roles.resize(sounds.size());
  inParallel(sounds.size(), threads, [&](std::size_t i) {
    unlessStopped([&] {
      const RowReader read = stoppable(sounds[i].read, stop);
      rows[i].beats = beatStrength(read, sounds[i].range, sampleRate);
      rows[i].chroma = rowChroma(read, sounds[i].range, sampleRate);
    });
  });
  if (stop.stop_requested()) return found;
  // Attacks make beats sharper: those of the rows that beat most are enough.
  std::vector<std::size_t> order(sounds.size());
  std::iota(order.begin(), order.end(), 0);
  const auto beating = [&](std::size_t i) {
    double sum = 0; // of squares: a few strong ones are more of a beat than steady noise
    for (const auto& range : rows[i].beats.rise)
      for (const float v : range) sum += static_cast<double>(v) * static_cast<double>(v);
    return sum;
  };
  std::vector<double> strength;
  for (const std::size_t i : order) strength.push_back(beating(i));
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return strength[a] > strength[b]; });
  inParallel(sounds.size(), threads, [&](std::size_t k) {
    const std::size_t i = order[k];
    const HeardSound& s = sounds[i];
    if (stop.stop_requested() || (k >= kStruckRows && !s.namesRole)) return;
    rows[i].attacks = attacksIn(s.read, s.range, sampleRate, stop);
    if (!s.namesRole) return;
    unlessStopped([&] {
      if (const auto sketch = sketchOf(stoppable(s.read, stop), s.range, sampleRate, rows[i].chroma, rows[i].attacks))
        found.roles[i] = roleOfSound(*sketch);
    });
    if (k >= kStruckRows) rows[i].attacks.clear(); // the same tempo, whoever asks for roles
  });
  if (stop.stop_requested()) return found;
  found.tempo = findTempo(rows, sampleRate);
  if (found.tempo) {
    found.curve = findTempoCurve(rows, sampleRate, found.tempo->bpm);
    if (found.curve &&
        (found.curve->confidence < kLeastConfidence || !followsBetter(*found.curve, *found.tempo, rows, sampleRate)))
      found.curve.reset();
    if (found.curve) found.tempo->confidence = std::min(found.tempo->confidence, kRunsAway);
    found.tempo->bpm = rounded(found.tempo->bpm);
  }
  double lastAttack = 0;
  for (const HeardRow& r : rows)
    if (!r.attacks.empty()) lastAttack = std::max(lastAttack, static_cast<double>(r.attacks.back().count) / sampleRate);
  std::vector<RowChroma> notes;
  for (HeardRow& r : rows) notes.push_back(std::move(r.chroma));
  double end = 0;
  for (const HeardSound& s : sounds) end = std::max(end, static_cast<double>(s.range.end.count) / sampleRate);
  found.key = findKey(notes, groupStarts(found, end), comesToRest(found, notes, lastAttack));
  return found;
}

FoundGrid findGrid(const Song& song, const SongAudio& audio, int threads, std::stop_token stop) {
  std::vector<HeardSound> sounds;
  std::vector<std::string> ids;
  for (const Stem& s : song.stems) {
    const auto& sound = audio.of(s.id);
    if (!sound) continue;
    ids.push_back(s.id);
    const std::int64_t offset = std::llround(s.offsetSeconds * song.sampleRate);
    sounds.push_back({[sound, offset](Frames from, StereoSpan out) {
                        out.clear();
                        const std::int64_t at = from.count - offset, a = std::max<std::int64_t>(at, 0),
                                           b = std::min(at + out.frames, sound->frames());
                        if (b <= a) return;
                        std::copy(sound->left() + a, sound->left() + b, out.left + (a - at));
                        std::copy(sound->right() + a, sound->right() + b, out.right + (a - at));
                      },
                      {Frames(0), Frames(std::max<std::int64_t>(0, offset + sound->frames()))},
                      !s.role});
  }
  FoundGrid found = findGrid(sounds, song.sampleRate, threads, stop);
  for (std::size_t i = 0; i < ids.size(); ++i)
    if (found.roles[i]) found.stemRoles[ids[i]] = *found.roles[i];
  return found;
}

bool hasTempo(const FoundGrid& found) {
  return found.curve || (found.tempo && found.tempo->confidence >= kLeastConfidence);
}

Song onGrid(Song song, const FoundGrid& found) {
  if (found.curve) {
    song.tempo = tempiOf(*found.curve);
    song.startSeconds = std::round(found.curve->beats.front() * 1e5) / 1e5;
    if (found.curve->barConfidence >= kLeastConfidence) song.meter = {{Beats(0), found.curve->beatsInBar, 4}};
  } else if (found.tempo && found.tempo->confidence >= kLeastConfidence) {
    song.tempo = {{Beats(0), found.tempo->bpm}};
    song.startSeconds = std::round(found.tempo->barOneSeconds * 1e5) / 1e5;
    if (found.tempo->barConfidence >= kLeastConfidence) song.meter = {{Beats(0), found.tempo->beatsInBar, 4}};
  }
  return withHeardKey(std::move(song), found);
}

std::vector<double> likelyTempi(const FoundGrid& found) {
  constexpr std::size_t kMost = 3;
  std::vector<double> all;
  if (!found.tempo) return all;
  all.push_back(found.tempo->bpm);
  for (const double bpm : found.tempo->alternatives) { // in exact proportion to what was made exact
    const double ratio = std::round(bpm / all.front() * 6) / 6, exact = std::round(all.front() * ratio * 1000) / 1000;
    if (all.size() < kMost && exact >= 20 && exact <= 400) all.push_back(exact);
  }
  return all;
}

Song atTempo(Song song, const FoundGrid& found, double bpm) {
  const FoundTempo& heard = *found.tempo;
  const double start = heard.barConfidence >= kLeastConfidence ? heard.barOneSeconds : heard.beatSeconds;
  song.tempo = {{Beats(0), bpm}};
  song.startSeconds = std::round(start * 1e5) / 1e5;
  return withHeardKey(std::move(song), found);
}

Song withHeardKey(Song song, const FoundGrid& found) {
  if (!song.key && found.key && found.key->confidence >= kLeastConfidence) song.key = found.key->key;
  return song;
}

Song withHeardRoles(Song song, const FoundGrid& found) {
  for (Stem& s : song.stems)
    if (const auto heard = found.stemRoles.find(s.id); !s.role && heard != found.stemRoles.end())
      s.role = heard->second;
  return withRowsByRole(std::move(song));
}

} // namespace ivrin

#include "test_support/found_scores.h"

#include "dsp/measure/onsets.h"
#include "test_support/signals.h"

#include <algorithm>
#include <cmath>

namespace ivrin::test {
namespace {

std::vector<Frames> attacksOf(const StereoBuffer& sound, double rate) {
  OnsetFinder finder(rate);
  finder.add(sound.left(), sound.right(), sound.frames());
  std::vector<Frames> attacks;
  for (const Onset& o : finder.finish()) attacks.emplace_back(o.frame);
  return attacks;
}

} // namespace

FoundScore& FoundScore::operator+=(const FoundScore& o) {
  there += o.there;
  found += o.found;
  claimed += o.claimed;
  wrong += o.wrong;
  return *this;
}

OpeningScores& OpeningScores::operator+=(const OpeningScores& o) {
  gaps += o.gaps;
  held += o.held;
  hits += o.hits;
  entries += o.entries;
  return *this;
}

SectionScores& SectionScores::operator+=(const SectionScores& o) {
  starts += o.starts;
  exact += o.exact;
  pairs += o.pairs;
  named += o.named;
  return *this;
}

std::vector<Opening> openingsIn(const StereoBuffer& sound, const TempoMap& map) {
  const FrameRange all{Frames(0), Frames(sound.frames())};
  const RowPhrases phrases = findPhrases(readerOf(sound), all, map.sampleRate());
  const RowChroma chroma = rowChroma(readerOf(sound), all, map.sampleRate());
  const std::vector<Frames> attacks = attacksOf(sound, map.sampleRate());
  const auto joined = joinedOver(phrases.phrases, map.frameAt(Beats::ofQuarters(0.8)));
  return findOpenings({"row", &joined, &attacks, &chroma, &phrases.octaves}, map);
}

OpeningScores scored(const MadeOpenings& made, const std::vector<Opening>& openings, const TempoMap& map) {
  OpeningScores s;
  const auto span = [&](const Opening& o) {
    return MadeOpenings::Span{map.secondsAt(o.place.begin).value, map.secondsAt(o.place.end).value};
  };
  const auto overlap = [](MadeOpenings::Span a, MadeOpenings::Span b) {
    return std::max(0.0, std::min(a.second, b.second) - std::max(a.first, b.first));
  };
  const double beat = 60 / made.bpm;
  for (const auto& label : made.held) {
    ++s.held.there;
    s.held.found += std::any_of(openings.begin(), openings.end(), [&](const Opening& o) {
      return o.kind == Opening::Kind::held && overlap(span(o), label) > 0.6 * (label.second - label.first);
    });
  }
  for (const auto& label : made.gaps) {
    if (label.second - label.first < 0.95 * beat || label.second - label.first > 15 * beat) continue;
    ++s.gaps.there;
    for (const Opening& o : openings)
      if (o.kind == Opening::Kind::gap && overlap(span(o), label) > 0.6 * (label.second - label.first)) {
        ++s.gaps.found;
        s.entries += std::abs(span(o).second - label.second) < 0.03;
        break;
      }
  }
  for (const double label : made.hits) {
    ++s.hits.there;
    s.hits.found += std::any_of(openings.begin(), openings.end(), [&](const Opening& o) {
      return o.kind == Opening::Kind::hit && std::abs(span(o).first - label) < 0.03;
    });
  }
  for (const Opening& o : openings) {
    FoundScore& own = o.kind == Opening::Kind::gap ? s.gaps : o.kind == Opening::Kind::held ? s.held : s.hits;
    ++own.claimed;
    if (o.kind == Opening::Kind::hit) {
      own.wrong += std::none_of(made.hits.begin(), made.hits.end(),
                                [&](double t) { return std::abs(span(o).first - t) < 0.05; });
      continue;
    }
    const auto in = [&](const std::vector<MadeOpenings::Span>& labels) {
      return std::any_of(labels.begin(), labels.end(), [&](const MadeOpenings::Span& l) {
        return overlap(span(o), l) > 0.5 * (span(o).second - span(o).first);
      });
    };
    if (o.kind == Opening::Kind::held && in(made.ringing))
      --own.claimed;
    else
      own.wrong += !in(o.kind == Opening::Kind::gap ? made.gaps : made.held);
  }
  return s;
}

std::vector<FoundSection> sectionsIn(const MadeForm& song) {
  std::vector<RowPhrases> phrases;
  std::vector<RowChroma> notes;
  const FrameRange all{Frames(0), Frames(song.stems.front().frames())};
  for (const StereoBuffer& s : song.stems) {
    phrases.push_back(findPhrases(readerOf(s), all, song.rate));
    notes.push_back(rowChroma(readerOf(s), all, song.rate));
  }
  std::vector<RowOfForm> rows;
  for (std::size_t i = 0; i < phrases.size(); ++i) rows.push_back({&phrases[i].octaves, &notes[i]});
  const TempoMap map({{Beats(0), song.bpm}}, {{Beats(0), song.beatsInBar, 4}}, Seconds(0), song.rate);
  return findSections(rows, map, all);
}

SectionScores scored(const MadeForm& song, const std::vector<FoundSection>& sections) {
  SectionScores s;
  std::vector<std::string> names(song.starts.size());
  for (const FoundSection& f : sections) {
    const auto bar = static_cast<int>(std::lround(f.at.quarters() / song.beatsInBar));
    s.told += (s.told.empty() ? "" : " ") + f.name + std::to_string(bar + 1);
    const auto near =
        std::find_if(song.starts.begin(), song.starts.end(), [&](int x) { return std::abs(x - bar) <= 1; });
    if (near != song.starts.end()) names[static_cast<std::size_t>(near - song.starts.begin())] = f.name;
    if (bar == 0) continue;
    ++s.starts.claimed;
    s.starts.wrong += near == song.starts.end();
    s.exact += near != song.starts.end() && *near == bar;
  }
  for (std::size_t k = 0; k < song.starts.size(); ++k) {
    if (k > 0) {
      ++s.starts.there;
      s.starts.found += !names[k].empty();
    }
    for (std::size_t j = 0; j < k; ++j) {
      if (names[k].empty() || names[j].empty()) continue;
      ++s.pairs;
      s.named += (song.letters[k] == song.letters[j]) == (names[k][0] == names[j][0]);
    }
  }
  return s;
}

RowRole roleOf(const MadeOpenings& made) {
  constexpr std::pair<const char*, RowRole> kRows[] = {
      {"a singer", RowRole::voice},  {"legato", RowRole::voice},     {"a talker", RowRole::voice},
      {"strings", RowRole::harmony}, {"chords", RowRole::harmony},   {"a piano", RowRole::harmony},
      {"bells", RowRole::harmony},   {"lone kicks", RowRole::drums}, {"lone snares", RowRole::drums},
      {"a kit", RowRole::drums},     {"a bass", RowRole::bass},      {"hiss", RowRole::texture}};
  for (const auto& [name, role] : kRows)
    if (made.name.rfind(name, 0) == 0) return role;
  return RowRole::effects; // none of them is
}

RowRole roleHeard(const MadeOpenings& made) {
  const FrameRange range{Frames(0), Frames(made.sound.frames())};
  const auto sketch = sketchOf(readerOf(made.sound), range, made.rate,
                               rowChroma(readerOf(made.sound), range, made.rate), attacksOf(made.sound, made.rate));
  return sketch ? roleOfSound(*sketch) : RowRole::effects;
}

} // namespace ivrin::test

#include "app/score/caret_steps.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kSameSeconds = 0.0005;

/// Begins of phrases, and attacks within them; an attack that a phrase begins with is the phrase's begin.
std::vector<Frames> wordStarts(const RowSpeech& speech, Frames near) {
  std::vector<Frames> all;
  for (const FrameRange& p : speech.phrases) {
    all.push_back(p.begin);
    for (auto a = std::upper_bound(speech.attacks.begin(), speech.attacks.end(), p.begin + near);
         a != speech.attacks.end() && *a < p.end; ++a)
      all.push_back(*a);
  }
  return all;
}

/// Nearer than a twelfth of a second to a phrase's begin an attack is not another word.
Frames nearOf(const TempoMap& map) {
  return Frames(std::llround(map.sampleRate() / 12));
}

/// The entry after `from`, or before it.
std::optional<Frames> nextOf(const std::vector<Frames>& places, int step, Frames from, Frames same) {
  if (step > 0) {
    const auto at = std::upper_bound(places.begin(), places.end(), from + same);
    return at == places.end() ? std::nullopt : std::optional(*at);
  }
  const auto at = std::lower_bound(places.begin(), places.end(), from - same);
  return at == places.begin() ? std::nullopt : std::optional(*(at - 1));
}

BeatRange beats(const TempoMap& map, FrameRange r) {
  return {map.beatAt(r.begin), map.beatAt(r.end)};
}

} // namespace

std::optional<Beats> caretTarget(CaretUnit unit, int step, Beats from, const RenderPlan& plan,
                                 const RowSpeech& speech) {
  const TempoMap& map = plan.map();
  const Frames same(std::llround(map.sampleRate() * kSameSeconds)), at = map.frameAt(from);
  const Beats first = map.beatAt(plan.song().firstFrame()), last = map.beatAt(plan.end(true));
  std::vector<Frames> places;
  switch (unit) {
  case CaretUnit::end:
    return step < 0 ? first : last;
  case CaretUnit::landing:
    for (const Landing& l : plan.song().allLandings()) places.push_back(map.frameAt(l.at));
    break;
  case CaretUnit::bar: {
    const auto bar = map.barAt(from).bar;
    for (const auto b : {bar - 1, bar, bar + 1}) places.push_back(map.frameAt(map.barStart(b)));
    break;
  }
  case CaretUnit::phrase:
    for (const FrameRange& p : speech.phrases) places.push_back(p.begin);
    break;
  case CaretUnit::word:
    places = wordStarts(speech, nearOf(map));
    break;
  }
  const auto to = nextOf(places, step, at, same);
  if (!to) return std::nullopt;
  if (unit == CaretUnit::bar) // exactly on its line
    return std::clamp(map.barStart(map.barAt(map.beatAt(*to + same)).bar), first, last);
  if (unit == CaretUnit::landing)
    for (const Landing& l : plan.song().allLandings())
      if (map.frameAt(l.at) == *to) return l.at;
  return map.beatAt(*to);
}

std::optional<BeatRange> wordAt(Beats at, const TempoMap& map, const RowSpeech& speech) {
  const auto phrase = phraseAt(at, map, speech);
  if (!phrase) return std::nullopt;
  const FrameRange whole = map.frames(*phrase);
  FrameRange word = whole;
  const Frames here = std::max(map.frameAt(at), whole.begin), same(std::llround(map.sampleRate() * kSameSeconds));
  for (const Frames start : wordStarts(speech, nearOf(map))) {
    if (start < whole.begin || start >= whole.end) continue;
    if (start <= here + same)
      word.begin = start;
    else {
      word.end = start;
      break;
    }
  }
  return beats(map, word);
}

std::optional<BeatRange> phraseAt(Beats at, const TempoMap& map, const RowSpeech& speech) {
  const Frames here = map.frameAt(at);
  const auto p = std::upper_bound(speech.phrases.begin(), speech.phrases.end(), here,
                                  [](Frames f, const FrameRange& r) { return f < r.end; });
  if (p == speech.phrases.end()) return std::nullopt;
  return beats(map, *p);
}

namespace {

Frames sameOf(const TempoMap& map) {
  return Frames(std::llround(map.sampleRate() * kSameSeconds));
}
bool covers(FrameRange all, FrameRange part, Frames same) {
  return all.begin <= part.begin + same && all.end + same >= part.end;
}

} // namespace

std::optional<BeatRange> grown(std::optional<BeatRange> selected, Beats at, const TempoMap& map,
                               const RowSpeech& speech) {
  const Beats from = selected ? selected->begin : at;
  const auto word = wordAt(from, map, speech), phrase = phraseAt(from, map, speech);
  if (!selected || !word || !phrase) return word;
  const Frames same = sameOf(map);
  const FrameRange now = map.frames(*selected);
  if (!covers(now, map.frames(*word), same)) return word;
  if (!covers(now, map.frames(*phrase), same)) return phrase;
  const auto next = phraseAt(map.beatAt(now.end + same), map, speech);
  return next ? std::optional(BeatRange{std::min(selected->begin, phrase->begin), next->end}) : std::nullopt;
}

std::optional<BeatRange> shrunk(BeatRange selected, const TempoMap& map, const RowSpeech& speech) {
  const Frames same = sameOf(map);
  const FrameRange now = map.frames(selected);
  const FrameRange* last = nullptr; // the phrase that is left as the last one
  for (const FrameRange& p : speech.phrases)
    if (p.end > now.begin + same && p.end + same < now.end) last = &p;
  if (last) return BeatRange{selected.begin, map.beatAt(last->end)};
  const auto word = wordAt(selected.begin, map, speech);
  if (!word || word->length() >= selected.length()) return std::nullopt;
  return word;
}

} // namespace ivrin::app

#include "analysis/openings.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kLeastGapBeats = 0.9, kMostGapBars = 4;
constexpr double kLeastHeldBeats = 0.5, kLeastHeldSeconds = 0.25;
constexpr double kAttackSettles = 0.06; // after an attack its noise is over, and a note's own begins
constexpr double kSameNotes = 0.85;     // cosine between a step's notes and those of the note so far
constexpr double kTonal = 0.12;         // a step's notes weigh so much, or it is noise
constexpr double kMostHeldFallDb = 10;  // from its loudest
constexpr double kHitFallsDb = 12, kHitFallsBeats = 0.5, kHitRoomBeats = 1, kHitAloneBeats = 0.4;
constexpr double kEightScore = 0.6, kFourScore = 0.45;
constexpr double kFullGapBeats = 2, kFullHeldBeats = 2, kFullHitBeats = 2; // the best score from here on

double similarity(const Chroma& a, const Chroma& b) {
  double ab = 0, aa = 1e-12, bb = 1e-12;
  for (std::size_t i = 0; i < a.size(); ++i) {
    const double x = static_cast<double>(a[i]), y = static_cast<double>(b[i]);
    ab += x * y;
    aa += x * x;
    bb += y * y;
  }
  return ab / std::sqrt(aa * bb);
}

double weightOf(const Chroma& c) {
  double sum = 0;
  for (const float v : c) sum += static_cast<double>(v);
  return sum;
}

/// dBFS of all octaves together.
double levelAt(const RowOctaves& octaves, Frames f) {
  const RowOctaves::Step* s = octaves.at(f);
  if (!s) return -120;
  double p = 1e-12;
  for (const std::uint8_t b : *s) p += std::pow(10.0, RowOctaves::db(b) / 10);
  return 10 * std::log10(p);
}

double beatsBetween(const TempoMap& map, Frames a, Frames b) {
  const Beats at = map.beatAt(a);
  return (map.beatAt(b) - at).quarters() / map.meterAt(at).beatLength().quarters();
}

class Finder {
 public:
  Finder(const RowHeard& heard, const TempoMap& map)
      : heard_(heard)
      , map_(map)
      , rate_(map.sampleRate()) {}

  std::vector<Opening> all() {
    gaps();
    hits();
    held();
    std::stable_sort(found_.begin(), found_.end(),
                     [](const Opening& a, const Opening& b) { return a.place.begin < b.place.begin; });
    return std::move(found_);
  }

 private:
  Frames after(Frames f, double seconds) const { return f + Frames(std::llround(seconds * rate_)); }
  void add(Opening::Kind kind, Frames begin, Frames end, double score) {
    found_.push_back({kind, heard_.row, {map_.beatAt(begin), map_.beatAt(end)}, std::clamp(score, 0.0, 1.0)});
  }

  void gaps() {
    const auto& phrases = *heard_.phrases;
    for (std::size_t i = 0; i + 1 < phrases.size(); ++i) {
      const Frames from = phrases[i].end, to = phrases[i + 1].begin;
      const double beats = beatsBetween(map_, from, to);
      const Beats at = map_.beatAt(from);
      const double bar = map_.meterAt(at).barLength().quarters() / map_.meterAt(at).beatLength().quarters();
      if (beats < kLeastGapBeats || beats > kMostGapBars * bar) continue;
      add(Opening::Kind::gap, from, to, beats / kFullGapBeats);
    }
  }

  void hits() {
    const auto& attacks = *heard_.attacks;
    const auto& phrases = *heard_.phrases;
    for (const Frames& attack : attacks) {
      // In a phrase of its own: what lies before it in the phrase, and after, is the hit.
      const auto in = std::find_if(phrases.begin(), phrases.end(), [&](const FrameRange& p) {
        return attack >= after(p.begin, -0.03) && attack < p.end;
      });
      if (in == phrases.end() || beatsBetween(map_, in->begin, attack) > 0.1) continue;
      if (in != phrases.begin() && beatsBetween(map_, (in - 1)->end, attack) < kHitAloneBeats) continue;
      const auto later = std::upper_bound(attacks.begin(), attacks.end(), after(attack, 0.04));
      if (later != attacks.end() && *later < in->end) continue; // several
      const Frames next = in + 1 == phrases.end() ? Frames(0) : (in + 1)->begin;
      const bool last = in + 1 == phrases.end();
      const double room = last ? kFullHitBeats : beatsBetween(map_, attack, next);
      if (room < kHitRoomBeats) continue;
      const double top =
          std::max(levelAt(*heard_.octaves, after(attack, 0.02)), levelAt(*heard_.octaves, after(attack, 0.04)));
      const Beats at = map_.beatAt(attack);
      const Frames half = map_.frameAt(
          at + Beats(std::llround(kHitFallsBeats * static_cast<double>(map_.meterAt(at).beatLength().ticks))));
      if (levelAt(*heard_.octaves, half) > top - kHitFallsDb) continue;
      const Frames end = last ? map_.frameAt(at + map_.meterAt(at).barLength()) : next;
      add(Opening::Kind::hit, attack, end, room / kFullHitBeats);
    }
  }

  void held() {
    const RowChroma& c = *heard_.chroma;
    if (c.steps.empty()) return;
    const auto frameOf = [&](std::size_t step) { return after(c.begin, static_cast<double>(step) * c.stepSeconds); };
    const auto& attacks = *heard_.attacks;
    for (const FrameRange& phrase : *heard_.phrases) {
      auto step = static_cast<std::size_t>(
          std::max(0.0, std::ceil(static_cast<double>((phrase.begin - c.begin).count) / rate_ / c.stepSeconds)));
      std::size_t first = step;
      Chroma notes{};
      double top = -120;
      const auto close = [&](std::size_t end) {
        if (end > first) {
          // From its attack, or the phrase's start, where one lies just before.
          Frames begin = frameOf(first);
          const auto own = std::upper_bound(attacks.begin(), attacks.end(), begin);
          if (own != attacks.begin() && begin - *(own - 1) < Frames(std::llround(1.6 * c.stepSeconds * rate_)))
            begin = *(own - 1);
          const Frames last = std::min(frameOf(end), phrase.end);
          const double seconds = static_cast<double>((last - begin).count) / rate_,
                       beats = beatsBetween(map_, begin, last);
          if (seconds >= kLeastHeldSeconds && beats >= kLeastHeldBeats)
            add(Opening::Kind::held, begin, last, beats / kFullHeldBeats);
        }
        first = end;
        notes = {};
        top = -120;
      };
      for (; step < c.steps.size() && frameOf(step) < phrase.end; ++step) {
        const Chroma& now = c.steps[step];
        const Frames at = frameOf(step);
        const auto attack = std::upper_bound(attacks.begin(), attacks.end(), after(at, -c.stepSeconds / 2));
        const bool struck = attack != attacks.end() && *attack <= after(at, c.stepSeconds / 2) && step > first &&
                            static_cast<double>((*attack - frameOf(first)).count) / rate_ > kAttackSettles;
        const double level = levelAt(*heard_.octaves, at);
        if (weightOf(now) < kTonal) { // no notes
          close(step);
          first = step + 1;
          continue;
        }
        if (struck || (weightOf(notes) > 0 && similarity(now, notes) < kSameNotes) || level < top - kMostHeldFallDb)
          close(step);
        top = std::max(top, level);
        for (std::size_t i = 0; i < notes.size(); ++i) notes[i] = 0.7f * notes[i] + 0.3f * now[i];
      }
      close(step);
    }
  }

  const RowHeard& heard_;
  const TempoMap& map_;
  double rate_;
  std::vector<Opening> found_;
};

} // namespace

std::vector<Opening> findOpenings(const RowHeard& heard, const TempoMap& map) {
  return Finder(heard, map).all();
}

std::vector<Opening> openingsBeforeLandings(const Song& song) {
  std::vector<Opening> found;
  const TempoMap map = song.tempoMap();
  for (const Landing& l : song.allLandings()) {
    const std::int64_t bar = map.barAt(l.at).bar;
    const bool onBar = map.barStart(bar) == l.at;
    const Beats from = map.barStart(onBar ? bar - 2 : bar - 1);
    if (from < Beats(0)) continue;
    found.push_back({Opening::Kind::landing, kMixRow, {from, l.at}, 1});
  }
  return found;
}

std::vector<Opening> turnsOf(const Song& song, const std::string& row, Beats end) {
  const TempoMap map = song.tempoMap();
  std::vector<Beats> starts;
  for (const Landing& s : song.sections) starts.push_back(s.at);
  std::sort(starts.begin(), starts.end());
  if (starts.empty()) starts.push_back(Beats(0));
  const std::vector<Landing> landings = song.allLandings();
  std::vector<Opening> found;
  for (std::size_t i = 0; i < starts.size(); ++i) {
    const std::int64_t first = map.barAt(starts[i]).bar;
    const Beats last = i + 1 < starts.size() ? starts[i + 1] : end;
    for (std::int64_t bars = 4;; bars += 4) {
      const Beats at = map.barStart(first + bars);
      if (at >= last) break;
      if (std::any_of(landings.begin(), landings.end(), [&](const Landing& l) { return l.at == at; })) continue;
      const bool eight = bars % 8 == 0;
      found.push_back({Opening::Kind::turn,
                       row,
                       {map.barStart(first + bars - (eight ? 2 : 1)), at},
                       eight ? kEightScore : kFourScore});
    }
  }
  return found;
}

const char* openingWord(Opening::Kind kind) {
  switch (kind) {
  case Opening::Kind::gap:
    return "gap";
  case Opening::Kind::held:
    return "held";
  case Opening::Kind::hit:
    return "hit";
  case Opening::Kind::landing:
    return "landing";
  case Opening::Kind::turn:
    return "turn";
  }
  return "";
}

} // namespace ivrin

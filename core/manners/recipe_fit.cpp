#include "manners/recipe_fit.h"

#include "dsp/measure/loudness.h"
#include "dsp/measure/onsets.h"
#include "manners/fitting.h"
#include "manners/in_the_mix.h"
#include "song/edits.h"
#include "song/row_edits.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace ivrin {
namespace {

constexpr double kSoundsDb = -55;       // peak: rows under that do not play there
constexpr double kHeardBars = 4;        // before a landing: who plays
constexpr double kWordBars = 2;         // around a landing: where words are looked for
constexpr double kLeastWordBeats = 0.2; // less is a breath
constexpr double kWordBeats = 2;        // a word is no longer
constexpr double kUnderCeilingDb = 1, kMostTurnedDownDb = 9, kMostOfARow = 3;
constexpr int kLeastPlaced = 2; // ornaments: less is no transition

/// The loudest sample of a row, looked at in windows, dBFS.
double peakDb(const RowReader& row, FrameRange range) {
  StereoBuffer block(4096);
  double most = 0;
  for (Frames at = range.begin; at < range.end; at = at + Frames(block.frames())) {
    const StereoSpan part = block.span().part(0, std::min(block.frames(), (range.end - at).count));
    row(at, part);
    most = std::max(most, samplePeak(part.left, part.right, part.frames));
  }
  return most > 0 ? 20 * std::log10(most) : -200;
}

/// A curve (points of two or three numbers) over so much longer a stretch; anything else as it is.
Value drawnOver(const Value& v, double times) {
  const List* points = v.list();
  if (times == 1 || !points || points->empty()) return v;
  List out;
  for (const Value& p : *points) {
    const List* point = p.list();
    if (!point || point->size() < 2 || !(*point)[0].number() || !(*point)[1].number()) return v;
    List moved = *point;
    moved[0] = *(*point)[0].number() * times;
    out.emplace_back(std::move(moved));
  }
  return Value(std::move(out));
}

/// One recipe being placed.
class Fitting {
 public:
  Fitting(const KindSet& kinds, const Recipe& recipe, const Song& song, const Landing& landing,
          const RecipeOptions& options, const Hear& hear, const RecipePartPlaced& told)
      : kinds_(kinds)
      , recipe_(recipe)
      , landing_(landing)
      , options_(options)
      , hear_(hear)
      , told_(told)
      , map_(song.tempoMap())
      , song_(song) {}

  RecipeMade made(const Song& before) {
    for (const RecipePart& part : recipe_.parts) {
      if (part.density > options_.density) continue;
      const int count = place(part);
      if (count == 0 && part.needed)
        return {before, {}, why_.empty() ? worded("No row plays before this landing. Choose another landing.") : why_};
      if (count > 0 && told_) told_(song_, placed_);
    }
    if (static_cast<int>(placed_.size()) < std::min<int>(kLeastPlaced, static_cast<int>(recipe_.parts.size())))
      return {before,
              {},
              why_.empty() ? worded("Too few of its rows play before this landing. Choose another recipe, or set what "
                                    "your rows are (right-click a row's name, Role).")
                           : why_};
    RecipeMade m;
    keepUnderCeiling(before, m);
    m.song = song_;
    for (const std::string& id : placed_) m.placed.push_back(*song_.ornament(id));
    return m;
  }

 private:
  Beats at(const FromLanding& place, bool scales) const {
    const double times = scales ? std::exp2(options_.length) : 1;
    return placeFrom(map_, landing_.at, {place.bars * times, place.beats * times});
  }

  /// Of the mix no phrases: it is another sound after every part, it hardly ever rests, and listening to all of it anew
  /// takes longer than all the rest.
  Surroundings heard(const Song& song, const std::string& row) const {
    if (row != kMixRow || song.stems.empty()) return hear_(song, row);
    Surroundings around = hear_(song, song.stems.front().id);
    around.phrases.clear();
    around.decaySeconds = 0;
    return around;
  }

  /// Rows that play before the landing or behind it, the one that is heard most first.
  const std::vector<std::string>& playing() {
    if (!playing_.empty() || song_.stems.empty()) return playing_;
    const Beats bar = map_.meterAt(landing_.at).barLength();
    const FrameRange range =
        map_.frames({landing_.at - bar * static_cast<std::int64_t>(kHeardBars), landing_.at + bar * 2});
    std::vector<std::pair<double, std::string>> all;
    const Surroundings around = heard(song_, kMixRow);
    for (const Stem& s : song_.stems) {
      const SideGains path = pathToMix(song_, s.id);
      const double gain = std::max(path.left, path.right);
      if (gain <= 0) continue;
      const double peak = peakDb(around.before(s.id), range) + 20 * std::log10(gain);
      if (peak > kSoundsDb) all.emplace_back(-peak, s.id);
    }
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    for (auto& [peak, id] : all) playing_.push_back(std::move(id));
    return playing_;
  }

  /// Rows that a part may be placed on, in the order in which they are tried: the first group on which anything of it
  /// fits has it.
  std::vector<std::vector<std::string>> rowsToTry(const RecipePart& part) {
    if (part.on.empty() && !part.orAny) return {{kMixRow}};
    std::vector<std::vector<std::string>> groups;
    for (const RowRole role : part.on) {
      std::vector<std::string> own;
      for (const std::string& row : playing())
        if (roleOfRow(song_, row) == role && isFree(part, row)) own.push_back(row);
      if (part.rows == RecipePart::Rows::each && !own.empty())
        groups.push_back(std::move(own));
      else
        for (std::string& row : own) groups.push_back({std::move(row)});
    }
    if (part.orAny)
      for (const std::string& row : playing())
        if (isFree(part, row) && !used_.contains(row)) groups.push_back({row});
    return groups;
  }
  /// What replaces a row's sound replaces it once.
  bool isFree(const RecipePart& part, const std::string& row) const {
    return !replaces(part.kind) || !replaced_.contains(row);
  }
  static bool replaces(const std::string& kind) {
    const Manners* m = mannersOf(kind);
    return m && m->replacesRow();
  }

  /// The stretch of a part on a row; nothing where there is no such word, or it would lie before the song.
  std::optional<BeatRange> stretchOf(const RecipePart& part, const std::string& row) {
    BeatRange r{at(part.from, part.scales), at(part.to, part.scales)};
    if (part.take != RecipePart::Take::stretch) {
      const auto word = part.take == RecipePart::Take::lastWord ? lastWord(row) : firstWord(row);
      if (!word) return std::nullopt;
      r = *word;
      if (part.holds) r.end = std::max(at(part.to, part.scales), r.begin + Beats(kTicksPerQuarter / 4));
    }
    if (r.begin < Beats(0)) { // no more than half of it may be missing
      if (r.end.ticks * 2 < r.length().ticks) return std::nullopt;
      r.begin = Beats(0);
    }
    return r.length().ticks > 0 ? std::optional(r) : std::nullopt;
  }

  /// Attacks of a row around the landing.
  std::vector<Frames> attacksAround(const Surroundings& around, const std::string& row, FrameRange range) const {
    const StereoBuffer sound = heardOver(around.before(row), range);
    OnsetFinder finder(map_.sampleRate());
    finder.add(sound.left(), sound.right(), sound.frames());
    std::vector<Frames> all;
    for (const Onset& o : finder.finish()) all.push_back(range.begin + Frames(o.frame));
    return all;
  }
  Beats barsAround() const { return map_.meterAt(landing_.at).barLength() * static_cast<std::int64_t>(kWordBars); }

  /// From its attack to where it ends, or the landing.
  std::optional<BeatRange> lastWord(const std::string& row) {
    const Surroundings around = heard(song_, row);
    const FrameRange range = map_.frames({landing_.at - barsAround(), landing_.at});
    const auto phrase = std::find_if(around.phrases.rbegin(), around.phrases.rend(), [&](const FrameRange& p) {
      return p.begin + Frames(std::llround(0.1 * map_.sampleRate())) < range.end && range.begin < p.end;
    });
    if (phrase == around.phrases.rend()) return std::nullopt;
    const Beats end = std::min(map_.beatAt(phrase->end), landing_.at);
    const auto attacks = attacksAround(around, row, range);
    for (auto a = attacks.rbegin(); a != attacks.rend(); ++a) {
      const Beats begin = map_.beatAt(*a);
      if (*a >= phrase->begin && (end - begin).quarters() >= kLeastWordBeats && (end - begin).quarters() <= kWordBeats)
        return BeatRange{begin, end};
    }
    const Beats begin = std::max(map_.beatAt(phrase->begin), end - Beats::ofQuarters(1));
    return (end - begin).quarters() >= kLeastWordBeats ? std::optional(BeatRange{begin, end}) : std::nullopt;
  }

  /// What comes in on the landing, or within two bars after it.
  std::optional<BeatRange> firstWord(const std::string& row) {
    const Surroundings around = heard(song_, row);
    const FrameRange range = map_.frames({landing_.at - Beats(kTicksPerQuarter / 8), landing_.at + barsAround()});
    const auto phrase = std::find_if(around.phrases.begin(), around.phrases.end(),
                                     [&](const FrameRange& p) { return p.end > range.begin && p.begin < range.end; });
    if (phrase == around.phrases.end()) return std::nullopt;
    const auto attacks = attacksAround(around, row, range);
    std::optional<Beats> begin, end;
    for (const Frames a : attacks) {
      const Beats b = map_.beatAt(a);
      if (!begin && a + Frames(std::llround(0.03 * map_.sampleRate())) >= phrase->begin)
        begin = b;
      else if (begin && !end && (b - *begin).quarters() >= 0.5)
        end = b;
    }
    if (!begin) begin = std::max(map_.beatAt(phrase->begin), landing_.at);
    // On the grid's line where it is as near as an ear can tell: then it lands there.
    if (std::abs((*begin - landing_.at).quarters()) < 0.06) begin = landing_.at;
    const Beats most = *begin + Beats::ofQuarters(1);
    return BeatRange{*begin, std::min({end.value_or(most), map_.beatAt(phrase->end), most})};
  }

  int place(const RecipePart& part) {
    for (const auto& group : rowsToTry(part)) {
      int done = 0;
      for (const std::string& row : group) done += placeOn(part, row) ? 1 : 0;
      if (done > 0) return done;
    }
    return 0;
  }

  bool placeOn(const RecipePart& part, const std::string& row) {
    const auto stretch = stretchOf(part, row);
    if (!stretch) return false;
    const double times = part.curvesOver > 0 ? stretch->length().quarters() / part.curvesOver : 1;
    PressWish wish{part.settings, part.finish};
    for (auto& [key, value] : wish.settings) value = drawnOver(value, times);
    for (Processor& one : wish.finish)
      for (auto& [key, value] : one.settings) value = drawnOver(value, times);
    Pressed p = press(kinds_, part.kind, song_, row, *stretch, heard(song_, row), nullptr, &wish);
    if (!p.heard.refusal.empty()) {
      why_ = p.heard.refusal;
      return false;
    }
    Ornament& o = p.ornament;
    o.landing = landing_.id;
    o.recipe = RecipeOrigin{recipe_.name, landing_.id, options_.density, options_.length};
    auto added = withOrnaments(std::move(song_), {std::move(o)});
    song_ = std::move(added.song);
    placed_.push_back(added.ids.front());
    used_.insert(row);
    if (replaces(part.kind)) replaced_.insert(row);
    return true;
  }

  /// The mix about the landing with all of it against the mix without.
  void keepUnderCeiling(const Song& before, RecipeMade& m) {
    const Beats bar = map_.meterAt(landing_.at).barLength();
    Beats from = landing_.at - bar, to = landing_.at + bar * 2;
    for (const std::string& id : placed_) from = std::min(from, song_.ornament(id)->start - bar);
    const FrameRange range = map_.frames({std::max(from, Beats(0)), to});
    const auto peak = [&](const Song& song) {
      const Surroundings around = heard(song, kMixRow);
      return peakDb(around.wholeMix ? around.wholeMix : around.before(kMixRow), range);
    };
    m.mostDb = peak(song_); // what it takes is its prints, which are heard anyway
    const double ceiling = song_.mix.ceilingDbtp - kUnderCeilingDb;
    if (m.mostDb <= ceiling) return;
    m.mostBeforeDb = peak(before);
    double turned = 0;
    while (m.mostDb > std::max(ceiling, m.mostBeforeDb + 0.05) && turned < kMostTurnedDownDb) {
      const double over = m.mostDb - std::max(ceiling, m.mostBeforeDb);
      const double by = std::clamp(std::ceil(2 * over + 1) / 2, 1.0, 3.0); // half decibels
      turned += by;
      for (const std::string& id : placed_) {
        Ornament o = *song_.ornament(id);
        // What stands for its row is turned down a little at most, or the row would miss it.
        const Manners* manners = mannersOf(o.kind);
        if ((manners && !manners->sounds()) || (replaces(o.kind) && turned > kMostOfARow)) continue;
        o.gainDb -= by;
        song_ = withOrnamentReplaced(std::move(song_), std::move(o));
      }
      m.mostDb = peak(song_);
    }
  }

  const KindSet& kinds_;
  const Recipe& recipe_;
  const Landing landing_;
  const RecipeOptions options_;
  const Hear& hear_;
  const RecipePartPlaced& told_;
  const TempoMap map_;
  Song song_;
  std::vector<std::string> placed_, playing_;
  std::set<std::string> used_, replaced_; // rows
  std::string why_;
};

} // namespace

RecipeMade applied(const KindSet& kinds, const Recipe& recipe, const Song& song, const std::string& landing,
                   const RecipeOptions& options, const Hear& hear, const RecipePartPlaced& part) {
  const auto at = song.landingById(landing);
  if (!at) return {song, {}, worded("This landing does not exist.")};
  if (at->at <= Beats(0))
    return {song, {}, worded("Nothing plays before the start of the song. Choose a later landing.")};
  return Fitting(kinds, recipe, song, *at, options, hear, part).made(song);
}

std::vector<std::string> ornamentsOf(const Song& song, const RecipeOrigin& origin) {
  std::vector<std::string> ids;
  for (const auto& o : song.ornaments)
    if (o->recipe && o->recipe->name == origin.name && o->recipe->landing == origin.landing) ids.push_back(o->id);
  return ids;
}

RecipeMade refitted(const KindSet& kinds, const Recipe& recipe, Song song, const RecipeOrigin& was,
                    const std::string& landing, const RecipeOptions& options, const Hear& hear) {
  const Song before = song;
  song = withOrnamentsRemoved(std::move(song), ornamentsOf(before, was));
  RecipeMade m = applied(kinds, recipe, song, landing, options, hear);
  if (!m.why.empty()) m.song = before; // it stays as it was
  return m;
}

std::vector<std::string> rowsFor(const Song& song, const RecipePart& part) {
  if (part.on.empty() && !part.orAny) return {kMixRow};
  std::vector<std::string> rows;
  for (const RowRole role : part.on) {
    for (const Stem& s : song.stems)
      if (roleOfRow(song, s.id) == role) rows.push_back(s.id);
    if (!rows.empty()) return rows;
  }
  if (part.orAny)
    for (const Stem& s : song.stems) rows.push_back(s.id);
  return rows;
}

} // namespace ivrin

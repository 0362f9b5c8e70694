#include "manners/opening_choice.h"

#include <algorithm>
#include <map>

namespace ivrin {
namespace {

constexpr int kBars = 8;
constexpr double kAtLanding = 0.15; // more worth
const Beats kBeat(kTicksPerQuarter);

} // namespace

bool isTaken(const Opening& o, const Song& song) {
  return std::any_of(song.ornaments.begin(), song.ornaments.end(), [&](const auto& own) {
    return own->on == o.row && own->start < o.place.end && own->span().end > o.place.begin - kBeat;
  });
}

std::vector<RankedOpening> rankedOpenings(const std::vector<Opening>& all, const Song& song, const TempoMap& map,
                                          double least) {
  const auto landings = song.allLandings();
  struct Worth {
    double worth;
    RankedOpening* of;
  };
  std::vector<RankedOpening> ranked;
  for (const Opening& o : all)
    if (o.score >= least) ranked.push_back({o});
  std::map<std::int64_t, std::vector<Worth>> parts; // of eight bars
  for (RankedOpening& r : ranked) {
    const Opening& o = r.opening;
    if (isTaken(o, song)) continue;
    const bool lands = std::any_of(landings.begin(), landings.end(), [&](const Landing& l) {
      return l.at >= o.place.end - kBeat && l.at <= o.place.end + kBeat;
    });
    const std::int64_t bar = map.barAt(o.place.begin).bar - 1;
    parts[(bar - ((bar % kBars) + kBars) % kBars) / kBars].push_back({o.score + (lands ? kAtLanding : 0), &r});
  }
  for (auto& [part, worths] : parts) {
    std::stable_sort(worths.begin(), worths.end(), [](const Worth& a, const Worth& b) { return a.worth > b.worth; });
    const Opening& best = worths.front().of->opening;
    worths.front().of->rank = RankedOpening::Rank::best;
    const auto second = std::find_if(worths.begin() + 1, worths.end(), [&](const Worth& w) {
      const BeatRange here = w.of->opening.place;
      return best.place.begin >= here.end + kBeat || here.begin >= best.place.end + kBeat;
    });
    if (second != worths.end()) second->of->rank = RankedOpening::Rank::good;
  }
  return ranked;
}

} // namespace ivrin

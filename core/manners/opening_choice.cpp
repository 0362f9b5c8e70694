#include "manners/opening_choice.h"

#include <algorithm>
#include <map>

namespace ivrin {
namespace {

constexpr int kBars = 8, kOfEach = 2;
constexpr double kAtLanding = 0.15; // more worth
const Beats kBeat(kTicksPerQuarter);

} // namespace

bool isTaken(const Opening& o, const Song& song) {
  return std::any_of(song.ornaments.begin(), song.ornaments.end(), [&](const auto& own) {
    return own->on == o.row && own->start < o.place.end && own->span().end > o.place.begin - kBeat;
  });
}

std::vector<ChosenOpening> chosenOpenings(const std::vector<Opening>& all, const Song& song, const TempoMap& map,
                                          double least) {
  const auto landings = song.allLandings();
  struct Worth {
    double worth;
    std::size_t at; // in `all`
  };
  std::map<std::int64_t, std::vector<Worth>> parts; // of eight bars
  for (std::size_t i = 0; i < all.size(); ++i) {
    const Opening& o = all[i];
    if (o.score < least || isTaken(o, song)) continue;
    const bool lands = std::any_of(landings.begin(), landings.end(), [&](const Landing& l) {
      return l.at >= o.place.end - kBeat && l.at <= o.place.end + kBeat;
    });
    const std::int64_t bar = map.barAt(o.place.begin).bar - 1;
    parts[(bar - ((bar % kBars) + kBars) % kBars) / kBars].push_back({o.score + (lands ? kAtLanding : 0), i});
  }
  std::map<std::size_t, bool> chosen; // whether the best
  for (auto& [part, worths] : parts) {
    std::stable_sort(worths.begin(), worths.end(), [](const Worth& a, const Worth& b) { return a.worth > b.worth; });
    std::vector<std::size_t> taken;
    for (const Worth& w : worths) {
      const BeatRange here = all[w.at].place;
      if (std::any_of(taken.begin(), taken.end(), [&](std::size_t other) {
            return all[other].place.begin < here.end + kBeat && here.begin < all[other].place.end + kBeat;
          }))
        continue;
      chosen[w.at] = taken.empty();
      taken.push_back(w.at);
      if (taken.size() == kOfEach) break;
    }
  }
  std::vector<ChosenOpening> few;
  for (const auto& [at, best] : chosen) few.push_back({all[at], best});
  return few;
}

} // namespace ivrin

#include "song/limits.h"

#include "song/value.h"
#include "words/words.h"

#include <cmath>

namespace ivrin {
namespace {

class Limits {
 public:
  Limits(const Song& song, Problems& problems)
      : map_(song.tempoMap())
      , earliest_(map_.barStart(kEarliestBar))
      , problems_(problems) {}

  void name(const std::string& text, const std::string& place) {
    if (text.size() > kLongestName)
      problems_.error(ErrorId::out_of_range, place,
                      worded("is too long: %1 bytes, at most %2", text.size(), kLongestName));
  }
  void within(Beats at, const std::string& place) {
    if (at < earliest_)
      problems_.error(ErrorId::out_of_range, place, worded("is before bar %1", kEarliestBar));
    else if (std::abs(map_.secondsAt(at).value) > kLongestSongSeconds)
      problems_.error(ErrorId::out_of_range, place, worded("is more than 4 hours from the start of the song"));
  }

 private:
  const TempoMap map_;
  const Beats earliest_;
  Problems& problems_;
};

std::string indexed(const char* list, std::size_t i) {
  return std::string(list) + "[" + std::to_string(i) + "]";
}

} // namespace

void checkLimits(const Song& song, Problems& problems, const Song* known) {
  Limits l(song, problems);
  l.name(song.title, "title");
  if (song.leadBars * song.leadBarSeconds() > kLongestSongSeconds)
    problems.error(ErrorId::out_of_range, "lead_bars", worded("is more than 4 hours before the stems"));
  for (std::size_t i = 0; i < song.buses.size(); ++i) l.name(song.buses[i].name, indexed("buses", i) + ".name");
  for (std::size_t i = 0; i < song.stems.size(); ++i) {
    const Stem& s = song.stems[i];
    l.name(s.name, indexed("stems", i) + ".name");
    l.name(s.digest, indexed("stems", i) + ".digest");
    if (!(std::abs(s.offsetSeconds) <= kFarthestOffsetSeconds))
      problems.error(ErrorId::out_of_range, indexed("stems", i) + ".offset_seconds",
                     worded("%1 is out of range, allowed is -3600..3600", shortestNumber(s.offsetSeconds)));
    if (s.file && (s.file->size() > kLongestPath || s.file->find('\0') != std::string::npos))
      problems.error(ErrorId::out_of_range, indexed("stems", i) + ".file", worded("is not a path of up to 4096 bytes"));
  }
  for (const auto& [list, landings] : {std::pair{"sections", &song.sections}, std::pair{"landings", &song.landings}})
    for (std::size_t i = 0; i < landings->size(); ++i) {
      l.name((*landings)[i].name, indexed(list, i) + ".name");
      l.within((*landings)[i].at, indexed(list, i) + ".at");
    }
  for (std::size_t i = 0; i < song.ornaments.size(); ++i) {
    const Ornament& o = *song.ornaments[i];
    if (known && i < known->ornaments.size() && &o == &*known->ornaments[i]) continue;
    const std::string place = indexed("ornaments", i);
    l.name(o.name, place + ".name");
    l.within(o.start, place + ".start");
    l.within(o.start + o.length, place + ".length");
    for (std::size_t k = 0; k < o.source.size(); ++k) {
      const std::string at = place + (o.source.size() == 1 ? ".source" : ".source[" + std::to_string(k) + "]");
      l.within(o.source[k].start, at + ".start");
      l.within(o.source[k].start + o.source[k].length, at + ".length");
    }
  }
}

} // namespace ivrin

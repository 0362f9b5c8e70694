#include "manners/placing.h"

#include "song/edits.h"

namespace ivrin {

PlacedSeveral placeSeveral(const KindSet& kinds, const std::string& kind, Song song, const std::vector<Press>& presses,
                           const Hear& hear) {
  PlacedSeveral result{std::move(song), {}, {}, {}};
  for (const Press& press : presses) {
    if (!result.song.hasRow(press.row)) continue;
    Pressed p = ivrin::press(kinds, kind, result.song, press.row, press.stretch, hear(result.song, press.row));
    if (!p.heard.refusal.empty()) {
      result.refusal = p.heard.refusal;
      continue;
    }
    result.heard.push_back(p.heard);
    auto added = withOrnaments(std::move(result.song), {std::move(p.ornament)});
    result.song = std::move(added.song);
    result.placed.push_back(*result.song.ornament(added.ids.front()));
  }
  return result;
}

} // namespace ivrin

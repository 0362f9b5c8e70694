#include "manners/first_press.h"

#include "song/edits.h"

namespace ivrin {

Ornament place(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
               BeatRange stretch, const Surroundings& around, std::shared_ptr<const Impulses> impulses) {
  Ornament o;
  o.id = freshOrnamentId(song);
  o.kind = kind;
  o.on = row;
  o.start = stretch.begin;
  o.length = stretch.length();
  const SongContext context = contextOf(song, std::move(impulses));
  if (const Manners* m = mannersOf(kind)) m->fit(o, {*kinds.find(kind), song, context, around});
  return o;
}

std::optional<PressedAgain> pressedAgain(const Song& song, const std::string& kind, const std::string& row,
                                         BeatRange stretch) {
  const Manners* m = mannersOf(kind);
  if (!m) return std::nullopt;
  for (const auto& one : song.ornaments)
    if (one->kind == kind && one->on == row && m->standsOn(*one, stretch)) return m->again(*one, song);
  return std::nullopt;
}

} // namespace ivrin

// The one list of all manners. A new kind: one file, one line here.
#include "manners/manners.h"

#include <algorithm>

namespace ivrin {

const Manners& delayThrowManners();
const Manners& reverbThrowManners();
const Manners& reverseReverbManners();
const Manners& reverseManners();
const Manners& tapeManners();
const Manners& halftimeManners();
const Manners& stutterManners();
const Manners& pulseManners();
const Manners& glitchManners();
const Manners& riserManners();
const Manners& treatManners();
const Manners& gapManners();

const std::vector<const Manners*>& allManners() {
  static const std::vector<const Manners*> all = {&delayThrowManners(), &reverbThrowManners(), &reverseReverbManners(),
                                                  &reverseManners(),    &tapeManners(),        &halftimeManners(),
                                                  &stutterManners(),    &pulseManners(),       &glitchManners(),
                                                  &riserManners(),      &treatManners(),       &gapManners()};
  return all;
}

const Manners* mannersOf(std::string_view kind) {
  const auto it =
      std::find_if(allManners().begin(), allManners().end(), [&](const Manners* m) { return m->kind() == kind; });
  return it == allManners().end() ? nullptr : *it;
}

std::vector<std::string> suiting(Opening::Kind opening) {
  std::vector<const Manners*> all;
  for (const Manners* m : allManners())
    if (m->suits(opening) > 0) all.push_back(m);
  std::stable_sort(all.begin(), all.end(),
                   [&](const Manners* a, const Manners* b) { return a->suits(opening) > b->suits(opening); });
  std::vector<std::string> ids;
  for (const Manners* m : all) ids.emplace_back(m->kind());
  return ids;
}

} // namespace ivrin

// Every set of settings of an ornament: its own, those of its finish, and the same of its variants.
#pragma once

#include "song/song.h"

#include <string>

namespace ivrin {

/// Calls f(type, settings, place) for each; `type` is a processor's, or empty for those of the ornament's kind;
/// `place` is where they stand within the ornament: ".settings", ".finish[2]", ".variants[0].settings".
template <class AnyOrnament, class F> void eachSettings(AnyOrnament& o, const F& f) {
  const auto of = [&](auto& settings, auto& finish, const std::string& place) {
    f(std::string(), settings, place + ".settings");
    for (std::size_t i = 0; i < finish.size(); ++i)
      f(finish[i].type, finish[i].settings, place + ".finish[" + std::to_string(i) + "]");
  };
  of(o.settings, o.finish, {});
  for (std::size_t v = 0; v < o.variants.size(); ++v)
    of(o.variants[v].settings, o.variants[v].finish, ".variants[" + std::to_string(v) + "]");
}

} // namespace ivrin

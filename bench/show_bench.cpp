// What `ivrin-cli show` computes, against rendering the mix.
#include "bench.h"

#include "render/export.h"
#include "services/song_figures.h"
#include "test_support/bench_song.h"

namespace ivrin::bench {
using namespace ivrin::test;

void showBenchmarks() {
  const auto t = bigSong(16, 240, 60);
  t->song.mix.gainDb = -9;
  t->plan();
  const TempFolder dir;
  const auto render = [&] {
    PrintCache fresh;
    exportSong(RenderPlan::make(t->song, t->audio, allKinds(), fresh), dir.path(), {});
  };
  const auto show = [&](Findings& findings) {
    PrintCache fresh;
    const auto plan = RenderPlan::make(t->song, t->audio, allKinds(), fresh);
    const auto figures = figuresOfAll(plan, t->audio, fresh, findings, 2);
    keep(figures.data());
  };
  Findings known({{}, false});
  show(known);
  compare(
      "figures of 60 ornaments, 4 min, 16 stems, as `ivrin-cli show`, against rendering the mix", "<= 1.5x", 9,
      [&] { show(known); }, render);
  compare(
      "the same, no stem listened to before", "<= 1.5x", 5,
      [&] {
        Findings none({{}, false});
        show(none);
      },
      render);
}

} // namespace ivrin::bench

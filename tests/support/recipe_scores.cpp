#include "test_support/recipe_scores.h"

#include "dsp/measure/loudness.h"
#include "files/song_file.h"
#include "render/export.h"
#include "render/facts.h"
#include "services/chosen_facts.h"
#include "services/hearing.h"
#include "song/grid_edits.h"
#include "song/limits.h"

#include <chrono>
#include <cmath>

namespace ivrin::test {
namespace {

double peakOf(const std::shared_ptr<const RenderPlan>& plan, FrameRange range) {
  const auto mix = readerOfMix(plan);
  StereoBuffer block(4096);
  double most = 1e-10;
  for (Frames at = range.begin; at < range.end; at = at + Frames(block.frames())) {
    mix(at, block.span());
    most = std::max(most, samplePeak(block.left(), block.right(), block.frames()));
  }
  return 20 * std::log10(most);
}

bool readsBack(const Song& song) {
  Problems problems;
  const Registry registry = allKinds().registry();
  const auto back = readSong(writeSong(song, registry), registry, problems);
  checkLimits(song, problems);
  return back && problems.list.empty() && back->ornaments == song.ornaments;
}

} // namespace

RecipeScore scored(const Recipe& recipe, const std::shared_ptr<const RenderPlan>& bare, const SongAudio& audio,
                   const std::shared_ptr<PrintCache>& cache, const std::string& landing, Findings& findings) {
  const Song& song = bare->song();
  RecipeScore s;
  s.recipe = recipe.name;
  s.landing = landing;
  const auto begun = std::chrono::steady_clock::now();
  const RecipeMade made = applied(allKinds(), recipe, song, landing, {}, hearing(bare, audio, cache, findings));
  s.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
  s.why = made.why;
  if (!s.fits()) return s;
  s.placed = made.placed.size();
  s.checks = readsBack(made.song);
  const auto plan = RenderPlan::make(made.song, audio, allKinds(), *cache, bare.get());
  completePrints(*plan, 2);
  const TempoMap& map = plan->map();
  const Frames lands = map.frameAt(song.landingById(landing)->at);
  FrameRange about{lands - Frames(static_cast<std::int64_t>(map.sampleRate())),
                   lands + Frames(static_cast<std::int64_t>(4 * map.sampleRate()))};
  for (const Ornament& o : made.placed) {
    const auto node = plan->node(o.id);
    about.begin = std::min(about.begin, node->extent().begin);
    s.collisions += collisionsOf(plan, node, findings).size() + rowsUnder(plan, node, findings).size();
    // What lands on its own does so on the landing, or on the word it leads to.
    const auto own = node->kind->landingFrame({*node->ornament, plan->context()});
    if (!own) continue;
    const std::int64_t off = std::min({std::abs((*own - lands).count), std::abs((*own - map.frameAt(o.start)).count),
                                       std::abs((*own - map.frameAt(o.span().end)).count)});
    s.landsOff = std::max(s.landsOff, off);
  }
  about.begin = std::max(about.begin, Frames(0));
  s.peakDb = peakOf(plan, about);
  s.peakBeforeDb = peakOf(bare, about);
  s.roomDb = song.mix.ceilingDbtp - s.peakDb;

  const Song faster = withTempoAt(made.song, Beats(0), made.song.tempo.front().bpm * 1.1);
  const auto next = RenderPlan::make(faster, audio, allKinds(), *cache);
  const RecipeMade again =
      refitted(allKinds(), recipe, faster, {recipe.name, landing}, landing, {}, hearing(next, audio, cache, findings));
  // Sound lies elsewhere on the beats then: a word may have gone, and with it what takes it.
  s.refits = again.why.empty() ? readsBack(again.song) &&
                                     ornamentsOf(again.song, {recipe.name, landing}).size() == again.placed.size()
                               : again.song == faster;
  return s;
}

} // namespace ivrin::test

#include "services/hearing.h"

#include "render/facts.h"

namespace ivrin {

Hear hearing(std::shared_ptr<const RenderPlan> from, SongAudio audio, std::shared_ptr<PrintCache> cache,
             Findings& findings, std::stop_token stop) {
  return [newest = std::move(from), audio = std::move(audio), cache = std::move(cache), &findings,
          stop](const Song& song, const std::string& row) mutable {
    if (!(newest->song() == song)) newest = RenderPlan::make(song, audio, allKinds(), *cache, newest.get());
    Surroundings l;
    l.before = [plan = newest, stop](const std::string& r) { return readerBeforeOrnaments(plan, r, stop); };
    l.wholeMix = [plan = newest, stop, reader = RowReader()](Frames at, StereoSpan out) mutable {
      if (!reader) reader = readerOfMix(plan, stop);
      reader(at, out);
    };
    if (const auto found = findings.of(newest, row, stop)) {
      l.phrases = found->phrases;
      l.decaySeconds = found->decaySeconds;
    }
    return l;
  };
}

} // namespace ivrin

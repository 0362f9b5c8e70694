#include "ornaments/finished.h"

#include "dsp/measure/loudness.h"
#include "finish/finisher.h"
#include "ornaments/source.h"
#include "song/limits.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

FinishPlace placeOf(const Kind& kind, const Placed& p, FrameRange extent) {
  FinishPlace at{p.map, p.ornament.start, p.ornament.length, extent.begin};
  at.frames = extent.length();
  at.seed = static_cast<std::uint64_t>(p.ornament.seed);
  at.impulses = p.impulses;
  at.sourceFrames = Source(p).frames();
  at.songKey = p.context.key;
  at.hzLaw = p.context.hzLaw;
  at.leadsIn = kind.leadsIn(p.ornament);
  const auto loop = kind.loopFigures(p);
  at.builds = loop && loop->gainPerPassDb > 0;
  return at;
}

/// Of its finish, the one that says how loud it is, after which its wet level comes: the last `level`.
const Processor* matching(const Ornament& o) {
  const auto last = std::find_if(o.finish.rbegin(), o.finish.rend(), [](const Processor& one) {
    const Finisher* f = findFinisher(one.type);
    return f && f->matches();
  });
  return last == o.finish.rend() ? nullptr : &*last;
}

/// As its kind has it where its finish matches. What is measured is the sound itself: with its own wet level a match
/// would take that back.
std::unique_ptr<const Ornament> withoutWet(const Ornament& o) {
  auto bare = std::make_unique<Ornament>(o);
  bare->settings.erase("wet_db"); // 0 in every table
  return bare;
}

/// A voice and the ornament that it may look into.
class OfItsOwn : public Voice {
 public:
  OfItsOwn(std::unique_ptr<const Ornament> ornament, std::unique_ptr<Voice> voice)
      : ornament_(std::move(ornament))
      , voice_(std::move(voice)) {}
  std::int64_t render(StereoSpan out) override { return voice_->render(out); }
  bool seek(std::int64_t frame) override { return voice_->seek(frame); }
  std::string note() const override { return voice_->note(); }

 private:
  std::unique_ptr<const Ornament> ornament_; // outlives the voice
  std::unique_ptr<Voice> voice_;
};

/// Its finish measures the source.
bool measuresSource(const Ornament& o) {
  return std::any_of(o.finish.begin(), o.finish.end(), [](const Processor& one) {
    const Finisher* f = findFinisher(one.type);
    return f && f->hearsSource(one.settings);
  });
}

/// Those that come before the finish's keys, beginning with the source: the kind's own, or, where it takes nothing and
/// its finish measures, the source for that.
std::vector<Read> readsBeforeKeys(std::vector<Read> own, const Placed& p) {
  return own.empty() && measuresSource(p.ornament) ? Source(p).reads() : own;
}

double sourceLufs(const Placed& p, Sounds& sounds) {
  const Source source(p);
  const double rate = p.sampleRate();
  const auto frames = std::min(source.frames(), static_cast<std::int64_t>(kLongestWholeSeconds * rate));
  const std::int64_t hop = measuredHop(frames, rate);
  StereoBuffer block(kPrintBlock), scratch;
  WeightedPower power(rate, hop);
  for (std::int64_t at = 0; at < frames; at += kPrintBlock) {
    const StereoSpan part = block.span().part(0, std::min(kPrintBlock, frames - at));
    source.read(sounds, at, part, scratch);
    power.add(part.left, part.right, part.frames);
  }
  return loudestWindowLufs(power.take(), std::max<std::int64_t>(source.frames(), std::llround(0.05 * rate)) / hop);
}

} // namespace

namespace {

PrintPlan refused(std::string why) {
  PrintPlan none;
  none.sounds = false;
  none.refusal = std::move(why);
  return none;
}

/// What a plan holds is bounded.
PrintPlan bounded(PrintPlan plan, const Placed& p) {
  if (!plan.refusal.empty()) return plan;
  if (plan.reads.size() > kMostReads) return refused(worded("uses more than %1 pieces of audio", kMostReads));
  if (std::max(plan.dry.size(), plan.wet.size()) > kMostSegments)
    return refused(worded("turns its row down in more than %1 places", kMostSegments));
  // A song, and the tails of a kind and of its finish.
  const double rate = p.sampleRate();
  const auto before = static_cast<std::int64_t>(kLongestSongSeconds * rate),
             after = static_cast<std::int64_t>((kLongestSongSeconds + 2 * kLongestTailSeconds) * rate);
  if (plan.extent.begin.count < -before || plan.extent.end.count > after)
    return refused(worded("would play more than 4 hours from the start of the song"));
  const bool whole = std::any_of(p.ornament.finish.begin(), p.ornament.finish.end(), [](const Processor& one) {
    const Finisher* f = findFinisher(one.type);
    return f && f->whole(one.settings);
  });
  if (plan.sounds && whole && static_cast<double>(plan.extent.length()) > kLongestWholeSeconds * rate)
    return refused(worded("is longer than 30 minutes, too long for a loudness match or an impulse response in its "
                          "finish. Choose a shorter source, or remove them"));
  return plan;
}

} // namespace

PrintPlan finishedPlan(const Kind& kind, const Placed& p) {
  const auto bare = matching(p.ornament) ? withoutWet(p.ornament) : nullptr;
  PrintPlan plan = bounded(kind.plan({bare ? *bare : p.ornament, p.context}), p);
  if (!plan.sounds || p.ornament.finish.empty()) return plan;
  const FinishPlace at = placeOf(kind, p, plan.extent);
  plan.reads = readsBeforeKeys(std::move(plan.reads), p);
  std::int64_t tail = 0;
  for (const Processor& one : p.ornament.finish)
    if (const Finisher* f = findFinisher(one.type)) {
      tail += f->tailFrames(at, one.settings);
      plan.anyOrder = plan.anyOrder && f->memoryless();
    }
  const auto longest = static_cast<std::int64_t>(kLongestTailSeconds * p.sampleRate());
  plan.extent.end = plan.extent.end + Frames(std::min(tail, longest));
  for (const Processor& one : p.ornament.finish) {
    const Finisher* f = findFinisher(one.type);
    const auto key = f ? f->key(at, one.settings) : std::nullopt;
    if (!key) continue;
    const bool own = key->row.empty() || key->row == p.ornament.on;
    plan.reads.push_back({own ? p.ornament.on : key->row,
                          own ? Read::What::dryBefore : Read::What::beforeOrnaments,
                          {plan.extent.begin, plan.extent.end + Frames(key->aheadFrames)}});
  }
  return bounded(std::move(plan), p);
}

std::unique_ptr<Voice> finishedVoice(const Kind& kind, const Placed& p, const PrintPlan& plan, Sounds& sounds) {
  const Processor* match = matching(p.ornament);
  auto bare = match ? withoutWet(p.ornament) : nullptr;
  std::unique_ptr<Voice> voice = kind.start({bare ? *bare : p.ornament, p.context}, sounds);
  if (!voice || p.ornament.finish.empty()) return voice;
  if (bare) voice = std::make_unique<OfItsOwn>(std::move(bare), std::move(voice));
  FinishPlace at = placeOf(kind, p, plan.extent);
  at.store = sounds.store();
  at.sourceLufs = [&ornament = p.ornament, &context = p.context, &sounds] {
    return sourceLufs({ornament, context}, sounds);
  };
  std::size_t next = readsBeforeKeys(kind.plan(p).reads, p).size();
  for (const Processor& one : p.ornament.finish) {
    const Finisher* f = findFinisher(one.type);
    if (!f) continue;
    at.key = nullptr;
    at.wetDb = &one == match && kind.table().find("wet_db")
                   ? *settingOr(kind.table(), p.ornament.settings, "wet_db").number()
                   : 0;
    if (f->key(at, one.settings)) at.key = keyOf(sounds, next++);
    voice = f->attach(std::move(voice), at, one.settings);
  }
  return voice;
}

} // namespace ivrin

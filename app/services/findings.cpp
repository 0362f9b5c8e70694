#include "services/findings.h"

#include "render/facts.h"
#include "render/provenance.h"
#include "services/attacks.h"
#include "services/found_files.h"
#include "services/stoppable.h"

#include <algorithm>

namespace ivrin {

FrameRange stemsUnder(const RenderPlan& plan, std::size_t row) {
  const RowNode& r = plan.rows()[row];
  FrameRange all{Frames(0), Frames(0)};
  if (r.audio) all.end = std::max(all.end, Frames(r.offset + r.audio->frames()));
  for (const std::size_t m : r.members) all.end = std::max(all.end, stemsUnder(plan, m).end);
  return all;
}

std::shared_ptr<const RowFindings> Findings::find(const std::string& sound) {
  std::lock_guard lock(mutex_);
  const auto it = std::find_if(recent_.begin(), recent_.end(), [&](const Entry& e) { return e.sound == sound; });
  if (it == recent_.end()) return nullptr;
  recent_.splice(recent_.begin(), recent_, it);
  return it->findings;
}

std::shared_ptr<const RowFindings> Findings::known(const RenderPlan& plan, const std::string& row) {
  const auto index = plan.rowIndex(row);
  return index ? find(soundBefore(plan, *index, stemsUnder(plan, *index))) : nullptr;
}

Findings::Findings()
    : Findings(Options{}) {}
Findings::Findings(Options options)
    : options_(std::move(options))
    , files_(std::make_unique<FoundFiles>(options_.cacheFolder)) {}
Findings::~Findings() = default;

namespace {
std::int64_t bytesOf(const RowFindings& f) {
  const auto taken = [](const auto& list) { return list.capacity() * sizeof list[0]; };
  return static_cast<std::int64_t>(sizeof f + taken(f.phrases) + taken(f.octaves.steps) + taken(f.onsets) +
                                   taken(f.notes.steps));
}
} // namespace

void Findings::keep(const std::string& sound, std::shared_ptr<const RowFindings> made) {
  std::lock_guard lock(mutex_);
  bytes_ += bytesOf(*made);
  recent_.push_front({sound, std::move(made)});
  while (recent_.size() > kMost || (bytes_ > kMostBytes && recent_.size() > 1)) {
    bytes_ -= bytesOf(*recent_.back().findings);
    recent_.pop_back();
  }
}

std::int64_t Findings::bytes() const {
  std::lock_guard lock(mutex_);
  return bytes_;
}

std::shared_ptr<const RowFindings> Findings::of(const std::shared_ptr<const RenderPlan>& plan, const std::string& row,
                                                std::stop_token stop) {
  const auto index = plan->rowIndex(row);
  if (!index) return nullptr;
  const FrameRange range = stemsUnder(*plan, *index);
  const std::string sound = soundBefore(*plan, *index, range);
  if (auto known = find(sound)) return known;
  const bool isFile = plan->rows()[*index].audio != nullptr; // what is made of several changes with every edit of one
  if (isFile)
    if (auto kept = files_->read(sound); kept && (kept->whole || !options_.whole)) {
      keep(sound, kept);
      return kept;
    }

  const RowReader reader = stoppable(readerBeforeOrnaments(plan, row, stop), stop);
  const double rate = plan->map().sampleRate();
  auto made = std::make_shared<RowFindings>();
  unlessStopped([&] {
    RowPhrases heard = findPhrases(reader, range, rate);
    made->phrases = std::move(heard.phrases);
    made->decaySeconds = heard.decaySeconds;
    made->octaves = std::move(heard.octaves);
    if (!options_.whole) return;
    made->onsets = attacksIn(reader, range, rate, stop);
    made->notes = rowChroma(reader, range, rate);
    made->whole = true;
  });
  if (stop.stop_requested()) return nullptr;
  keep(sound, made);
  if (isFile) files_->write(sound, *made);
  return made;
}

} // namespace ivrin

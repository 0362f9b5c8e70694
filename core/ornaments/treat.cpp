#include "ornaments/treat.h"

#include "ornaments/any_block.h"
#include "ornaments/source.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

TableSpec makeTreatTable() {
  TableSpec t;
  t.id = "treat";
  t.name = "Treat";
  t.key = "T";
  t.meaning = "Processes this place of the row with the finish.";
  t.settings.push_back({.key = "dry",
                        .label = "dry",
                        .type = type::choice,
                        .initial = "replace",
                        .meaning = "Whether the processed sound replaces the row or is added to it.",
                        .group = "treat",
                        .choices = {"replace", "keep"},
                        .shown = {"removed", "kept"},
                        .role = Role::leftAlone});
  t.settings.push_back(
      {.key = "mix_percent",
       .label = "mix",
       .unit = "%",
       .max = 100,
       .initial = 100,
       .meaning = "How much of the row is processed. Where the dry sound is removed, the rest stays dry.",
       .group = "treat",
       .role = Role::leftAlone});
  t.settings.push_back({.key = "tail_seconds",
                        .label = "tail",
                        .unit = "s",
                        .max = 120,
                        .meaning = "How long the tail may continue after the end.",
                        .group = "treat",
                        .step = 0.5,
                        .nullable = true,
                        .whenNull = "until silent",
                        .role = Role::leftAlone});
  return t;
}

const TableSpec& treatTable() {
  static const TableSpec t = makeTreatTable();
  return t;
}

double share(const Placed& p) {
  return *settingOr(treatTable(), p.ornament.settings, "mix_percent").number() / 100;
}

/// The source as it is; with a set tail, silence for that long after it.
class TreatVoice : public AnyBlockVoice {
 public:
  TreatVoice(const Placed& p, Sounds& sounds)
      : sounds_(sounds)
      , source_(p)
      , gain_(static_cast<float>(share(p)))
      , frames_(source_.frames()) {
    if (const double* tail = settingOr(treatTable(), p.ornament.settings, "tail_seconds").number())
      frames_ += std::llround(*tail * p.sampleRate());
  }

 protected:
  std::int64_t frames() const override { return frames_; }
  void block(std::int64_t at, StereoSpan part) override {
    const std::int64_t n = part.frames;
    source_.read(sounds_, at, part, scratch_);
    for (std::int64_t i = 0; i < n; ++i) {
      part.left[i] *= gain_;
      part.right[i] *= gain_;
    }
  }

 private:
  Sounds& sounds_;
  Source source_;
  float gain_;
  std::int64_t frames_;
  StereoBuffer scratch_;
};

} // namespace

const TableSpec& Treat::table() const {
  return treatTable();
}

PrintPlan Treat::plan(const Placed& p) const {
  const Source source(p);
  PrintPlan plan;
  const FrameRange span = p.span();
  std::int64_t tail = 0;
  if (const double* seconds = settingOr(treatTable(), p.ornament.settings, "tail_seconds").number())
    tail = std::llround(*seconds * p.sampleRate());
  plan.extent = {span.begin, span.begin + Frames(source.frames() + tail)};
  plan.reads = source.reads();
  plan.anyOrder = true;
  if (*settingOr(treatTable(), p.ornament.settings, "dry").text() == "replace")
    plan.dry = plan.wet = sourceRemoved(p, 1 - share(p));
  return plan;
}

std::unique_ptr<Voice> Treat::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<TreatVoice>(p, sounds);
}

} // namespace ivrin

#include "ornaments/reverse.h"

#include "finish/shared_settings.h"
#include "ornaments/any_block.h"
#include "ornaments/source.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

TableSpec makeReverseTable() {
  TableSpec t;
  t.id = "reverse";
  t.name = "Reverse";
  t.key = "B";
  t.meaning = "Plays the selected sound backwards.";
  t.settings.push_back({.key = "land",
                        .label = "landing offset",
                        .unit = "beats",
                        .min = -64,
                        .max = 64,
                        .meaning = "Where the reversed sound ends, counted from the start of the source, or in place.",
                        .group = "reverse",
                        .step = 0.25,
                        .nullable = true,
                        .whenNull = "in place",
                        .role = Role::leftAlone});
  t.settings.push_back({.key = "fade_in_beats",
                        .label = "fade in",
                        .unit = "beats",
                        .max = 64,
                        .initial = 0,
                        .meaning = "Time to fade in: longer starts more softly.",
                        .group = "reverse",
                        .step = 0.25});
  t.settings.push_back(wetSetting("Level of the reversed sound.", "reverse"));
  t.settings.push_back(removeDrySetting(true, "reverse"));
  return t;
}

/// The print's frames: as long as the source, ending where it lands.
FrameRange soundOf(const Placed& p, const TableSpec& table, std::int64_t frames) {
  const double* land = settingOr(table, p.ornament.settings, "land").number();
  const Frames end =
      land ? p.map.frameAt(p.ornament.start + Beats::ofQuarters(*land)) : p.span().begin + Frames(frames);
  return {end - Frames(frames), end};
}

class ReverseVoice : public AnyBlockVoice {
 public:
  ReverseVoice(const Placed& p, const TableSpec& table, Sounds& sounds)
      : sounds_(sounds)
      , source_(p) {
    const auto number = [&](const char* key) { return *settingOr(table, p.ornament.settings, key).number(); };
    gain_ = Decibels(number("wet_db")).gain();
    const FrameRange at = soundOf(p, table, source_.frames());
    const Beats begin = p.map.beatAt(at.begin);
    fade_ = std::min(at.length(), (p.map.frameAt(begin + Beats::ofQuarters(number("fade_in_beats"))) - at.begin).count);
  }

 protected:
  std::int64_t frames() const override { return source_.frames(); }
  void block(std::int64_t at, StereoSpan part) override {
    const std::int64_t n = part.frames;
    source_.read(sounds_, source_.frames() - at - n, part, scratch_);
    part.reverse();
    for (std::int64_t i = 0; i < n; ++i) {
      const double up = at + i < fade_ ? raisedCosine(static_cast<double>(at + i) / static_cast<double>(fade_)) : 1;
      const auto g = static_cast<float>(gain_ * up);
      part.left[i] *= g;
      part.right[i] *= g;
    }
  }

 private:
  Sounds& sounds_;
  Source source_;
  StereoBuffer scratch_;
  double gain_ = 1;
  std::int64_t fade_ = 0;
};

} // namespace

const TableSpec& Reverse::table() const {
  static const TableSpec t = makeReverseTable();
  return t;
}

PrintPlan Reverse::plan(const Placed& p) const {
  const Source source(p);
  PrintPlan plan;
  plan.extent = soundOf(p, table(), source.frames());
  plan.reads = source.reads();
  plan.anyOrder = true;
  if (*settingOr(table(), p.ornament.settings, "remove_dry").boolean()) plan.dry = plan.wet = sourceRemoved(p);
  return plan;
}

std::unique_ptr<Voice> Reverse::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<ReverseVoice>(p, table(), sounds);
}

std::optional<Frames> Reverse::landingFrame(const Placed& p) const {
  if (!leadsIn(p.ornament)) return std::nullopt; // in its place it does not land
  return soundOf(p, table(), Source(p).frames()).end;
}

bool Reverse::leadsIn(const Ornament& o) const {
  return settingOr(table(), o.settings, "land").number() != nullptr;
}

std::optional<Ornament> Reverse::withLandingAt(const Placed& p, Beats at) const {
  Ornament o = p.ornament;
  if (at == o.span().end)
    o.settings.erase("land");
  else
    o.settings["land"] = std::clamp((at - o.start).quarters(), -64.0, 64.0);
  return o;
}

} // namespace ivrin

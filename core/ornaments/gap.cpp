#include "ornaments/gap.h"

#include <cmath>

namespace ivrin {
namespace {

TableSpec makeGapTable() {
  TableSpec t;
  t.id = "gap";
  t.name = "Gap";
  t.key = "Z";
  t.meaning = "Mutes the row, or turns it down, for a moment.";
  t.settings.push_back({.key = "depth_db",
                        .label = "depth",
                        .unit = "dB",
                        .min = -96,
                        .meaning = "How far the row is turned down, or silence.",
                        .group = "gap",
                        .nullable = true,
                        .whenNull = "silence",
                        .role = Role::leftAlone});
  t.settings.push_back({.key = "fade_out_ms",
                        .label = "fade out",
                        .unit = "ms",
                        .max = 1000,
                        .initial = 5,
                        .meaning = "Length of the fade at the start of the gap: longer is softer.",
                        .group = "gap"});
  t.settings.push_back(
      {.key = "fade_in_ms",
       .label = "fade in",
       .unit = "ms",
       .max = 1000,
       .initial = 5,
       .meaning = "Length of the fade before the end of the gap. The row is back at full level on the end.",
       .group = "gap"});
  t.settings.push_back(
      {.key = "tails",
       .label = "tails",
       .type = type::choice,
       .initial = "keep",
       .meaning = "Whether delays, reverbs and lead-ins of other ornaments continue through the gap or are cut.",
       .group = "gap",
       .choices = {"keep", "cut"}});
  return t;
}

} // namespace

const TableSpec& Gap::table() const {
  static const TableSpec t = makeGapTable();
  return t;
}

PrintPlan Gap::plan(const Placed& p) const {
  const auto value = [&](const char* key) -> const Value& { return settingOr(table(), p.ornament.settings, key); };
  const auto frames = [&](const char* key) { return std::llround(*value(key).number() / 1000 * p.sampleRate()); };
  PrintPlan plan;
  plan.extent = p.span();
  plan.sounds = false;
  const double* depth = value("depth_db").number();
  plan.dry = turnedDown(plan.extent, depth ? Decibels(*depth).gain() : 0, frames("fade_out_ms"), frames("fade_in_ms"));
  if (*value("tails").text() == "cut")
    plan.wet = plan.dry;
  else
    plan.silencesReplaced = true;
  return plan;
}

std::optional<Ornament> Gap::withLandingAt(const Placed& p, Beats at) const {
  Ornament o = p.ornament;
  o.length = std::max(at - o.start, Beats(kTicksPerQuarter / 64));
  return o;
}

std::unique_ptr<Voice> Gap::start(const Placed&, Sounds&) const {
  return nullptr;
}

} // namespace ivrin

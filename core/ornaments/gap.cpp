#include "ornaments/gap.h"

#include <cmath>

namespace ivrin {
namespace {

using T = SettingType;

TableSpec makeGapTable() {
  TableSpec t;
  t.id = "gap";
  t.name = "Gap";
  t.key = "0";
  t.meaning = "The row falls silent, or is turned down, for a moment.";
  t.settings.push_back({"depth_db", "depth", "dB", T::number, -96, 0, Value(),
                        "How far the row is turned down; null is silence.", "gap", 1});
  t.settings.back().nullable = true;
  t.settings.back().whenNull = "silence";
  t.settings.push_back({"fade_out_ms", "fade out", "ms", T::number, 0, 1000, 5,
                        "The row's fade at the gap's begin, inside it.", "gap", 1});
  t.settings.push_back({"fade_in_ms", "fade in", "ms", T::number, 0, 1000, 5,
                        "The row's fade before the gap's end; it is back at full level on the end.", "gap", 1});
  t.settings.push_back({"tails",
                        "tails",
                        "",
                        T::choice,
                        0,
                        0,
                        "keep",
                        "Whether what ornaments add goes on through the gap.",
                        "gap",
                        1,
                        {"keep", "cut"}});
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
  if (*value("tails").text() == "cut") plan.wet = plan.dry;
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

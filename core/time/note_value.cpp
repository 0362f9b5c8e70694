#include "time/note_value.h"

#include "time/plain_number.h"

#include <algorithm>
#include <charconv>
#include <cstdio>

namespace ivrin {

std::optional<NoteValue> NoteValue::parse(std::string_view text) {
  NoteValue v;
  if (text.starts_with("1/")) {
    text.remove_prefix(2);
    const auto [end, err] = std::from_chars(text.data(), text.data() + text.size(), v.number);
    if (err != std::errc{} || v.number < 1 || v.number > 128 || (v.number & (v.number - 1)) != 0) return std::nullopt;
    const std::string_view rest(end, static_cast<std::size_t>(text.data() + text.size() - end));
    v.dotted = rest == ".";
    v.triplet = rest == "t";
    if (!rest.empty() && !v.dotted && !v.triplet) return std::nullopt;
    return v;
  }
  v.kind = Kind::bars;
  const auto [end, err] = std::from_chars(text.data(), text.data() + text.size(), v.number);
  const std::string_view rest(end, static_cast<std::size_t>(text.data() + text.size() - end));
  if (err != std::errc{} || v.number < 1 || v.number > 64) return std::nullopt;
  if (rest != (v.number == 1 ? " bar" : " bars")) return std::nullopt;
  return v;
}

std::string NoteValue::text() const {
  char buf[48];
  switch (kind) {
  case Kind::fraction:
    std::snprintf(buf, sizeof buf, "1/%d%s", number, dotted ? "." : triplet ? "t" : "");
    break;
  case Kind::bars:
    std::snprintf(buf, sizeof buf, number == 1 ? "%d bar" : "%d bars", number);
    break;
  case Kind::milliseconds:
    return roundNumber(milliseconds, 10);
  }
  return buf;
}

std::optional<Beats> NoteValue::beats(const TempoMap& map, Beats at) const {
  switch (kind) {
  case Kind::fraction: {
    const std::int64_t whole = kTicksPerQuarter * 4 / number;
    return Beats(dotted ? whole * 3 / 2 : triplet ? whole * 2 / 3 : whole);
  }
  case Kind::bars:
    return map.meterAt(at).barLength() * number;
  case Kind::milliseconds:
    break;
  }
  return std::nullopt;
}

Seconds NoteValue::seconds(const TempoMap& map, Beats at) const {
  if (const auto b = beats(map, at)) return Seconds(b->quarters() * 60.0 / map.bpmAt(at));
  return Seconds(milliseconds / 1000.0);
}

std::vector<NoteValue> allNoteValues(const TempoMap& map, Beats at) {
  std::vector<NoteValue> all;
  for (int n = 1; n <= 64; n *= 2)
    for (const auto& [dot, tri] : {std::pair{false, false}, {true, false}, {false, true}})
      all.push_back({NoteValue::Kind::fraction, n, dot, tri, 0});
  all.push_back({NoteValue::Kind::bars, 1, false, false, 0});
  all.push_back({NoteValue::Kind::bars, 2, false, false, 0});
  std::stable_sort(all.begin(), all.end(),
                   [&](const NoteValue& a, const NoteValue& b) { return a.seconds(map, at) < b.seconds(map, at); });
  return all;
}

Beats snapToGrid(Beats b, Beats step, const TempoMap& map) {
  if (step.ticks <= 0) return b;
  const Beats bar = map.barStart(map.barAt(b).bar);
  const std::int64_t within = (b - bar).ticks;
  const Beats snapped = bar + Beats((within + step.ticks / 2) / step.ticks * step.ticks);
  const Beats next = bar + map.meterAt(b).barLength();
  // A grid that does not divide the bar begins again at the next bar line.
  if (snapped > next || (next - b).ticks < std::abs((snapped - b).ticks)) return next;
  return snapped;
}

} // namespace ivrin

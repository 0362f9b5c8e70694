#include "time/song_place.h"

#include "time/note_value.h"
#include "time/plain_number.h"

#include <cmath>

namespace ivrin {
namespace {

constexpr double kMost = 1e6; // bars and beats: beyond every song, within every number

std::optional<double> numberIn(std::string_view text) {
  while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
  while (!text.empty() && text.back() == ' ') text.remove_suffix(1);
  const NumberRead n = readNumber(text);
  if (text.empty() || !n.rest.empty() || !std::isfinite(n.value) || std::abs(n.value) > kMost) return std::nullopt;
  return n.value;
}

} // namespace

std::optional<Beats> readPlace(std::string_view text, const TempoMap& map) {
  const std::size_t colon = text.find(':');
  if (colon == std::string_view::npos) {
    const auto quarters = numberIn(text);
    return quarters ? std::optional(Beats::ofQuarters(*quarters)) : std::nullopt;
  }
  const auto bar = numberIn(text.substr(0, colon)), beat = numberIn(text.substr(colon + 1));
  if (!bar || !beat || *bar != std::floor(*bar) || *beat < 1) return std::nullopt;
  const Beats start = map.barStart(static_cast<std::int64_t>(*bar));
  const MeterEntry& meter = map.meterAt(start);
  if (*beat >= meter.count + 1) return std::nullopt; // there is no such beat in the bar
  return start + Beats(std::llround((*beat - 1) * static_cast<double>(meter.beatLength().ticks)));
}

std::optional<Beats> readLength(std::string_view text, const TempoMap& map, Beats at) {
  if (!text.empty() && text.front() == '+') text.remove_prefix(1);
  std::optional<Beats> length;
  if (const auto quarters = numberIn(text)) {
    length = Beats::ofQuarters(*quarters);
  } else if (const auto note = NoteValue::parse(text)) {
    if (note->kind == NoteValue::Kind::bars) { // through changes of meter
      const BarPosition p = map.barAt(at);
      const Beats within = at - map.barStart(p.bar);
      length = map.barStart(p.bar + note->number) + within - at;
    } else {
      length = note->beats(map, at);
    }
  }
  return length && length->ticks > 0 ? length : std::nullopt;
}

std::string placeText(const TempoMap& map, Beats at, int decimals) {
  BarPosition p = map.barAt(at);
  const double parts = std::pow(10.0, decimals);
  const auto length = static_cast<double>(map.meterAt(at).beatLength().ticks);
  double beat = std::round(static_cast<double>((at - map.barStart(p.bar)).ticks) / length * parts) / parts;
  if (map.barStart(p.bar) + Beats(std::llround(beat * length)) >= map.barStart(p.bar + 1)) { // rounded up to the next
    ++p.bar;
    beat = 0;
  }
  return std::to_string(p.bar) + ":" + roundNumber(1 + beat, 9);
}

std::string barText(const TempoMap& map, Beats at) {
  const BarPosition p = map.barAt(at);
  return std::to_string(p.bar) + "." + std::to_string(p.beat) + "." +
         std::to_string(p.tick * 4 / map.meterAt(at).beatLength().ticks + 1);
}

} // namespace ivrin

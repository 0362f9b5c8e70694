#include "time/note_value.h"

#include "time/plain_number.h"

#include <algorithm>
#include <cctype>
#include <charconv>

namespace ivrin {

namespace {

constexpr std::int64_t kWhole = kTicksPerQuarter * 4;
constexpr int kMostUpper = 64, kMostLower = 128, kMostBars = 64;

std::optional<NoteValue> parseFraction(std::string_view text) {
  NoteValue v;
  const char* const all = text.data() + text.size();
  const auto [slash, noUpper] = std::from_chars(text.data(), all, v.upper);
  if (noUpper != std::errc{} || slash == all || *slash != '/' || v.upper < 1 || v.upper > kMostUpper)
    return std::nullopt;
  const auto [end, noLower] = std::from_chars(slash + 1, all, v.number);
  if (noLower != std::errc{} || v.number < 1 || v.number > kMostLower || (v.number & (v.number - 1)) != 0)
    return std::nullopt;
  const std::string_view rest(end, static_cast<std::size_t>(all - end));
  v.dotted = rest == ".";
  v.triplet = rest == "t";
  if (!rest.empty() && (v.upper > 1 || (!v.dotted && !v.triplet))) return std::nullopt;
  return v;
}

/// The fewest digits that read back to the same tick.
std::string quartersText(double quarters) {
  for (int digits = 1; digits < 17; ++digits) {
    std::string text = roundNumber(quarters, digits);
    if (Beats::ofQuarters(readNumber(text).value) == Beats::ofQuarters(quarters)) return text;
  }
  return roundNumber(quarters, 17);
}

} // namespace

std::optional<NoteValue> NoteValue::parse(std::string_view text) {
  if (text.find('/') != text.npos) return parseFraction(text);
  NoteValue v;
  if (text.ends_with(" beats")) {
    const auto [quarters, rest] = readNumber(text);
    if (rest != " beats" || !(quarters >= kLeastQuarters && quarters <= kMostQuarters)) return std::nullopt;
    v.kind = Kind::quarters;
    v.quarters = quarters;
    return v;
  }
  v.kind = Kind::bars;
  const auto [end, err] = std::from_chars(text.data(), text.data() + text.size(), v.number);
  const std::string_view rest(end, static_cast<std::size_t>(text.data() + text.size() - end));
  if (err != std::errc{} || v.number < 1 || v.number > kMostBars) return std::nullopt;
  if (rest != (v.number == 1 ? " bar" : " bars")) return std::nullopt;
  return v;
}

std::optional<NoteValue> NoteValue::typed(std::string_view text) {
  std::string s;
  const auto digit = [](char c) { return c >= '0' && c <= '9'; };
  bool apart = false; // "2 5" is not 25
  for (const char c : text) {
    if (apart && !s.empty() && digit(s.back()) && digit(c)) return std::nullopt;
    apart = c == ' ';
    if (!apart) s += c == ',' ? '.' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  }
  const auto [n, unit] = readNumber(s);
  if (unit.size() == s.size()) return std::nullopt;
  const std::string number = s.substr(0, s.size() - unit.size());
  if (unit == "bar" || unit == "bars") return parse(number + (n == 1 ? " bar" : " bars"));
  if (unit == "beat" || unit == "beats") {
    const auto beats = parse(number + " beats");
    return beats ? std::optional(ofLength(Beats::ofQuarters(beats->quarters))) : std::nullopt;
  }
  for (const auto& [said, written] : {std::pair{"dotted", "."}, {"d", "."}, {"triplet", "t"}})
    if (s.ends_with(said)) {
      s.replace(s.size() - std::string_view(said).size(), s.npos, written);
      break;
    }
  const auto fraction = parseFraction(s);
  return fraction ? std::optional(ofLength(*fraction->beats({}, {}))) : std::nullopt;
}

NoteValue NoteValue::ofLength(Beats length) {
  NoteValue v;
  for (v.number = 1; v.number <= kMostLower; v.number *= 2) {
    const std::int64_t one = kWhole / v.number;
    v.dotted = length.ticks == one * 3 / 2;
    v.triplet = length.ticks == one * 2 / 3;
    if (v.dotted || v.triplet || length.ticks == one) return v;
  }
  for (v.number = 1; v.number <= kMostLower; v.number *= 2)
    if (const std::int64_t one = kWhole / v.number; length.ticks % one == 0 && length.ticks / one <= kMostUpper) {
      v.upper = static_cast<int>(length.ticks / one);
      return v;
    }
  v.kind = Kind::quarters;
  v.number = 4;
  v.quarters = length.quarters();
  return v;
}

std::string NoteValue::text() const {
  switch (kind) {
  case Kind::fraction:
    return std::to_string(upper) + "/" + std::to_string(number) + (dotted ? "." : triplet ? "t" : "");
  case Kind::bars:
    return std::to_string(number) + (number == 1 ? " bar" : " bars");
  case Kind::quarters:
    return quartersText(quarters) + " beats";
  case Kind::milliseconds:
    break;
  }
  return roundNumber(milliseconds, 10);
}

std::optional<Beats> NoteValue::beats(const TempoMap& map, Beats at) const {
  switch (kind) {
  case Kind::fraction: {
    const std::int64_t whole = kWhole / number * upper;
    return Beats(dotted ? whole * 3 / 2 : triplet ? whole * 2 / 3 : whole);
  }
  case Kind::bars:
    return map.meterAt(at).barLength() * number;
  case Kind::quarters:
    return Beats::ofQuarters(quarters);
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
      all.push_back({.number = n, .dotted = dot, .triplet = tri});
  for (const int bars : {1, 2}) all.push_back({.kind = NoteValue::Kind::bars, .number = bars});
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

// Commands that need no song.
#include "commands.h"

#include "audio/audio_reader.h"
#include "audio/buffer.h"
#include "dsp/measure/loudness.h"
#include "files/json.h"
#include "ornaments/kind.h"
#include "song/settings/setting_text.h"
#include "song/settings/setting_type.h"
#include "time/note_value.h"
#include "time/plain_number.h"

#include <cmath>
#include <cstdio>
#include <iomanip>
#include <iostream>

namespace ivrin::cli {
namespace {

/// To `places` decimals, by division, so that it prints short.
double rounded(double v, int places) {
  const double scale = std::pow(10.0, places);
  return std::round(v * scale) / scale;
}
/// −200 stands for silence; a file has null for it.
Value level(double db) {
  return db <= -199 ? Value() : Value(rounded(db, 2));
}
constexpr std::int64_t kMeasureBlock = 32768;
std::string levelText(double db, const char* unit) {
  if (db <= -199) return "silent";
  return fixedNumber(db, 2) + " " + unit;
}

} // namespace

int times(double bpm, bool json) {
  const TempoMap map({{Beats(0), bpm}}, {{}}, Seconds(0), 48000);
  List list;
  for (const NoteValue& v : allNoteValues(map, Beats(0))) {
    const double ms = v.seconds(map, Beats(0)).value * 1000;
    if (json)
      list.emplace_back(Object{{"value", v.text()}, {"ms", rounded(ms, 4)}});
    else
      std::cout << std::left << std::setw(8) << v.text() << ' ' << std::right << std::setw(10) << fixedNumber(ms, 3)
                << " ms\n";
  }
  if (json) std::cout << prettyJson(Object{{"bpm", bpm}, {"times", Value(std::move(list))}});
  return 0;
}

int measure(const std::vector<std::string>& files, bool json) {
  int status = 0;
  List list;
  for (const std::string& file : files) {
    Problems problems;
    int rate = 0;
    // First for the file's own rate, then to read at it.
    if (const auto probe = AudioReader::open(file, 48000, "", problems)) rate = probe->info().fileRate;
    const auto reader = rate > 0 ? AudioReader::open(file, rate, "", problems) : nullptr;
    if (!reader) {
      for (const auto& p : problems.list) std::cerr << "ivrin-cli: " << p.text() << '\n';
      status = 1;
      continue;
    }
    LoudnessMeter meter(rate);
    StereoBuffer block(kMeasureBlock);
    std::int64_t bad = 0, done = 0;
    while (const std::int64_t n = reader->read(block.left(), block.right(), kMeasureBlock)) {
      if (reader->info().channels == 1) std::copy_n(block.left(), n, block.right());
      for (float* side : {block.left(), block.right()}) bad += silenceBroken(side, n);
      meter.add(block.left(), block.right(), n);
      done += n;
    }
    const std::string failure = reader->failure();
    if (bad > 0 || reader->truncated() || !failure.empty()) {
      std::cerr << "ivrin-cli: " << file << ": "
                << (!failure.empty() ? "cannot be read: " + failure
                    : bad > 0        ? "has samples that are not numbers"
                                     : "is cut short")
                << '\n';
      status = 1;
    }
    const Loudness m = meter.finish();
    if (json)
      list.emplace_back(Object{{"file", file},
                               {"seconds", rounded(static_cast<double>(done) / rate, 6)},
                               {"integrated_lufs", level(m.integratedLufs)},
                               {"short_term_max_lufs", level(m.shortTermMaxLufs)},
                               {"true_peak_dbtp", level(m.truePeakDbtp)},
                               {"sample_peak_dbfs", level(m.samplePeakDbfs)},
                               {"under_200_hz_dbfs", level(m.lowEnergyDb)}});
    else
      std::cout << file << ": integrated " << levelText(m.integratedLufs, "LUFS") << ", short-term max "
                << levelText(m.shortTermMaxLufs, "LUFS") << ", true peak " << levelText(m.truePeakDbtp, "dBTP")
                << ", sample peak " << levelText(m.samplePeakDbfs, "dBFS") << ", under 200 Hz "
                << levelText(m.lowEnergyDb, "dBFS") << '\n';
  }
  if (json) std::cout << prettyJson(Object{{"files", Value(std::move(list))}});
  return status;
}

namespace {

Value describe(const TableSpec& table) {
  List settings;
  for (const SettingSpec& s : table.settings) {
    Object o{{"key", s.key}, {"label", s.label}, {"type", std::string(s.type->name())}};
    if (!s.unit.empty()) o.emplace_back("unit", s.unit);
    if (s.type->bounded()) {
      o.emplace_back("min", s.min);
      o.emplace_back("max", s.max);
    }
    if (!s.choices.empty()) {
      List choices;
      for (const auto& c : s.choices) choices.emplace_back(c);
      o.emplace_back("choices", std::move(choices));
    }
    o.emplace_back("default", s.initial);
    o.emplace_back("nullable", s.nullable);
    o.emplace_back("curve", s.curve);
    if (s.curveOverSpan) o.emplace_back("curve_over_span", true);
    o.emplace_back("per_side", s.perSide);
    if (s.shape != Shape::one) {
      o.emplace_back("shape", s.shape == Shape::pair ? "pair" : "list");
      o.emplace_back("entries_nullable", s.entriesNullable);
    }
    if (s.since > 1) o.emplace_back("since", s.since);
    o.emplace_back("meaning", s.meaning);
    settings.emplace_back(std::move(o));
  }
  Object o{{"id", table.id}, {"name", table.name}, {"key", table.key}, {"meaning", table.meaning}};
  if (table.since > 1) o.emplace_back("since", table.since);
  o.emplace_back("settings", Value(std::move(settings)));
  return o;
}

void print(const TableSpec& table) {
  std::cout << table.id << " – " << table.name << ": " << table.meaning << '\n';
  for (const SettingSpec& s : table.settings) {
    std::cout << "  " << s.key << " (" << s.type->name() << s.type->brief(s);
    if (s.shape != Shape::one) std::cout << (s.shape == Shape::pair ? ", [from, to]" : ", list");
    if (s.curve) std::cout << (s.curveOverSpan ? ", curve over the span" : ", curve");
    if (s.perSide) std::cout << ", [left, right]";
    if (s.nullable) std::cout << ", null = " << s.whenNull;
    std::cout << "; default " << compactJson(s.initial) << "): " << s.meaning << '\n';
  }
}

void printMarkdown(const TableSpec& table) {
  std::cout << "\n## `" << table.id << "`: " << table.name << "\n\n"
            << table.meaning << (table.since > 1 ? " (version " + std::to_string(table.since) + ")" : "") << "\n\n"
            << "| setting | unit | range | default | meaning |\n|---|---|---|---|---|\n";
  for (const SettingSpec& s : table.settings)
    std::cout << "| `" << s.key << "` | " << s.unit << " | " << settingRange(s) << " | `" << compactJson(s.initial)
              << "` | " << s.meaning << (s.since > 1 ? " (version " + std::to_string(s.since) + ")" : "") << " |\n";
}

} // namespace

int kinds(const std::string& only, KindsAs as) {
  const bool json = as == KindsAs::json, markdown = as == KindsAs::markdown;
  if (markdown)
    std::cout
        << "# Settings in the song file\n\nMade by `ivrin-cli kinds --markdown` from the tables in "
           "`core/ornaments/` and `core/finish/`.\n\nA note value is `\"1/8\"`, dotted `\"1/8.\"`, a triplet "
           "`\"1/8t\"`, `\"1 bar\"` or up to `\"16 bars\"`; from version 3 on also `\"n/m\"` (n 1 to 64, m a power of "
           "two to 128) and `\"x beats\"` (quarter notes, 0.005 to 256).\n";
  const Registry registry = allKinds().registry();
  std::vector<std::string> names;
  List list, processors;
  for (const auto& [tables, out] : {std::pair{&registry.kinds, &list}, std::pair{&registry.processors, &processors}})
    for (const TableSpec& t : *tables) {
      names.push_back(t.id);
      if (!only.empty() && t.id != only) continue;
      out->push_back(describe(t));
      if (markdown) printMarkdown(t);
      if (as == KindsAs::text) print(t);
    }
  if (list.empty() && processors.empty()) {
    std::cerr << "ivrin-cli: there is no kind \"" << only << "\"" << didYouMean(only, names) << '\n';
    return 1;
  }
  if (json)
    std::cout << prettyJson(Object{{"kinds", Value(std::move(list))}, {"processors", Value(std::move(processors))}});
  return 0;
}

} // namespace ivrin::cli

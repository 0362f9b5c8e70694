// What first presses do over songs made for it: the page docs/first-press.md.
#include "bench.h"
#include "files/json.h"
#include "play/player.h"
#include "play/simulated_output.h"
#include "render/render_pool.h"
#include "services/hearing.h"
#include "song/problem.h"
#include "test_support/presses.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <iostream>
#include <iterator>
#include <map>
#include <thread>

namespace ivrin::bench {
namespace {

using test::PressFigures;

/// Named lists of numbers: what the page is made of, and what is kept of an earlier state.
using Columns = std::map<std::string, std::vector<double>>;

constexpr std::size_t kManyStems = 13;

const std::vector<std::string> kGroups = {"throws", "spaces", "swells", "treat", "others"};
std::string groupOf(const std::string& kind) {
  if (kind == "delay-throw") return "throws";
  if (kind == "reverb-throw") return "spaces";
  if (kind == "reverse-reverb") return "swells";
  if (kind == "treat") return "treat";
  return "others";
}

Columns columnsOf(const std::vector<PressFigures>& all) {
  Columns c;
  for (const PressFigures& f : all) {
    const std::string g = groupOf(f.place.kind) + ": ";
    const auto put = [&](const char* what, const std::optional<double>& v) {
      if (v) c[g + what].push_back(*v);
    };
    if (f.refused) {
      c["refused"].push_back(1);
      continue;
    }
    put("over source, LU", f.overSourceLu);
    put("under the mix, LU", f.underMixLu);
    put("over the next phrase, dB", f.overNextDb);
    put("rings, s", f.ringSeconds);
    put("lows against the source, dB", f.lowsDb);
    put("lows against the source or the mix there, dB", f.lowsThereDb);
    put("mix changes, LU", f.changeLu);
    put("peak raised, dB", f.peakRaisedDb);
    put("loudness raised, LU", f.loudnessRaisedLu);
    if (f.clickDb > -199) put("step at an edge, dB", f.clickDb);
    if (f.collides) c["collisions told"].push_back(f.told ? 1 : 0);
    c["press, ms"].push_back(f.pressMs);
  }
  return c;
}

/// From the press until the player mixes what it placed, looping from a bar before it: ms for each place. Without the
/// ring's 30 ms and the device's period.
std::vector<double> heardAfter(const test::MadeSong& made) {
  test::TestSong& t = *made.song;
  const auto bare = t.plan();
  const auto cache = std::make_shared<PrintCache>();
  Findings findings;
  for (const Stem& stem : t.song.stems) findings.of(bare, stem.id); // as a window knows them when a key is pressed
  findings.of(bare, kMixRow);
  const TempoMap& map = bare->map();
  Player player({t.song.sampleRate, 256, true});
  SimulatedOutput out(SimulatedOutput::Mode::realTime, 256);
  RenderPool pool(2);
  out.start(player, t.song.sampleRate);
  std::vector<double> ms;
  for (const test::MadePlace& place : made.places) {
    const BeatRange stretch{Beats::ofQuarters(place.start), Beats::ofQuarters(place.start + place.length)};
    player.setPlan(bare);
    pool.setPlan(bare);
    const Frames from = std::max(Frames(0), map.frameAt(stretch.begin - map.meterAt(stretch.begin).barLength()));
    player.setLoop(FrameRange{from, map.frameAt(stretch.end) + Frames(2 * t.song.sampleRate)});
    player.play(from);
    while (!player.newestPlanHeard()) std::this_thread::yield();
    const double begun = now();
    const PlacedSeveral placed =
        placeSeveral(allKinds(), place.kind, t.song, {{place.row, stretch}}, hearing(bare, t.audio, cache, findings));
    if (placed.placed.empty()) continue;
    const auto plan = RenderPlan::make(placed.song, t.audio, allKinds(), *cache, bare.get());
    player.setPlan(plan);
    pool.setPlayhead(player.position());
    pool.setPlan(plan);
    while (!player.newestPlanHeard()) std::this_thread::yield();
    ms.push_back((now() - begun) * 1e3);
    if (std::getenv("IVRIN_TELL_PRESSES"))
      std::fprintf(stderr, "heard %-15s %-8s %6.2f+%.2f %.0f ms\n", place.kind.c_str(), place.row.c_str(), place.start,
                   place.length, ms.back());
    player.stop();
  }
  return ms;
}

std::string figure(double v) {
  char text[32];
  std::snprintf(text, sizeof text, "%.1f", v);
  return std::string(text) == "-0.0" ? "0.0" : text;
}
std::string spreadOf(const Columns& c, const std::string& name) {
  const auto it = c.find(name);
  if (it == c.end() || it->second.empty()) return "–";
  std::vector<double> v = it->second;
  std::sort(v.begin(), v.end());
  const auto at = [&](double share) { return v[static_cast<std::size_t>(share * static_cast<double>(v.size() - 1))]; };
  return figure(at(0.05)) + " … **" + figure(at(0.5)) + "** … " + figure(at(0.95));
}
/// Share of a column, or of the columns of several groups, for which something holds.
template <class Test>
std::string shareOf(const Columns& c, const std::vector<std::string>& groups, const std::string& what, Test holds) {
  std::size_t n = 0, yes = 0;
  for (const std::string& g : groups) {
    const auto it = c.find(g.empty() ? what : g + ": " + what);
    if (it == c.end()) continue;
    for (const double v : it->second) {
      n += 1;
      yes += holds(v) ? 1 : 0;
    }
  }
  if (n == 0) return "–";
  return figure(100.0 * static_cast<double>(yes) / static_cast<double>(n)) + " % of " + std::to_string(n);
}

std::vector<PressFigures> allFigures() {
  const int songs = test::madeSongCount();
  std::vector<std::vector<PressFigures>> each(static_cast<std::size_t>(songs));
  for (int i = 0; i < songs; ++i) {
    each[static_cast<std::size_t>(i)] = test::pressAll(test::madeSong(i));
    std::cerr << i + 1 << " of " << songs << " songs\n";
  }
  std::vector<PressFigures> all;
  for (auto& e : each) all.insert(all.end(), e.begin(), e.end());
  return all;
}

Columns readColumns(const std::string& file) {
  std::ifstream in(file);
  const std::string text{std::istreambuf_iterator<char>(in), {}};
  Problems problems;
  Columns c;
  const auto root = parseJson(text, problems);
  if (root && root->object())
    for (const auto& [key, value] : *root->object())
      for (const Value& v : *value.list()) c[key].push_back(*v.number());
  return c;
}

} // namespace

void firstPresses(const std::string& beforeFile, bool asJson) {
  const std::vector<PressFigures> all = allFigures();
  const Columns now = columnsOf(all);
  if (asJson) {
    Object root;
    for (const auto& [name, values] : now) {
      List list;
      for (const double v : values) list.emplace_back(std::round(v * 100) / 100);
      root.emplace_back(name, Value(std::move(list)));
    }
    std::cout << compactJson(Value(std::move(root))) << '\n';
    return;
  }
  if (std::getenv("IVRIN_TELL_PRESSES"))
    for (const PressFigures& f : all) {
      const auto say = [](const std::optional<double>& v) { return v ? figure(*v) : std::string("-"); };
      std::fprintf(stderr,
                   "%-20s %-15s %-8s %6.2f+%.2f src %s mix %s next %s ring %s lows %s/%s change %s peak %.1f loud %.1f "
                   "click %.1f %s %.0f ms\n",
                   f.song.c_str(), f.place.kind.c_str(), f.place.row.c_str(), f.place.start, f.place.length,
                   say(f.overSourceLu).c_str(), say(f.underMixLu).c_str(), say(f.overNextDb).c_str(),
                   say(f.ringSeconds).c_str(), say(f.lowsDb).c_str(), say(f.lowsThereDb).c_str(),
                   say(f.changeLu).c_str(), f.peakRaisedDb, f.loudnessRaisedLu, f.clickDb,
                   f.collides ? f.told ? "told" : "MISSED" : "", f.pressMs);
    }
  const Columns before = readColumns(beforeFile);
  std::cout << "# First presses, measured\n\nMade by `ivrin-bench first-press --before bench/first_press_before.json`: "
            << all.size() << " presses over " << test::madeSongCount()
            << " songs made for it (`tests/support/made_songs.cpp`: 49 to 181 BPM, 3/4, 5/4, 7/16, tempo changes, "
               "speech, rooms, "
               "hiss, neighbours in the microphone, rows that are mixes). *Before*: the same presses when a press "
               "heard its own row "
               "only, through one fixed threshold.\n\nWhat each figure means stands in `tests/support/presses.h`; it "
               "is measured from the "
               "rendered mix, by means that know nothing of how a press was fitted.\n\n## Targets\n\n| what | before | "
               "now | target |\n|---|---|---|---|\n";
  const std::vector<std::string> adding = {"throws", "spaces", "swells", "treat"}, tails = {"throws", "spaces"},
                                 every = kGroups;
  const auto target = [&](const char* what, const std::vector<std::string>& groups, const char* column, auto holds,
                          const char* goal) {
    std::cout << "| " << what << " | " << shareOf(before, groups, column, holds) << " | "
              << shareOf(now, groups, column, holds) << " | " << goal << " |\n";
  };
  target(
      "throws over −24 dB at the next entry", tails, "over the next phrase, dB", [](double v) { return v > -24; },
      "≤ 3 %");
  target(
      "inaudible: the mix changes by less than 0.1 LU", adding, "mix changes, LU",
      [](double v) { return std::abs(v) < 0.1; }, "≤ 10 %");
  target(
      "more than 18 LU under the mix", adding, "under the mix, LU", [](double v) { return v > 18; }, "–");
  target(
      "lows 10 dB under the source's, or the mix's there", {"throws", "spaces", "swells"},
      "lows against the source or the mix there, dB", [](double v) { return v <= -10; }, "≥ 95 %");
  target(
      "peak of the mix raised by more than 1 dB", every, "peak raised, dB", [](double v) { return v > 1.05; }, "≤ 2 %");
  target(
      "loudness of the mix raised by more than 2 LU", every, "loudness raised, LU", [](double v) { return v > 2.05; },
      "–");
  target(
      "over its source by more than 2 LU", {"throws", "spaces", "swells"}, "over source, LU",
      [](double v) { return v > 2.05; }, "0 %");
  target(
      "clicks: a step at an edge 6 dB over the mix's own", every, "step at an edge, dB", [](double v) { return v > 6; },
      "none");
  target(
      "collisions that `show` does not tell", {""}, "collisions told", [](double v) { return v == 0; }, "none");
  std::cout << "\n## Distributions\n\n5 % … **median** … 95 %\n";
  for (const std::string& g : kGroups) {
    std::cout << "\n### " << g << "\n\n| figure | before | now |\n|---|---|---|\n";
    for (const auto& [name, values] : now)
      if (name.starts_with(g + ": "))
        std::cout << "| " << name.substr(g.size() + 2) << " (" << values.size() << ") | " << spreadOf(before, name)
                  << " | " << spreadOf(now, name) << " |\n";
  }
  std::cout << "\nFrom the press to the ornament, on this machine: " << spreadOf(before, "press, ms") << " ms before, "
            << spreadOf(now, "press, ms") << " ms now.\n";
  for (int i = 0; i < test::madeSongCount(); ++i) {
    const test::MadeSong made = test::madeSong(i);
    if (made.song->song.stems.size() < kManyStems) continue;
    Columns heard;
    heard["ms"] = heardAfter(made);
    std::cout << "\nOn the song of " << made.song->song.stems.size()
              << " stems, from the press until the player mixes what was placed, playing from a bar before it: "
              << spreadOf(heard, "ms") << " ms, the longest "
              << figure(*std::max_element(heard["ms"].begin(), heard["ms"].end()))
              << " ms (the ring of 30 ms and the device's period come to that).\n";
  }
}

} // namespace ivrin::bench

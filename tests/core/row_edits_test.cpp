#include "song/row_edits.h"

#include "ornaments/kind.h"
#include "song/edits.h"

#include <catch2/catch.hpp>

using namespace ivrin;

namespace {

Stem stem(const char* id, std::optional<std::string> bus = {}, std::optional<RowRole> role = {}) {
  Stem s;
  s.id = s.name = id;
  s.bus = std::move(bus);
  s.role = role;
  return s;
}

/// a, (b, c on "band"), d, (e on "kit").
Song song() {
  Song s;
  s.buses = {{"band", "Band", {}}, {"kit", "Kit", {}}};
  s.stems = {stem("a"), stem("b", "band"), stem("c", "band"), stem("d"), stem("e", "kit")};
  return s;
}

using Rows = std::vector<std::string>;
const Rows kRows = {"a", "b", "c", "band", "d", "e", "kit", "mix"};

} // namespace

TEST_CASE("rows are put before others, with what is on their bus", "[rows]") {
  const Song s = song();
  REQUIRE(s.rowsInScoreOrder() == kRows);
  CHECK(withRowBefore(s, "d", "a").rowsInScoreOrder() == Rows{"d", "a", "b", "c", "band", "e", "kit", "mix"});
  CHECK(withRowBefore(s, "a", "mix").rowsInScoreOrder() == Rows{"b", "c", "band", "d", "e", "kit", "a", "mix"});
  CHECK(withRowBefore(s, "kit", "a").rowsInScoreOrder() == Rows{"e", "kit", "a", "b", "c", "band", "d", "mix"});
  // Among those of its bus; to another place its bus goes along.
  CHECK(withRowBefore(s, "c", "b").rowsInScoreOrder() == Rows{"a", "c", "b", "band", "d", "e", "kit", "mix"});
  CHECK(withRowBefore(s, "b", "band").rowsInScoreOrder() == Rows{"a", "c", "b", "band", "d", "e", "kit", "mix"});
  CHECK(withRowBefore(s, "c", "mix").rowsInScoreOrder() == Rows{"a", "d", "e", "kit", "b", "c", "band", "mix"});
  // Before a stem of a bus: before all of it.
  CHECK(withRowBefore(s, "d", "c").rowsInScoreOrder() == Rows{"a", "d", "b", "c", "band", "e", "kit", "mix"});
  for (const std::string& row : kRows)
    for (const std::string& before : kRows) {
      INFO(row << " before " << before);
      const Song to = withRowBefore(s, row, before);
      CHECK(to.rowsInScoreOrder().size() == kRows.size());
      for (const Stem& own : s.stems) CHECK(to.stem(own.id)->bus == own.bus);
    }
}

TEST_CASE("a stem goes onto a bus behind the others, and off it", "[rows]") {
  const Song on = withStemOnBus(song(), "a", "band");
  CHECK(on.rowsInScoreOrder() == Rows{"b", "c", "a", "band", "d", "e", "kit", "mix"});
  CHECK(withStemOnBus(on, "a", std::nullopt).stem("a")->bus == std::nullopt);
  CHECK(withStemOnBus(song(), "a", "nowhere") == song());
  const Song fresh = withStemOnBus(withBus(song(), {"x", "X", {}}), "d", "x");
  CHECK(fresh.rowsInScoreOrder() == Rows{"a", "b", "c", "band", "d", "x", "e", "kit", "mix"});
}

TEST_CASE("rows stand by their roles, otherwise as they stood", "[rows]") {
  Song s;
  s.stems = {
      stem("kit", {}, RowRole::drums),    stem("x"), stem("bass", {}, RowRole::bass),  stem("vox", {}, RowRole::voice),
      stem("keys", {}, RowRole::harmony), stem("y"), stem("vox 2", {}, RowRole::voice)};
  CHECK(withRowsByRole(s).rowsInScoreOrder() == Rows{"vox", "vox 2", "keys", "x", "y", "bass", "kit", "mix"});
}

TEST_CASE("a row goes with its ornaments, and nothing is left that names it", "[rows]") {
  Song s = song();
  const auto ornament = [](const char* id, const char* on) {
    Ornament o;
    o.id = id;
    o.kind = "gap";
    o.on = on;
    o.length = Beats::ofQuarters(1);
    return o;
  };
  s = withOrnament(std::move(s), ornament("1", "b"));
  Ornament from = ornament("2", "a");
  from.source = {{"b", Beats(0), Beats::ofQuarters(1), 0}};
  from.finish = {{"duck", {{"key", Value(std::string("b"))}}}};
  s = withOrnament(std::move(s), from);
  s = withOrnament(std::move(s), ornament("3", "band"));
  CHECK(ornamentsOn(s, "b") == 1);
  const Song without = withoutRow(s, "b", allKinds().registry());
  CHECK(without.rowsInScoreOrder() == Rows{"a", "c", "band", "d", "e", "kit", "mix"});
  REQUIRE(without.ornaments.size() == 2);
  CHECK_FALSE(without.ornament("2")->source[0].row);
  CHECK(without.ornament("2")->finish[0].settings.at("key").isNull());
  Problems problems;
  readSong(writeSong(without, allKinds().registry()), allKinds().registry(), problems);
  CHECK_FALSE(problems.hasErrors());
  // A bus goes alone: its stems sound as before, at the mix.
  const Song unbused = withoutRow(s, "band", allKinds().registry());
  CHECK(unbused.rowsInScoreOrder() == Rows{"a", "b", "c", "d", "e", "kit", "mix"});
  CHECK(unbused.ornaments.size() == 2);
}

TEST_CASE("roles are written and read, and are version 2", "[rows][song-file]") {
  const Registry registry = allKinds().registry();
  Song s = withRole(withRole(song(), "a", RowRole::voice), "kit", RowRole::drums);
  CHECK(lowestVersion(song(), registry) == 1);
  CHECK(lowestVersion(s, registry) == 2);
  Problems problems;
  const auto back = readSong(writeSong(s, registry), registry, problems);
  REQUIRE(back);
  CHECK(back->stem("a")->role == RowRole::voice);
  CHECK(back->bus("kit")->role == RowRole::drums);
  CHECK_FALSE(back->stem("b")->role);
  const auto refused = [&](std::string text, const std::string& from, const std::string& to, const std::string& word) {
    text.replace(text.find(from), from.size(), to);
    Problems p;
    readSong(text, registry, p);
    REQUIRE(p.hasErrors());
    CHECK(p.list.front().text().find(word) != std::string::npos);
  };
  refused(writeSong(s, registry), "\"role\": \"drums\"", "\"role\": \"drum\"", "drums");
  refused(writeSong(s, registry), "\"version\": 2", "\"version\": 1", "role");
}

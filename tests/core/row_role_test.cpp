#include "song/row_role.h"

#include <catch2/catch.hpp>

using namespace ivrin;

TEST_CASE("names of files lose what they have in common", "[role]") {
  using Names = std::vector<std::string>;
  CHECK(rowNames({"MySong_Kick_120bpm", "MySong_Lead Vox_120bpm", "MySong_Bass_120bpm"}) ==
        Names{"Kick", "Lead Vox", "Bass"});
  CHECK(rowNames({"01 - kick", "02 - snare", "03 - bass"}) == Names{"Kick", "Snare", "Bass"});
  CHECK(rowNames({"kick", "keys"}) == Names{"Kick", "Keys"});       // a letter is no word
  CHECK(rowNames({"drums", "drums2"}) == Names{"Drums", "Drums2"}); // nothing would be left
  CHECK(rowNames({"song vox", "song vox double"}) == Names{"Vox", "Vox double"});
  CHECK(rowNames({"808"}) == Names{"808"});
  CHECK(rowNames({"a_b"}) == Names{"A b"});
  CHECK(rowNames({"x", "x"}) == Names{"X", "X"});
  CHECK(rowNames({"___", "-"}) == Names{"___", "-"});
  CHECK(rowNames({"Ночь_бас", "Ночь_голос"}).front() == "бас");
  CHECK(rowNames({}).empty());
}

TEST_CASE("a name says what a row is, or nothing", "[role]") {
  const std::pair<const char*, std::optional<RowRole>> told[] = {{"Lead Vox 2", RowRole::voice},
                                                                 {"BackingVocals", RowRole::voice},
                                                                 {"KICK in", RowRole::drums},
                                                                 {"Sn top snare", RowRole::drums},
                                                                 {"hh", RowRole::drums},
                                                                 {"808", RowRole::bass},
                                                                 {"Sub", RowRole::bass},
                                                                 {"E-Bass DI", RowRole::bass},
                                                                 {"Gtr L", RowRole::harmony},
                                                                 {"Rhodes", RowRole::harmony},
                                                                 {"Synth Lead", RowRole::harmony},
                                                                 {"Strings", RowRole::harmony},
                                                                 {"Atmo", RowRole::texture},
                                                                 {"Vinyl noise", RowRole::texture},
                                                                 {"FX Riser", RowRole::effects},
                                                                 {"Impact", RowRole::effects},
                                                                 {"Drum Overheads", RowRole::drums},
                                                                 {"Kick2", RowRole::drums},
                                                                 {"LeadVox", RowRole::voice},
                                                                 {"Bass Drum", RowRole::drums},
                                                                 {"Audio 7", std::nullopt},
                                                                 {"", std::nullopt},
                                                                 {"Chat", std::nullopt},
                                                                 {"Embassy", std::nullopt}};
  for (const auto& [name, role] : told) {
    INFO(name);
    CHECK(roleOfName(name) == role);
  }
  for (const RowRole r : kRowRoles) CHECK(roleOfWord(roleWord(r)) == r);
  CHECK_FALSE(roleOfWord("drum"));
}

// Includes run downward only; core knows neither Qt nor a device. The targets hold it at build time; this holds it for
// files that no target compiles, and for headers reached through a system path.
#include "ornaments/kind.h"
#include "test_support/places.h"
#include <catch2/catch.hpp>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <set>

namespace fs = std::filesystem;

namespace {

/// f(file, line) for every line of every source file below the folders; returns how many files there were.
template <class F> int eachLine(std::initializer_list<const char*> folders, F f) {
  int files = 0;
  for (const char* folder : folders)
    for (const auto& entry : fs::recursive_directory_iterator(ivrin::test::sourceFolder() / folder)) {
      if (entry.path().extension() != ".h" && entry.path().extension() != ".cpp") continue;
      ++files;
      std::ifstream in(entry.path());
      for (std::string line; std::getline(in, line);) f(entry.path(), line);
    }
  return files;
}

} // namespace

TEST_CASE("includes follow the direction of the architecture", "[architecture]") {
  const std::map<std::string, std::set<std::string>> allowed = {
      {"words", {}},
      {"time", {}},
      {"song", {"time", "words"}},
      {"files", {"song", "time", "words"}},
      {"import", {"files", "song", "time", "words"}},
      {"audio", {"files", "time", "song", "words"}},
      {"dsp", {"time", "audio"}},
      {"finish", {"files", "song", "dsp", "audio", "time", "words"}},
      {"patterns", {"files", "song", "time", "words"}},
      {"ornaments", {"patterns", "finish", "song", "dsp", "audio", "time", "words"}},
      {"render", {"import", "ornaments", "finish", "files", "song", "audio", "dsp", "time", "words"}},
      {"play", {"render", "ornaments", "finish", "song", "audio", "dsp", "time", "words"}},
      {"analysis", {"ornaments", "finish", "dsp", "audio", "song", "time"}},
      {"manners", {"analysis", "patterns", "ornaments", "finish", "dsp", "audio", "files", "song", "time", "words"}}};
  const std::regex include(R"re(^\s*#include\s+["<]([^">]+)[">])re");
  const fs::path core = ivrin::test::sourceFolder() / "core";
  const int files = eachLine({"core"}, [&](const fs::path& file, const std::string& line) {
    const std::string folder = (*fs::relative(file, core).begin()).string();
    REQUIRE(allowed.contains(folder));
    std::smatch m;
    if (!std::regex_search(line, m, include)) return;
    const std::string name = m[1];
    INFO(file.filename().string() << " includes " << name);
    CHECK_FALSE(std::regex_match(name, std::regex("Q[A-Z].*|Qt.*|RtAudio.*|app/.*|cli/.*|devices/.*")));
    const std::string head = name.substr(0, name.find('/'));
    if (name.find('/') != std::string::npos && allowed.contains(head) && head != folder)
      CHECK(allowed.at(folder).contains(head));
  });
  CHECK(files > 60);
}

TEST_CASE("no two types have one name: the linker would take either for both", "[architecture]") {
  const std::regex opens(R"re(^(?:inline )?namespace ?([\w:]*) ?\{)re"), closes(R"re(^\} // namespace)re");
  const std::regex defines(
      R"re(^(?:template <[^>]*> )?(?:struct|class|enum|enum class) (\w+)(?: final)?(?: :[^:].*)?(?: \{.*)?$)re");
  std::map<std::string, fs::path> known;
  fs::path now;
  std::string space;
  int types = 0;
  eachLine({"core", "app", "devices", "cli"}, [&](const fs::path& file, const std::string& line) {
    if (file != now) space.clear();
    now = file;
    std::smatch m;
    if (std::regex_search(line, m, opens)) {
      space = m[1].str().empty() ? file.string() : m[1].str(); // without a name: this file's own
    } else if (std::regex_search(line, closes)) {
      space = space == file.string() ? "ivrin" : "";
    } else if (!line.empty() && line.back() != ';' && std::regex_match(line, m, defines)) {
      ++types;
      const auto [first, isNew] = known.emplace(space + "::" + m[1].str(), file);
      INFO(m[1].str() << " in " << file << " and " << first->second);
      CHECK(isNew);
    }
  });
  CHECK(types > 250);
}

TEST_CASE("the document, the services and playback know no window", "[architecture]") {
  const int files = eachLine({"app/document", "app/services", "app/playback"}, [&](const fs::path& file,
                                                                                   const std::string& line) {
    INFO(file.filename().string() << ": " << line);
    CHECK_FALSE(std::regex_match(line, std::regex(R"re(\s*#include\s+["<](Q[A-Z].*|Qt.*|app/.*|devices/.*)[">].*)re")));
  });
  CHECK(files >= 12);
}

TEST_CASE("numbers in files and fields have a point in every locale: nothing that asks the locale reads or writes them",
          "[architecture]") {
  const std::regex asks(R"re(\b(strtod|strtof|strtold|atof|stod|stof|sscanf|scanf|setlocale)\s*\()re");
  const std::regex prints(R"re(printf\s*\(.*%[-+ 0#]*[0-9*]*(\.[0-9*]+)?[feg])re");
  const int files = eachLine({"core", "app", "cli", "devices"}, [&](const fs::path& file, const std::string& line) {
    INFO(file.filename().string() << ": " << line);
    CHECK_FALSE(std::regex_search(line, asks));
    CHECK_FALSE(std::regex_search(line, prints));
  });
  CHECK(files > 150);
}

TEST_CASE("a kind is named in its own files and in the three lists alone", "[architecture]") {
  std::map<std::string, std::string> named;
  std::set<std::string> stems;
  for (const ivrin::Kind* k : ivrin::allKinds().all()) {
    const std::string id = k->table().id;
    named.emplace(id, "\"" + id + "\"");
    std::string stem = id;
    std::replace(stem.begin(), stem.end(), '-', '_');
    stems.insert(stem);
  }
  // The word for a rest between phrases, and a sound that a file is called after: no kinds.
  const std::set<std::pair<std::string, std::string>> words = {{"openings.cpp", "gap"}, {"row_role.cpp", "riser"}};
  const int files = eachLine({"core", "app", "cli"}, [&](const fs::path& file, const std::string& line) {
    const std::string name = file.filename().string();
    if (std::any_of(stems.begin(), stems.end(), [&](const std::string& s) { return name.starts_with(s); })) return;
    if (line.find('"') == std::string::npos) return;
    const std::string code = line.substr(0, line.find("//"));
    for (const auto& [id, quoted] : named)
      if (code.find(quoted) != std::string::npos && !words.contains({name, id}))
        FAIL_CHECK(file << " names " << id << ": " << line);
  });
  CHECK(files > 150);
}

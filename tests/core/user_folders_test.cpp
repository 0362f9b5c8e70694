// Folders of the user: where they lie, and what may be in them.
#include "files/named_files.h"
#include "files/user_folder.h"
#include "manners/recipe.h"
#include "patterns/pattern_book.h"
#include "test_support/signals.h"
#include "words/terminal.h"

#include <catch2/catch.hpp>

#include <cstdlib>
#include <fstream>
#include <sstream>
#include <sys/stat.h>

using namespace ivrin;
using namespace ivrin::test;
namespace fs = std::filesystem;

namespace {

/// A variable of the environment, for a while.
class Variable {
 public:
  Variable(const char* name, const std::optional<std::string>& value)
      : name_(name) {
    if (const char* was = std::getenv(name)) was_ = was;
    set(value);
  }
  ~Variable() { set(was_); }
  Variable(const Variable&) = delete;
  Variable& operator=(const Variable&) = delete;
  void set(const std::optional<std::string>& value) { value ? ::setenv(name_, value->c_str(), 1) : ::unsetenv(name_); }

 private:
  const char* name_;
  std::optional<std::string> was_;
};

std::string textOf(const Recipe& r, const std::string& name) {
  Recipe named = r;
  named.name = name;
  return writeRecipe(named);
}

} // namespace

TEST_CASE("folders of the user: absolute ones of the environment, else the home, else one made for him alone",
          "[files]") {
  const TempFolder dir;
  Variable data("XDG_DATA_HOME", dir.path().string()), home("HOME", (dir / "home").string()),
      temporary("TMPDIR", dir.path().string());
  CHECK(userFolder(UserFolder::data) == dir / "ivrin");
  data.set("relative/data"); // the specification says to ignore it
  CHECK(userFolder(UserFolder::data) == dir / "home/.local/share/ivrin");
  data.set("");
  CHECK(userFolder(UserFolder::data) == dir / "home/.local/share/ivrin");
  home.set("also/relative");
  CHECK(userFolder(UserFolder::data).is_absolute());
  home.set(std::nullopt);
  CHECK(userFolder(UserFolder::data).is_absolute());
}

TEST_CASE("hostile folders of recipes: bounded in time, told, and what can be read is read", "[files][recipes]") {
  const TempFolder dir;
  const Recipe& one = shippedRecipes().front();
  const auto names = [](const std::vector<Recipe>& all) {
    std::string s;
    for (const Recipe& r : all) s += r.name + " ";
    return s;
  };
  std::ofstream(dir / "b good.json") << textOf(one, "good");
  std::ofstream(dir / "c.json") << "{";
  fs::create_directories(dir / "d.json");
  fs::create_symlink("/dev/zero", dir / "e.json");
  fs::create_symlink(dir / "nowhere", dir / "f.json");
  fs::create_symlink(dir / "g.json", dir / "g.json");
  REQUIRE(::mkfifo((dir / "h.json").c_str(), 0600) == 0);
  std::ofstream(dir / "i.json") << std::string(2 << 20, ' ');
  std::ofstream(dir / "readme.txt") << "no recipe";
  Problems problems;
  CHECK(names(recipesIn(dir.path(), allKinds().registry(), problems)) == "good ");
  CHECK(problems.list.size() == 7); // each by its name
  for (const Problem& p : problems.list) CHECK(p.isError);
  // Three hundred of a megabyte each: four are read, and it is said that there are more.
  const TempFolder many;
  for (int i = 0; i < 300; ++i) {
    std::ofstream out(many / (std::to_string(1000 + i) + ".json"));
    out << textOf(one, "r" + std::to_string(i)) << std::string(900000, ' ');
  }
  Problems more;
  const auto read = recipesIn(many.path(), allKinds().registry(), more);
  CHECK(read.size() == 4);
  REQUIRE(more.list.size() == 1);
  CHECK(more.list[0].message.find("has more than 4 MiB; 296 of its files are not read") != std::string::npos);
  // Many small ones.
  const TempFolder small;
  for (int i = 0; i < 600; ++i) std::ofstream(small / (std::to_string(i) + ".json")) << "{}";
  Problems crowd;
  CHECK(patternsIn(small.path(), crowd).empty());
  CHECK(crowd.list.front().message.find("has more than 500 files") != std::string::npos);
  // A folder that is none, or not there.
  Problems none;
  CHECK(recipesIn(small / "0.json", allKinds().registry(), none).empty());
  CHECK(none.list.size() == 1);
  Problems absent;
  CHECK(recipesIn(small / "not there", allKinds().registry(), absent).empty());
  CHECK(absent.list.empty());
}

TEST_CASE("control characters are shown, not sent, however a text is cut", "[words]") {
  const std::string text = "a\x1b[31m\tb\n\x7f\x07 \xc2\x9bz \xc2\xa0 ♯ \xc3\x9b";
  const std::string want = "a\\u001b[31m\tb\n\\u007f\\u0007 \\u009bz \xc2\xa0 ♯ \xc3\x9b";
  CHECK(shownPlainly(text) == want);
  for (std::size_t cut = 0; cut <= text.size(); ++cut) {
    std::ostringstream to;
    {
      PlainStream plain(to.rdbuf());
      std::ostream out(&plain);
      out << text.substr(0, cut) << text.substr(cut);
    }
    INFO(cut);
    CHECK(to.str() == want);
  }
}

#include "app/words/core_words.h"

#include "app/words/as_text.h"
#include "finish/finisher.h"
#include "finish/starting_points.h"
#include "manners/manners.h"
#include "manners/recipe.h"
#include "ornaments/kind.h"
#include "patterns/pattern_book.h"
#include "patterns/pattern_tools.h"

#include <cctype>
#include <set>

namespace ivrin::app {
namespace {

class Words {
 public:
  void add(const std::string& text) {
    if (std::any_of(text.begin(), text.end(), [](unsigned char c) { return std::isalpha(c); })) all_.insert(text);
  }
  /// Also as it stands inside a sentence.
  void addName(const std::string& text) {
    add(text);
    add(insideSentence(text));
  }
  void add(const TableSpec& table) {
    addName(table.name);
    add(table.meaning);
    for (const SettingSpec& s : table.settings) {
      for (const std::string* text : {&s.label, &s.unit, &s.meaning, &s.group, &s.whenNull}) add(*text);
      for (std::size_t i = 0; i < s.choices.size(); ++i)
        if (i >= s.shown.size()) add(s.choices[i].substr(s.choices[i].find(':') + 1)); // what ships, by its name
      for (const std::string& c : s.shown) add(c);
    }
  }
  std::vector<std::string> sorted() const { return {all_.begin(), all_.end()}; }

 private:
  std::set<std::string> all_;
};

} // namespace

std::vector<std::string> coreWords() {
  Words all;
  for (const Kind* k : allKinds().all()) all.add(k->table());
  for (const Finisher* f : allFinishers()) all.add(f->table());
  for (const PatternTool& t : patternTools()) all.add(t.name), all.add(t.meaning);
  for (const NamedPattern& p : shippedPatterns()) all.add(p.name);
  for (const StartingPoint& p : shippedStartingPoints(allKinds().registry())) all.add(p.name);
  for (const Recipe& r : shippedRecipes()) {
    all.add(r.name);
    all.add(r.says);
  }
  // What may be where a file was looked for, and one of a unit: chosen before it is said.
  for (const char* word : {"a folder", "a pipe", "a socket", "a device", "a link that leads nowhere", "beat", "step"})
    all.add(std::string(word));
  return all.sorted();
}

} // namespace ivrin::app

// Coverage-guided fuzzing of reading a journal (libFuzzer): whatever the bytes, it is a journal or an error, and a
// journal that is written is read again as it was.
#include "files/journal.h"
#include "fuzz.h"

#include <fstream>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace ivrin;
  using namespace ivrin::fuzz;
  const InMemory file(textOf(data, size));
  Problems problems;
  const auto journal = readJournal(file.path(), problems);
  must(journal.has_value() != problems.hasErrors());
  if (!journal) return 0;
  static const std::filesystem::path folder = [] {
    std::string name = (std::filesystem::temp_directory_path() / "ivrin-fuzz-XXXXXX").string();
    must(::mkdtemp(name.data()) != nullptr);
    return name;
  }();
  std::string why;
  Problems again;
  must(writeJournal(folder / "j.json", *journal, why));
  const auto back = readJournal(folder / "j.json", again);
  must(back && back->file == journal->file && back->base == journal->base && back->song == journal->song &&
       back->edits == journal->edits);
  return 0;
}

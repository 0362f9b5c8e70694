// Which file an open song stands for.
#pragma once

#include "files/held_file.h"

#include <filesystem>
#include <memory>
#include <string>

namespace ivrin {

struct SongPlace {
  std::filesystem::path file;     // absolute; empty for a song never saved
  std::string savedText;          // what the file holds
  std::unique_ptr<HeldFile> held; // nothing where it cannot be locked, or the document holds it already
  bool holds = true;              // the file holds the song that is opened, not an older state or none
  bool readOnly = false;          // another window has it: it is not written
};

} // namespace ivrin

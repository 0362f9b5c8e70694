// What was found of stems, kept beside them in the cache folder: a song that is opened again is not listened to again.
// A file is written under another name and renamed; one that is damaged, or of another version, counts as none.
#pragma once

#include "services/findings.h"

#include <filesystem>
#include <string>

namespace ivrin {

class FoundFiles {
 public:
  /// In `cacheFolder`/found; an empty path: nothing is kept.
  explicit FoundFiles(const std::filesystem::path& cacheFolder);
  /// `sound`: the row's provenance.
  std::shared_ptr<const RowFindings> read(const std::string& sound) const;
  /// What cannot be written is not: it is found again another time.
  void write(const std::string& sound, const RowFindings& found) const;

 private:
  std::filesystem::path fileOf(const std::string& sound) const;
  void trim() const;
  std::filesystem::path folder_;
};

} // namespace ivrin

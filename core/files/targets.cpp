#include "files/targets.h"

#include "files/safe_file.h"
#include "song/each_settings.h"
#include "song/settings/setting_spec.h"
#include "words/words.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

/// The first bytes of a file; fewer where there are fewer.
std::string beginOf(const fs::path& file, std::size_t most) {
  std::string text(most, '\0');
  const int fd = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (fd < 0) return {};
  const ssize_t n = ::read(fd, text.data(), text.size());
  ::close(fd);
  text.resize(n > 0 ? static_cast<std::size_t>(n) : 0);
  return text;
}

bool isOfKind(const fs::path& file, TargetKind kind) {
  if (kind == TargetKind::song) // its first fields say so; people may have written it by hand
    return beginOf(file, 4096).find("\"ivrin-song\"") != std::string::npos;
  const std::string begin = beginOf(file, 4);
  for (const char* magic : {"RIFF", "RF64", "riff", "fLaC"})
    if (begin == magic) return true;
  return false;
}

} // namespace

Sources::Sources(const Song& song) {
  const auto know = [&](const std::string& file) {
    struct stat st {};
    if (::stat(file.c_str(), &st) == 0) known_.emplace(st.st_dev, st.st_ino);
  };
  for (const Stem& s : song.stems)
    if (s.file) know(*s.file);
  const auto fromSettings = [&](const Settings& settings) {
    for (const auto& [key, value] : settings)
      if (namesFile(key) && value.text() && !value.text()->starts_with("shipped:")) know(*value.text());
  };
  for (const auto& o : song.ornaments)
    eachSettings(*o, [&](const std::string&, const Settings& settings, const std::string&) { fromSettings(settings); });
}

bool Sources::has(const fs::path& file) const {
  struct stat st {};
  return ::stat(file.c_str(), &st) == 0 && known_.contains({st.st_dev, st.st_ino});
}

std::string whyNotWritten(const fs::path& target, TargetKind kind, const Sources& sources) {
  struct stat there {};
  if (::stat(target.c_str(), &there) != 0) return {}; // nothing is there; what stands in the way is said on writing
  if (!S_ISREG(there.st_mode))
    return worded("%1 is %2, not a file, and is not overwritten", target.string(), worded(whatItIs(target)));
  if (sources.has(target)) return worded("%1 is a source of this song and is not overwritten", target.string());
  if (there.st_size > 0 && !isOfKind(target, kind)) // an empty file is nobody's
    return worded(kind == TargetKind::song ? "%1 is not a song and is not overwritten"
                                           : "%1 is not a sound file and is not overwritten",
                  target.string());
  return {};
}

} // namespace ivrin

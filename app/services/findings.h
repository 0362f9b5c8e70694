// Phrases, attacks and notes of rows, found once for every sound there is and remembered by its provenance: whoever
// asks for a row's findings gets those of the row as it sounds in the plan he holds, never older ones. Those of stems,
// which no edit changes, are kept in files too.
#pragma once

#include "analysis/chroma.h"
#include "analysis/phrases.h"
#include "render/render_plan.h"

#include <filesystem>
#include <list>
#include <memory>
#include <mutex>
#include <stop_token>
#include <string>

namespace ivrin {

struct RowFindings {
  std::vector<FrameRange> phrases;
  double decaySeconds = 0; // see RowPhrases
  RowOctaves octaves;
  bool whole = false;         // what follows was looked for
  std::vector<Frames> onsets; // attacks, ascending, in song frames
  RowChroma notes;
};

class FoundFiles;

/// Safe to use from any thread.
class Findings {
 public:
  struct Options {
    std::filesystem::path cacheFolder; // where those of stems are kept; none: nowhere
    bool whole = true;                 // attacks and notes too: most of the time
  };
  Findings();
  explicit Findings(Options options);
  ~Findings();
  /// Of a row before its own ornaments, as long as there are stems under it. Finds them if nobody has yet; nothing when
  /// asked to stop before that, or when there is no such row.
  std::shared_ptr<const RowFindings> of(const std::shared_ptr<const RenderPlan>& plan, const std::string& row,
                                        std::stop_token stop = {});
  /// What is kept takes, bytes; no more than 64 MiB but for the newest.
  std::int64_t bytes() const;
  /// Only what is known already.
  std::shared_ptr<const RowFindings> known(const RenderPlan& plan, const std::string& row);

 private:
  static constexpr std::size_t kMost = 256;
  static constexpr std::int64_t kMostBytes = std::int64_t{64} << 20;
  struct Entry {
    std::string sound;
    std::shared_ptr<const RowFindings> findings;
  };
  std::shared_ptr<const RowFindings> find(const std::string& sound);
  void keep(const std::string& sound, std::shared_ptr<const RowFindings> made);
  Options options_;
  std::unique_ptr<FoundFiles> files_;
  mutable std::mutex mutex_;
  std::list<Entry> recent_; // the latest used first
  std::int64_t bytes_ = 0;
};

/// Where a row's stems begin to sound and end: what is looked through.
FrameRange stemsUnder(const RenderPlan& plan, std::size_t row);

} // namespace ivrin

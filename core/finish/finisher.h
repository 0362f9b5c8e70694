// The finish: the chain of processors at the end of every ornament, in the order they stand in the song. A processor is
// a table and a way to put itself behind a sound.
#pragma once

#include "audio/chunk_store.h"
#include "finish/flow.h"
#include "finish/impulses.h"
#include "song/settings/setting_spec.h"
#include "song/song.h"

#include <functional>
#include <memory>
#include <optional>
#include <vector>

namespace ivrin {

/// Where the chain stands: on which ornament, and what its processors may ask for.
struct FinishPlace {
  const TempoMap& map;
  Beats start;  // of the ornament: x of the curves is counted from here
  Beats length; // of the ornament
  Frames first; // of the print
  std::uint64_t seed = 1;
  const Impulses* impulses = nullptr;
  std::int64_t sourceFrames = 0;
  std::int64_t frames = std::int64_t{1} << 40; // that the print has at most, with all tails
  std::optional<Key> songKey{};
  CurveLaw hzLaw = CurveLaw::linear; // of curves in Hz
  bool leadsIn = false;
  double wetDb = 0;    // that a level puts on top of what it has measured
  bool builds = false; // it grows by itself: its end may be far louder than what follows the source
  /// K-weighted loudness of the source, its loudest window as long as itself; may be none.
  std::function<double()> sourceLufs{};
  /// Where a sound that is needed whole is kept; none: in memory.
  std::shared_ptr<ChunkStore> store{};
  /// The key of the processor being attached; none for those without one.
  std::function<void(Frames from, StereoSpan out)> key{};
  double sampleRate() const { return map.sampleRate(); }
};

class Finisher {
 public:
  virtual ~Finisher() = default;
  virtual const TableSpec& table() const = 0;
  virtual std::unique_ptr<Flow> attach(std::unique_ptr<Flow> in, const FinishPlace& at, const Settings& set) const = 0;
  /// True where all of the sound goes through it at once.
  virtual bool whole(const Settings&) const { return false; }
  /// How many frames the sound may become longer by at most.
  virtual std::int64_t tailFrames(const FinishPlace&, const Settings&) const { return 0; }
  /// Every frame it gives depends on that frame of what comes in alone, so that it may be computed anywhere first.
  virtual bool memoryless() const { return false; }
  /// The row it listens to, before that row's ornaments (empty: the ornament's own), and how far ahead.
  struct KeyRow {
    std::string row;
    std::int64_t aheadFrames;
  };
  virtual std::optional<KeyRow> key(const FinishPlace&, const Settings&) const { return std::nullopt; }
  /// It brings the sound to a loudness, whatever comes in.
  virtual bool matches() const { return false; }
  /// It measures the ornament's source, also where the kind itself takes nothing of it.
  virtual bool hearsSource(const Settings&) const { return false; }
};

/// All of them, in the order in which they are offered.
const std::vector<const Finisher*>& allFinishers();
const Finisher* findFinisher(const std::string& type);

// One file each.
const Finisher& filterFinisher();
const Finisher& toneFinisher();
const Finisher& dirtFinisher();
const Finisher& reverbFinisher();
const Finisher& echoFinisher();
const Finisher& widthFinisher();
const Finisher& panFinisher();
const Finisher& gainFinisher();
const Finisher& compressorFinisher();
const Finisher& duckFinisher();
const Finisher& phaserFinisher();
const Finisher& chorusFinisher();
const Finisher& tremoloFinisher();
const Finisher& limiterFinisher();
const Finisher& levelFinisher();
const Finisher& harmonyFinisher();

} // namespace ivrin

// A space as ornaments and the finish use it: one of the reverb's characters or an impulse response, with the settings
// they all share.
#pragma once

#include "dsp/space/convolver.h"
#include "dsp/space/reverb.h"
#include "finish/impulses.h"
#include "song/settings/setting_spec.h"
#include "time/tempo_map.h"

#include <optional>

namespace ivrin {

struct SpaceSettings {
  ReverbSettings reverb; // seed left at 1
  bool isImpulse = false;
  std::string impulseFile;

  /// Adds character, impulse_file, size_percent, damping_percent, low_decay_percent and modulation_percent to a table,
  /// in this order.
  static void addTo(TableSpec& table, const std::string& group);
  /// Reads them, all but the decay.
  static SpaceSettings of(const TableSpec& table, const Settings& settings);
};

/// The time a setting of type time or a plain number of seconds says ("decay_seconds"), at `at`.
double decayOf(const Value& v, const TempoMap& map, Beats at);

class Space {
 public:
  /// `floor`: what counts as silence for lastsUntil(). `impulses` may be none: only what ships is there then.
  Space(const SpaceSettings& settings, double sampleRate, const Impulses* impulses, float floor, Convolver::Feed feed);
  ~Space();
  /// The next frames of the space alone.
  void read(StereoSpan out);
  /// Counted from the first frame read: before this something stored may still be at or over the floor.
  std::int64_t lastsUntil() const;

 private:
  struct Body;
  std::unique_ptr<Body> body_;
};

/// The decay to set so that the space has fallen 60 dB at 1 kHz `seconds` after a sound, what it takes to build up
/// included.
double decayForFall(const SpaceSettings& settings, double seconds);

} // namespace ivrin

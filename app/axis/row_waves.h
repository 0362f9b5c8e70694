// RowWaves turns the peaks of the real audio into columns for the wave painter, for rows and for prints. It looks at a
// bounded stretch of new sound in one event.
#pragma once

#include "app/axis/time_axis.h"
#include "app/theme/wave_painter.h"
#include "render/render_plan.h"
#include "render/song_audio.h"
#include "services/row_peaks.h"

#include <functional>

namespace ivrin::app {

/// Peaks of a print, side by side, growing as it is computed.
struct PrintPeaks {
  PeakPyramid left, right;
  Frames done;
  std::optional<FrameRange> heard;
};

/// The frame at the left edge of every device column, and one more for the last right edge.
using ColumnFrames = std::vector<std::int64_t>;
ColumnFrames columnFrames(const TempoMap& map, const TimeAxis& axis, double x, int deviceColumns, double ratio);

/// What waves are drawn from.
struct WaveSource {
  std::shared_ptr<const RenderPlan> plan;
  SongAudio audio;
  AllRowPeaks peaks; // of buses and the mix
};

/// Its const functions may be called from several threads while none of the others is.
class RowWaves {
 public:
  /// What is drawn from now on; forgets the peaks of prints that have gone.
  void show(WaveSource source);
  const std::shared_ptr<const RenderPlan>& plan() const { return source_.plan; }
  /// What the peaks of prints take.
  std::int64_t bytes() const;

  /// Full scale of the drawing: the amplitude that fills the row.
  double fullScale(const std::string& row) const;
  /// Dry sound of a stem, turned down where ornaments turn it down; a bus or the mix as it sounds. `mid` and `half` in
  /// device pixels.
  WaveColumns row(const std::string& row, const ColumnFrames& frames, double mid, double half) const;
  /// Some of the ornaments of a row.
  using Which = std::function<bool(const OrnamentNode&)>;
  /// Dry sound that those ornaments take away: what row() leaves out. Nothing where no gain of theirs is below one.
  std::optional<WaveColumns> turnedDown(const std::string& row, const ColumnFrames& frames, double mid, double half,
                                        const Which& which) const;
  /// Of a bus or the mix: what row() draws where its dry sound is silent, so that only what ornaments add goes on.
  /// Nothing where there is none of it.
  std::optional<WaveColumns> goesOn(const std::string& row, const ColumnFrames& frames, double mid, double half) const;
  /// What an ornament adds. `opened`: left upwards, right downwards; else both sides about the middle. Begins at the
  /// first column with sound: `first` is its index.
  WaveColumns print(const OrnamentNode& node, const ColumnFrames& frames, double mid, double half, bool opened,
                    int& first) const;
  /// Brings the peaks of the prints in a range up to what is computed, some seconds of sound at a time so that no event
  /// takes long; print() draws what was prepared. False: there is more, ask again.
  bool prepare(FrameRange seen);
  /// Where a print is within 30 dB of its loudest: what the eye takes for it. Nothing until it is complete,
  /// and all of it was looked at: so many
  /// frames more of it at most, which are taken from `frames`.
  std::optional<FrameRange> heard(const OrnamentNode& node, std::int64_t& frames);
  static constexpr std::int64_t kAtOnce = std::int64_t{1} << 19; // frames looked at in one event: about 10 ms

 private:
  static constexpr std::int64_t kMostBytes = std::int64_t{32} << 20; // beyond that, of the plan's own prints alone
  Peak stemPeak(const StemAudio& audio, std::int64_t begin, std::int64_t end) const;
  /// Looks at so many frames more at most, and takes what it has looked at from them.
  PrintPeaks& peaksOf(const OrnamentNode& node, std::int64_t& frames);
  WaveColumns dry(const std::string& row, const ColumnFrames& frames, double mid, double half, bool keep,
                  const Which& which) const;
  std::shared_ptr<const PeakPyramid> madePeaks(const std::string& row) const;
  WaveSource source_;
  std::map<const Print*, std::pair<std::weak_ptr<Print>, PrintPeaks>> prints_;
};

} // namespace ivrin::app

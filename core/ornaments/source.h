// The sound an ornament takes in: its own row over its span, or pieces from elsewhere, each with faded edges
// (2 ms in, 8 ms out, in song time, inside the piece).
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

class Source {
 public:
  explicit Source(const Placed& p);
  /// To be put first into PrintPlan::reads; index i of the pieces is read i.
  const std::vector<Read>& reads() const { return reads_; }
  /// Frames from the first to the last one of the longest piece.
  std::int64_t frames() const { return frames_; }
  /// The sum of all pieces, `offset` frames after the source's begin; silence outside. `scratch` is resized at need.
  void read(Sounds& sounds, std::int64_t offset, StereoSpan out, StereoBuffer& scratch) const;

 private:
  std::vector<Read> reads_;
  std::vector<EdgeWindow> windows_;
  std::vector<float> gains_;
  std::int64_t frames_ = 0;
};

/// How an ornament hears its own row.
Read::What hearing(const Ornament& o);

/// What a kind plays that replaces its row: the row itself, over `own` frames and without edges, so that a seam has no
/// step; or pieces from elsewhere.
class OwnOrPieces {
 public:
  OwnOrPieces(const Placed& p, FrameRange own);
  const std::vector<Read>& reads() const { return reads_; }
  bool own() const { return !pieces_; }
  /// Of pieces from elsewhere, frames; 0 of the row itself.
  std::int64_t pieceFrames() const { return pieces_ ? pieces_->frames() : 0; }
  /// From `from` frames after the span's begin.
  void read(Sounds& sounds, std::int64_t from, StereoSpan out);

 private:
  Frames begin_;
  std::optional<Source> pieces_;
  std::vector<Read> reads_;
  StereoBuffer scratch_;
};

/// Frames at each edge of the span within which the row and what replaces it change places.
std::int64_t edgeFrames(const Placed& p);

/// How loud it is.
struct SourceLevel {
  double peak = 0;     // largest magnitude
  double rmsDb = -120; // of what is over −80 dBFS, dBFS
};
SourceLevel measureSource(std::int64_t frames, const std::function<void(std::int64_t at, StereoSpan out)>& read);

/// Takes the source out of its row, or turns it down to `gain`, with its faded edges.
GainSegments sourceRemoved(const Placed& p, double gain = 0);

} // namespace ivrin

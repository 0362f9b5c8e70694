// Cells of an ornament at its place: what kinds that cut time have in common, whatever they do in them. The open row
// draws and paints them, the pattern tools turn them, and a pattern goes from one kind to another through them.
#pragma once

#include "patterns/pattern.h"
#include "song/song.h"
#include "time/units.h"

#include <memory>
#include <optional>

namespace ivrin {

class Cells {
 public:
  virtual ~Cells() = default;
  /// Those that lie in the ornament: first() ≤ k < end().
  virtual std::int64_t first() const = 0;
  virtual std::int64_t end() const = 0;
  /// Of a cell, within the ornament.
  virtual FrameRange frames(std::int64_t k) const = 0;
  /// The cell at a frame; those outside count on.
  virtual std::int64_t at(Frames f) const = 0;
  /// Where in the song it begins.
  virtual Beats beat(std::int64_t k) const = 0;
  /// The step of a pattern of `round` steps that it plays.
  virtual std::size_t place(std::int64_t k, std::size_t round) const = 0;

  /// What its lists say, as one pattern as long as all of them need (kMostSteps at most).
  virtual Pattern pattern() const = 0;
  /// The ornament with another; it takes what it has.
  virtual Ornament with(const Pattern& p) const = 0;
  /// What its steps have besides a level.
  struct Has {
    bool sides = false, pitches = false, directions = false;
    bool lengths = false; // each of its own: they can be cut and joined one by one
  };
  virtual Has has() const = 0;

  /// How long one is, as people read it; empty where all have one length.
  virtual std::string lengthText(std::int64_t /*k*/) const { return {}; }
  /// The ornament with cell k cut into two halves. All others stay where they are and as they are; both halves have
  /// what the whole had. Nothing where it would be shorter than a song file can say, or have more cells than it can
  /// hold.
  virtual std::optional<Ornament> cut(std::int64_t /*k*/) const { return std::nullopt; }
  /// The ornament with cells first..last (both among them) as one, which has what the first one had.
  virtual std::optional<Ornament> joined(std::int64_t /*first*/, std::int64_t /*last*/) const { return std::nullopt; }

  /// Whether chance plays it, and whether what chance drew was written down.
  enum class Roll { none, byChance, kept };
  virtual Roll roll() const { return Roll::none; }
  /// The ornament with what chance drew written down, or given back to chance; nothing where it has no roll, or too
  /// many steps to be written down.
  virtual std::optional<Ornament> withRoll(Roll /*wanted*/) const { return std::nullopt; }
};

} // namespace ivrin

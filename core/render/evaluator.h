// Computes the planes of rows, the mix, and what ornaments read, from a plan. Holds scratch memory: one per thread or
// task. The samples do not depend on how a range is cut.
#pragma once

#include "render/render_plan.h"

namespace ivrin {

/// Dry and wet of a row. `wetSounds` false: the wet plane is silence and its memory is not filled.
struct Planes {
  StereoBuffer dry, wet;
  bool wetSounds = false;
};

class Evaluator {
 public:
  /// compute: prints are rendered as far as needed. takeReady: what is not there counts as silence and is counted.
  enum class Missing { compute, takeReady };
  /// With `stop` requested, what is still missing counts as silence, and stopped() says so.
  Evaluator(const RenderPlan& plan, Missing missing, std::stop_token stop = {})
      : plan_(&plan)
      , missing_(missing)
      , stop_(std::move(stop)) {}
  bool stopped() const { return stopped_; }

  /// The row after its first `ornaments` ornaments (all by default), before gain and pan.
  void planes(std::size_t row, Frames from, std::int64_t frames, Planes& out, std::size_t ornaments = SIZE_MAX);
  /// D + W after gain and pan (a muted row too), as `stems/ID.wav`; for the mix before gain and limiter.
  void rowOut(std::size_t row, Frames from, StereoSpan out);
  /// The mix after its gain, before the limiter.
  void mix(Frames from, StereoSpan out);
  /// Only the rows on solo, after their gain and pan; for listening.
  void soloMix(Frames from, StereoSpan out);
  /// What one ornament adds, after gain and pan of its row, its bus and the mix; for listening to it alone.
  void alone(const OrnamentNode& node, Frames from, StereoSpan out);
  /// The song begins at this frame: what a print sounds before that is faded in there (2 ms).
  void setBegin(Frames begin) { begin_ = begin; }
  /// Read `index` of `node`.
  void read(const OrnamentNode& node, std::size_t index, Frames from, StereoSpan out);

  /// Something that was read could not be computed (Print::failed): silence stands for it.
  bool broken() const { return broken_; }

 private:
  struct Level;
  void sumMembers(const RowNode& row, Frames from, std::int64_t frames, Planes& out, std::size_t depth);
  void planesAt(std::size_t row, Frames from, std::int64_t frames, Planes& out, std::size_t ornaments,
                std::size_t depth);
  void addPrint(const OrnamentNode& node, Frames from, StereoSpan wet);
  void addSilenced(const OrnamentNode& node, Frames from, StereoSpan wet, std::size_t above);
  const RenderPlan* plan_;
  Missing missing_;
  std::stop_token stop_;
  bool stopped_ = false, broken_ = false;
  std::optional<Frames> begin_;
  std::vector<std::unique_ptr<Planes>> scratch_; // one per depth of the tree
  Planes top_;
  std::vector<const OrnamentNode*> silencing_; // gaps over what is computed: of the rows above first, then of this one
  StereoBuffer silenced_;
};

/// What an ornament reads, computed as far as it is missing.
class NodeSounds : public Sounds {
 public:
  /// Both must outlive it.
  NodeSounds(const RenderPlan& plan, const OrnamentNode& node, std::stop_token stop = {})
      : rows_(plan, Evaluator::Missing::compute, std::move(stop))
      , node_(node) {}
  void read(std::size_t index, Frames from, StereoSpan out) override { rows_.read(node_, index, from, out); }

 private:
  Evaluator rows_;
  const OrnamentNode& node_;
};

} // namespace ivrin

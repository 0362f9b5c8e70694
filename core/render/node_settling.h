// Gives every ornament of a plan its node. A node of the former plan is taken over as it is when nothing that its reads
// meet has changed, so that the price of an edit does not grow with the song: where ornaments were only replaced by
// others at their places, nothing is looked at but these and what comes after them on their rows.
//
// Invariants:
//  1. Whatever is new or has gone on a row is noted as a change before any node is settled.
//  2. A node is settled after everything that it reads; its print is found by what it is made of then.
//  3. A node that is taken over has the provenance that it would be given anew (a differential test holds it to that).
#pragma once

#include "render/render_plan.h"

#include <limits>
#include <unordered_map>

namespace ivrin {

/// Where the ornaments of a list stood in the list of before. Most edits leave all but a few at their places, so that
/// only what lies between the common begin and the common end is looked for.
class FormerPlaces {
 public:
  using Ornaments = Chunked<Shared<Ornament>>;
  /// `was` may be none.
  FormerPlaces(const Ornaments* was, const Ornaments& is);
  std::optional<std::size_t> of(std::size_t i) const;
  /// Places between the common begin and the common end, of the list that is.
  std::size_t head() const { return head_; }
  std::size_t end() const { return is_.size() - tail_; }
  /// Whether both lists have the same ids in the same order.
  bool sameIds() const;

 private:
  const Ornaments* was_;
  const Ornaments& is_;
  std::size_t head_ = 0, tail_ = 0;
  std::unordered_map<const Ornament*, std::size_t> between_;
};

class NodeSettling {
 public:
  /// `former` may be none, and so may `problems`, which hears of what cannot be computed.
  NodeSettling(RenderPlan& plan, const KindSet& kinds, PrintCache& cache, const RenderPlan* former, Problems* problems);
  void settle();

 private:
  using Order = std::int64_t;
  using Node = std::shared_ptr<const OrnamentNode>;
  static constexpr Order kDry = -1; // read up to here, no ornament of the row is heard
  static constexpr Order kNowhere = std::numeric_limits<Order>::max();
  /// What is not as it was on a row, and where: heard by whatever reads the row up to an order over `order`. What went
  /// has none of its own any more: it is missed from the place on into which the next one slid, so it counts as
  /// standing one before that, which is -1 at the row's head.
  struct Change {
    Order order;
    FrameRange frames;
  };

  /// Whether ornaments were only replaced at their places: of the same kind on the same row, sounding before and now.
  bool onlyReplaced() const;
  void replaceInPlace();
  /// The nodes as they were where the ornament is the same value, else new ones.
  void takeOver();
  Node takenOver(std::size_t place, std::vector<std::vector<Node>>& onRow);
  /// Ornaments that went, came or changed places: all between the common begin and the common end of each row.
  void noteMoves();
  void indexPlaces();

  /// Whether what is read of a row up to an order, over a range, is not as it was.
  bool changed(std::size_t row, Order before, FrameRange range) const;
  /// Before this order nothing at all of a row's sound is new; kNowhere where none of it is.
  Order firstTouched(std::size_t row) const;

  /// The ornaments of a row up to an order. False where one of them needs itself first.
  bool settleRow(std::size_t row, std::size_t before);
  void settleNode(std::size_t row, std::size_t order);
  /// `reads` is false where what it reads comes back to it: it is left out, and that is said.
  void giveProvenance(OrnamentNode& node, bool reads);
  void tellRefusals() const;

  RenderPlan& plan_;
  const KindSet& kinds_;
  PrintCache& cache_;
  const RenderPlan* former_;
  Problems* problems_;
  std::vector<RowNode>& rows_;
  bool sameRows_; // as the former plan has them
  FormerPlaces places_;
  bool sameIds_, inPlace_ = false;
  std::vector<std::vector<Change>> changes_;
  std::vector<char> sourceChanged_, mixChanged_;
  /// New nodes, which wait for their provenance, by row and order; a row without any is empty.
  std::vector<std::vector<std::shared_ptr<OrnamentNode>>> fresh_;
  std::vector<std::size_t> settled_; // how many of each row are
  std::vector<char> open_;           // rows of which one is being settled
};

} // namespace ivrin

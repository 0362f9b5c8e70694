// A kind for tests only: it reads ahead and sounds before its source. Its print is the source backwards, ending on the
// source's first frame, at half level; the dry source is taken out.
#pragma once

#include "ornaments/kind.h"

namespace ivrin::test {

class LeadInKind : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  std::optional<Frames> landingFrame(const Placed& p) const override { return p.span().begin; }
};

/// All kinds of this version and the lead-in.
const KindSet& kindsWithLeadIn();

} // namespace ivrin::test

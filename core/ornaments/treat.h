// Treat: a stretch of the row goes through the finish, in place of the dry sound or beside it.
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

class Treat : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
};

} // namespace ivrin

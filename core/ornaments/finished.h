// An ornament together with its finish: what the renderer computes. A kind knows nothing of the chain behind it.
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

/// The kind's plan with what the finish adds: longer tails, and the keys it listens to after the kind's own reads.
PrintPlan finishedPlan(const Kind& kind, const Placed& p);
/// The kind's voice with the finish behind it. `plan` is finishedPlan(kind, p).
std::unique_ptr<Voice> finishedVoice(const Kind& kind, const Placed& p, const PrintPlan& plan, Sounds& sounds);

} // namespace ivrin

// The one list of all kinds. A new kind: one file pair, one line here.
#include "ornaments/delay_throw.h"
#include "ornaments/gap.h"

namespace ivrin {

const KindSet& allKinds() {
  static const DelayThrow delayThrow;
  static const Gap gap;
  static const KindSet set({&delayThrow, &gap});
  return set;
}

} // namespace ivrin

// The one list of all kinds. A new kind: one file pair, one line here.
#include "ornaments/delay_throw.h"
#include "ornaments/gap.h"
#include "ornaments/glitch.h"
#include "ornaments/halftime.h"
#include "ornaments/pulse.h"
#include "ornaments/reverb_throw.h"
#include "ornaments/reverse.h"
#include "ornaments/reverse_reverb.h"
#include "ornaments/riser.h"
#include "ornaments/stutter.h"
#include "ornaments/tape.h"
#include "ornaments/treat.h"

namespace ivrin {

const KindSet& allKinds() {
  static const DelayThrow delayThrow;
  static const ReverbThrow reverbThrow;
  static const ReverseReverb reverseReverb;
  static const Reverse reverse;
  static const Tape tape;
  static const Halftime halftime;
  static const Stutter stutter;
  static const Pulse pulse;
  static const Glitch glitch;
  static const Riser riser;
  static const Treat treat;
  static const Gap gap;
  static const KindSet set({&delayThrow, &reverbThrow, &reverseReverb, &reverse, &tape, &halftime, &stutter, &pulse,
                            &glitch, &riser, &treat, &gap});
  return set;
}

} // namespace ivrin

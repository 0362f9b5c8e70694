// The players of the demo song; each returns its stem.
#pragma once

#include "synth.h"

namespace lantern {

Track singVoice();
Track playKeys();
Track playStrings();
Track playBass();
Track playDrums();
Track playShaker();
Track playTexture();

} // namespace lantern

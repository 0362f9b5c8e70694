// This file declares the drawings, one for each kind. The faces hand them out.
#pragma once

#include "app/openrow/open_drawing.h"

namespace ivrin::app {

std::unique_ptr<OpenDrawing> throwDrawing();
std::unique_ptr<OpenDrawing> reverbThrowDrawing();
std::unique_ptr<OpenDrawing> swellDrawing();
std::unique_ptr<OpenDrawing> reverseDrawing();
std::unique_ptr<OpenDrawing> tapeDrawing();
std::unique_ptr<OpenDrawing> halftimeDrawing();
std::unique_ptr<OpenDrawing> stutterDrawing();
std::unique_ptr<OpenDrawing> pulseDrawing();
std::unique_ptr<OpenDrawing> glitchDrawing();
std::unique_ptr<OpenDrawing> riserDrawing();
std::unique_ptr<OpenDrawing> treatDrawing();
std::unique_ptr<OpenDrawing> gapDrawing();

} // namespace ivrin::app

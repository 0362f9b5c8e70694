#include "app/openrow/drawings.h"

namespace ivrin::app {

std::unique_ptr<OpenDrawing> openDrawing(const std::string& kind) {
  if (kind == "delay-throw") return throwDrawing();
  if (kind == "reverb-throw") return reverbThrowDrawing();
  if (kind == "reverse-reverb") return swellDrawing();
  if (kind == "reverse") return reverseDrawing();
  if (kind == "tape") return tapeDrawing();
  if (kind == "halftime") return halftimeDrawing();
  if (kind == "treat") return treatDrawing();
  return gapDrawing();
}

} // namespace ivrin::app

// This file loads the words of the window, and of the core (in the context "core"), in the desktop's language, as far
// as there is a catalogue. English has one for its plurals.
#pragma once

namespace ivrin::app {

/// Once an application is there, before any window is.
void loadWords();

} // namespace ivrin::app

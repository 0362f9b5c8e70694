// This file lists what the core's tables say in words, for a catalogue of another language.
#pragma once

#include <string>
#include <vector>

namespace ivrin::app {

/// Each text that the window asks a translator for and that no source file marks: names and meanings of kinds and
/// processors, labels, units, groups and choices of their settings, tools, patterns and starting points. Sorted.
std::vector<std::string> coreWords();

} // namespace ivrin::app

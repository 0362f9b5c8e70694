// How the process deals with the system's memory (glibc): what was large and is free goes back, whatever the order in
// which it was taken and let go.
#pragma once

#include <cstdint>

namespace ivrin {

/// Once, before anything large is made: blocks over 1 MiB are the system's own, and few heaps serve many threads.
void keepMemoryTidy();
/// Gives back what is free. May take some milliseconds.
void giveMemoryBack();
/// Memory that is this process's alone and holds no file (RssAnon of proc(5)), bytes; 0 where that cannot be told.
std::int64_t privateMemory();

} // namespace ivrin

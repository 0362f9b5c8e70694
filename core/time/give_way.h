// Work that may take its time.
#pragma once

#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

namespace ivrin {

/// How far: nice values of 4 and 10; beside one other busy thread that leaves about two fifths, and a tenth.
enum class Way { aLittle, all };

/// The calling thread, and those that it starts, give way to all others from now on: with every processor busy the
/// window still draws and plays. (Linux: a thread has a nice value of its own, sched(7); it cannot be taken back, so
/// this is for threads that end with their work.)
inline void giveWay(Way way = Way::all) {
  ::setpriority(PRIO_PROCESS, static_cast<id_t>(::syscall(SYS_gettid)), way == Way::all ? 10 : 4);
}

} // namespace ivrin

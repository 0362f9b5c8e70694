// The n-th operation on files fails: every call of the system that opens, reads, writes, names, maps or removes one,
// made by our code or by a library, is counted while armed, and the n-th does not do its work.
#pragma once

#include <string>

namespace ivrin::test {

/// From now on operation `n` (from 1) fails with `error`; 0: none does, they are only counted. With `forever` all after
/// it fail too, as on a disk that has gone.
void armFaults(long n, int error, bool forever = false);
/// Ends it; how many operations there were.
long disarmFaults();
/// What some file systems do not know. Folders that cannot be synced, files that cannot be mapped or locked; bytes that
/// are read as they were written.
enum class Lacking { nothing, links, namelessFiles, linksAndNamelessFiles, folderSync, maps, locks, trueReads };
/// From now on it fails as it does where it is not known.
void lack(Lacking what);
/// What the one that failed was ("pwrite"); empty: none did.
std::string failedOperation();

/// While there is one, no other thread than its maker's gets memory.
struct NoMemoryElsewhere {
  NoMemoryElsewhere();
  ~NoMemoryElsewhere();
};

} // namespace ivrin::test

// Trying something many times in processes of their own, each with a bound of time and memory: what ends a process, or
// goes beyond, is a failure of that one try.
#pragma once

#include "audio/chance.h"

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

namespace ivrin::test {

enum class Verdict : std::uint8_t { worked, refused, failed };

struct Tried {
  Verdict verdict = Verdict::worked;
  std::string why; // of a failure
};

/// What a number of tries came to.
struct Tally {
  std::string what;
  std::int64_t tried = 0, worked = 0, refused = 0;
  std::vector<std::string> failures; // "try 17: …"
  double seconds = 0, slowest = 0;   // the slowest try, seconds
  std::int64_t mostMiB = 0;          // that a process had more than before its first try
};

struct Bounds {
  int seconds = 20; // of one try
  int memoryMiB = 2048;
};

/// Calls `tried` with 0..count−1, each with chance of its own; `folder` is the process's own and gone afterwards.
using Try = std::function<Tried(std::int64_t index, Chance& chance, const std::string& folder)>;
Tally tryInProcesses(const std::string& what, std::int64_t count, const Bounds& bounds, const Try& work);

// What there is to try. Each returns what it came to.
Tally songMutations(std::int64_t count);
Tally audioMutations(std::int64_t count);
Tally midiMutations(std::int64_t count);
Tally damagedCaches(std::int64_t count);
/// Ornaments of 20 minutes and more on a second of sound.
Tally longSilences(std::int64_t count);
Tally fullDisks(std::int64_t count);
Tally windowKills(std::int64_t count);
Tally importKills(std::int64_t count);
Tally exportKills(std::int64_t count);
Tally recipeMutations(std::int64_t count);
Tally patternMutations(std::int64_t count);
Tally presetMutations(std::int64_t count);
Tally tagMutations(std::int64_t count);
Tally randomEditRuns(std::int64_t count);
Tally hostileFolders(std::int64_t count);

} // namespace ivrin::test

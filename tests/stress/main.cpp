// Everything that is hostile, many times: ivrin-stress [PERCENT [WORD]] tries so much of the full
// counts, 100 by default, of those named with the word. What
// it comes to is a table, as in docs/reliability.md; status 1 if anything failed.
#include "stress.h"

#include <cstdio>
#include <cstdlib>
#include <string_view>

using namespace ivrin::test;

int main(int argc, char** argv) {
  std::freopen("/dev/null", "w", stderr); // decoders tell of what they meet
  const double share = argc > 1 ? std::atof(argv[1]) / 100 : 1;
  const auto some = [&](int full) { return std::max<std::int64_t>(1, static_cast<std::int64_t>(full * share)); };
  struct Kind {
    std::string_view name;
    Tally (*run)(std::int64_t);
    int full;
  };
  constexpr Kind kinds[] = {{"songs", songMutations, 20000},
                            {"sounds", audioMutations, 10000},
                            {"midi", midiMutations, 10000},
                            {"caches", damagedCaches, 1000},
                            {"disks", fullDisks, 300},
                            {"silences", longSilences, 16},
                            {"window-kills", windowKills, 400},
                            {"import-kills", importKills, 300},
                            {"export-kills", exportKills, 300},
                            {"recipes", recipeMutations, 10000},
                            {"patterns", patternMutations, 10000},
                            {"presets", presetMutations, 10000},
                            {"tags", tagMutations, 10000},
                            {"edits", randomEditRuns, 1000},
                            {"folders", hostileFolders, 1000}};
  std::printf(
      "| what | tried | worked | refused | failed | slowest | memory | took |\n|---|---|---|---|---|---|---|---|\n");
  std::int64_t tried = 0, failures = 0;
  for (const Kind& k : kinds) {
    if (argc > 2 && k.name.find(argv[2]) == std::string_view::npos) continue;
    const Tally t = k.run(some(k.full));
    tried += t.tried;
    failures += static_cast<std::int64_t>(t.failures.size());
    std::printf("| %s | %lld | %lld | %lld | %zu | %.2f s | %lld MiB | %.0f s |\n", t.what.c_str(),
                static_cast<long long>(t.tried), static_cast<long long>(t.worked), static_cast<long long>(t.refused),
                t.failures.size(), t.slowest, static_cast<long long>(t.mostMiB), t.seconds);
    for (std::size_t i = 0; i < t.failures.size() && i < 20; ++i) std::printf("  %s\n", t.failures[i].c_str());
    std::fflush(stdout);
  }
  std::printf("%lld tries, %lld failed\n", static_cast<long long>(tried), static_cast<long long>(failures));
  return failures == 0 ? 0 : 1;
}

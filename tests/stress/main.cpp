// Everything that is hostile, many times: ivrin-stress [PERCENT] tries so much of the full counts; 100 by default. What
// it comes to is a table, as in docs/reliability.md; status 1 if anything failed.
#include "stress.h"

#include <cstdio>
#include <cstdlib>

using namespace ivrin::test;

int main(int argc, char** argv) {
  std::freopen("/dev/null", "w", stderr); // decoders tell of what they meet
  const double share = argc > 1 ? std::atof(argv[1]) / 100 : 1;
  const auto some = [&](int full) { return std::max<std::int64_t>(1, static_cast<std::int64_t>(full * share)); };
  struct Kind {
    Tally (*run)(std::int64_t);
    int full;
  };
  constexpr Kind kinds[] = {{songMutations, 20000}, {audioMutations, 10000}, {damagedCaches, 1000}, {fullDisks, 300},
                            {windowKills, 400},     {importKills, 300},      {exportKills, 300}};
  std::printf(
      "| what | tried | worked | refused | failed | slowest | memory | took |\n|---|---|---|---|---|---|---|---|\n");
  bool failed = false;
  for (const Kind& k : kinds) {
    const Tally t = k.run(some(k.full));
    std::printf("| %s | %lld | %lld | %lld | %zu | %.2f s | %lld MiB | %.0f s |\n", t.what.c_str(),
                static_cast<long long>(t.tried), static_cast<long long>(t.worked), static_cast<long long>(t.refused),
                t.failures.size(), t.slowest, static_cast<long long>(t.mostMiB), t.seconds);
    for (std::size_t i = 0; i < t.failures.size() && i < 20; ++i) std::printf("  %s\n", t.failures[i].c_str());
    std::fflush(stdout);
    failed = failed || !t.failures.empty();
  }
  return failed ? 1 : 0;
}

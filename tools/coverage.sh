#!/usr/bin/env bash
# Which lines and branches of core the core, fault and command-line tests run, as a table by folder; or, with a folder or
# file of core, the lines of it that none of them runs.
#   tools/coverage.sh                      builds, runs, prints the table
#   tools/coverage.sh --quick              the same without the tests that take more than a second
#   tools/coverage.sh core/render/x.cpp    of the last run: lines not run (#####) and branches not taken
set -euo pipefail
cd "$(dirname "$0")/.."
command -v gcovr >/dev/null || { echo "gcovr is missing: apt-get install gcovr" >&2; exit 1; }
report=(gcovr -r . --object-directory build/coverage --exclude-throw-branches --exclude-unreachable-branches
        --exclude-directories '.*/CMakeFiles/3.*' -j 2)
filter='*'
if [ "${1:-}" = --quick ]; then
  filter='~[slow]~[heavy]'
elif [ $# -gt 0 ]; then
  "${report[@]}" --filter "$1" --txt-metric branch --txt -
  "${report[@]}" --filter "$1" --txt -
  exit
fi
cmake -S . -B build/coverage -G Ninja -DCMAKE_BUILD_TYPE=None -DCMAKE_CXX_FLAGS='-O1 --coverage -fprofile-update=atomic' \
      -DIVRIN_APP=OFF -DIVRIN_TESTS=ON -DIVRIN_UNITY=ON >/dev/null
cmake --build build/coverage -j 2 >/dev/null
[ -s demo/song/audio/voice.flac ] || tools/compose-demo.sh build/coverage/bin/ivrin-demo-composer
home=$(mktemp -d)
trap 'rm -rf "$home"' EXIT
mkdir -m 700 "$home/run"
export LC_ALL=C.UTF-8 XDG_RUNTIME_DIR=$home/run XDG_CACHE_HOME=$home/cache XDG_DATA_HOME=$home/data XDG_CONFIG_HOME=$home/config
find build/coverage -name '*.gcda' -delete
for runner in core fault cli; do build/coverage/bin/ivrin-$runner-tests "$filter" >"$home/$runner" 2>&1 || { tail -n 40 "$home/$runner"; exit 1; }; done
"${report[@]}" --filter core/ --csv - | awk -F, '
  NR > 1 {
    split($1, p, "/"); f = p[2]
    lines[f] += $2; run[f] += $3; branches[f] += $5; taken[f] += $6
  }
  END {
    print "| Folder | Lines | of them run | Branches | of them taken |"
    print "|---|---|---|---|---|"
    for (f in lines) {
      printf "| core/%s | %d | %.1f %% | %d | %.1f %% |\n", f, lines[f], 100 * run[f] / lines[f], branches[f], branches[f] ? 100 * taken[f] / branches[f] : 100 | "sort"
      L += lines[f]; R += run[f]; B += branches[f]; T += taken[f]
    }
    close("sort")
    printf "| all | %d | %.1f %% | %d | %.1f %% |\n", L, 100 * R / L, B, 100 * T / B
  }'

#!/usr/bin/env bash
# clang-tidy over the sources, several files at a time as the build takes them: most of its time goes into headers.
#   tools/tidy.sh          what changed since the commit that .ci/tidied names, all of which passed, and a seventh of
#                          everything each day of the week: all of it in a week
#   tools/tidy.sh --all    everything
set -uo pipefail
cd "$(dirname "$0")/.."
cmake -S . -B build/tidy -G Ninja -DCMAKE_CXX_COMPILER=clang++ -DCMAKE_BUILD_TYPE=Release -DIVRIN_UNITY=ON -DIVRIN_MOC_APART=ON -DIVRIN_TESTS=OFF \
      -DCMAKE_DISABLE_PRECOMPILE_HEADERS=ON >build/tidy-configured 2>&1 || { tail -n 20 build/tidy-configured; exit 1; }

# "UNIT SOURCE" for every source: a unit is a file that is compiled, itself or others that it includes.
units() {
  local unit
  grep -oP '"file": "\K[^"]+' build/tidy/compile_commands.json | grep -v '_autogen/\|qrc_\|/moc_' | while read -r unit; do
    case $unit in
      */together_*) grep -oP '#include "(\.\./)*\K[^"]+' "$unit" | sed "s|^|$unit |" ;;
      *) echo "$unit ${unit#"$PWD"/}" ;;
    esac
  done
}
wanted() {
  local base=""
  [ "${1:-}" = --all ] || base=$(git rev-parse -q --verify "$(cat .ci/tidied)^{commit}" 2>/dev/null)
  if [ -z "$base" ]; then
    units | cut -d' ' -f1
    return
  fi
  local changed
  changed=$(git diff --name-only --diff-filter=d "$base" -- '*.cpp')
  units | awk -v changed="$changed" -v day="$(date +%u)" '
    BEGIN { n = split(changed, all, "\n"); for (i = 1; i <= n; i++) is[all[i]] = 1 }
    !($1 in place) { place[$1] = ++count }
    is[$2] || place[$1] % 7 == day % 7 { print $1 }'
}
wanted "$@" | sort -u >build/tidy-units
echo "$(wc -l <build/tidy-units) units"
xargs -r -P 2 -n 1 -a build/tidy-units clang-tidy -p build/tidy --quiet --extra-arg=-Wno-unknown-warning-option \
  2>build/tidy-errors && exit 0
# A unit that could not be read at all is told here alone.
grep -E 'error:|Error while' build/tidy-errors | sort | uniq -c | head -n 20
exit 1

#!/usr/bin/env bash
# Configures and builds one preset and says all the time what it does: "building 41 of 123".
# usage: tools/build.sh PRESET [-D...] [--target T...]
set -uo pipefail
cd "$(dirname "$0")/.."
preset=$1
shift
defines=() targets=()
for a in "$@"; do case "$a" in -D*) defines+=("$a") ;; *) targets+=("$a") ;; esac; done
log=build/$preset.log
mkdir -p build
echo "configuring $preset" >&2
if ! cmake --preset "$preset" "${defines[@]}" >"$log" 2>&1; then
  tail -n 40 "$log" >&2
  exit 1
fi
# On a terminal one line that changes, else a line now and then.
if [ -t 2 ]; then end='\r' every=1; else end='\n' every=20; fi
NINJA_STATUS="building %f of %t " stdbuf -oL cmake --build "build/$preset" -j 2 "${targets[@]}" 2>&1 | tee -a "$log" |
  awk -v end="$end" -v every="$every" -v preset="$preset" '
    /^building [0-9]+ of [0-9]+ / {
      if ($2 % every == 0 || $2 == $4) { printf "building %s: %s of %s   " end, preset, $2, $4; fflush() }
      next
    }
    /error|warning|FAILED|undefined reference/ { print; fflush(); bad = 1 }
    END { if (end == "\\r") print "" }' >&2
exit "${PIPESTATUS[0]}"

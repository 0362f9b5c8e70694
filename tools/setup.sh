#!/usr/bin/env bash
# Installs what is missing from Debian's packages; does nothing where all is present.
# usage: tools/setup.sh build|test|ci
set -euo pipefail
build="g++ cmake ninja-build ccache pkg-config qt6-base-dev qt6-l10n-tools libqt6widgets6 libsndfile1-dev libsoxr-dev libebur128-dev libxxhash-dev libfftw3-dev
       librtaudio-dev libjack-jackd2-dev libasound2-dev nlohmann-json3-dev libcli11-dev"
test="catch2 libtag1-dev librubberband-dev jackd2 xvfb xauth openbox"
ci="clang clang-format clang-tidy libclang-rt-14-dev"
case "${1:-build}" in
  build) want="$build" ;;
  test) want="$build $test" ;;
  ci) want="$build $test $ci" ;;
  *) echo "usage: tools/setup.sh build|test|ci" >&2; exit 2 ;;
esac
missing=()
for p in $want; do
  dpkg-query -W -f '${Status}' "$p" 2>/dev/null | grep -q 'install ok installed' || missing+=("$p")
done
[ ${#missing[@]} -eq 0 ] && exit 0
echo "installing ${#missing[@]} packages: ${missing[*]}" >&2
root=()
[ "$(id -u)" -eq 0 ] || root=(sudo)
"${root[@]}" apt-get update -qq
# Nothing that is there is taken away: with libjack-jackd2-dev in the first list, jackd2 of the second fits beside it.
"${root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-remove --no-install-recommends "${missing[@]}" >/dev/null

#!/usr/bin/env bash
# Computes the stems of the demo song where they are missing or older than their composer.
# usage: tools/compose-demo.sh COMPOSER
set -euo pipefail
cd "$(dirname "$0")/.."
audio=demo/song/audio
for stem in voice keys strings texture bass drums shaker; do
  if [ ! -s "$audio/$stem.flac" ] || [ "$1" -nt "$audio/$stem.flac" ]; then
    echo "computing the demo song's stems (about 20 seconds)" >&2
    "$1" "$audio"
    touch "$audio"/*.flac
    break
  fi
done

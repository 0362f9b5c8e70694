#!/usr/bin/env bash
# Takes the pictures in docs/screenshots anew, from the demo song, with no sound device.
set -euo pipefail
cd "$(dirname "$0")/.."
export QT_QPA_PLATFORM=offscreen
ivrin=build/release/bin/ivrin song=demo/song/lantern-ferry.ivrin out=docs/screenshots
$ivrin $song --shot $out/score-day.png
$ivrin $song --shot $out/score-night.png --night
$ivrin $song --shot $out/selecting-day.png --view selecting
$ivrin $song --shot $out/open-throw-day.png --view open-throw
$ivrin $song --shot $out/open-throw-night.png --view open-throw --night
$ivrin $song --shot $out/open-gap-day.png --view open-gap
$ivrin --shot $out/empty-day.png --view empty --demo $song
QT_SCALE_FACTOR=2 $ivrin $song --shot $out/score-200.png --view open-throw

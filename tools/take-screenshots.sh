#!/usr/bin/env bash
# Takes the pictures in docs/screenshots anew, from the demo song, with no sound device.
set -euo pipefail
cd "$(dirname "$0")/.."
export QT_QPA_PLATFORM=offscreen
ivrin=build/release/bin/ivrin song=demo/song/lantern-ferry.ivrin out=docs/screenshots
$ivrin $song --shot $out/score-day.png
$ivrin $song --shot $out/score-night.png --night
$ivrin $song --shot $out/selecting-day.png --view selecting
$ivrin $song --shot $out/collisions-day.png --view open-o10
$ivrin $song --shot $out/collisions-night.png --view open-o9 --night
$ivrin --shot $out/empty-day.png --view empty --demo $song
$ivrin $song --shot $out/open-curve-night.png --view open-curve --night
$ivrin $song --shot $out/open-swell-day.png --view open-o14
$ivrin $song --shot $out/finish-night.png --view finish-o15-0 --night
$ivrin $song --shot $out/open-tape-day.png --view open-o18
$ivrin $song --shot $out/recipes-day.png --view recipes
$ivrin $song --shot $out/recipes-night.png --view recipes --night
$ivrin $song --shot $out/open-pulse-day.png --view open-o25
$ivrin $song --shot $out/open-stutter-day.png --view open-o26
$ivrin $song --shot $out/open-glitch-night.png --view open-o27 --night
$ivrin $song --shot $out/open-riser-day.png --view open-o28
$ivrin $song --shot $out/tries-day.png --view tries-o19
$ivrin $song --shot $out/found-day.png --view found
$ivrin $song --shot $out/grid-night.png --view grid --night

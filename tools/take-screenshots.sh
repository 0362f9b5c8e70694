#!/usr/bin/env bash
# Takes the pictures in docs/screenshots anew, from the demo song, with no sound device.
set -euo pipefail
cd "$(dirname "$0")/.."
export QT_QPA_PLATFORM=offscreen
song=demo/song/lantern-ferry.ivrin out=docs/screenshots
# shot NAME [--night] [STEP...]
shot() {
  local name=$1 options=() step
  shift
  for step in "$@"; do
    case $step in
      --*) options+=("$step") ;;
      *) options+=(--do "$step") ;;
    esac
  done
  build/release/bin/ivrin $song --shot "$out/$name.png" "${options[@]}"
}
shot score-day
shot score-night --night
shot selecting-day 'show 80 116' 'select 92 93.5 voice'
shot collisions-day 'open o10'
shot collisions-night --night 'open o9'
build/release/bin/ivrin --shot $out/empty-day.png --demo $song
shot open-curve-night --night 'open o5' 'curve feedback_percent'
shot open-swell-day 'open o14'
shot finish-night --night 'open o15' 'finish 0'
shot open-tape-day 'open o18'
shot recipes-day 'landing s3' 'action recipes'
shot recipes-night --night 'landing s3' 'action recipes'
shot open-pulse-day 'open o25'
shot open-stutter-day 'open o26'
shot open-glitch-night --night 'open o27'
shot open-riser-day 'open o28'
shot tries-day 'open o19' 'try 2'
shot found-day bare 'action sections' 'action openings' 'show 28 60'
shot grid-night --night bare 'action sections' 'action gridCheck' 'show 28 60'

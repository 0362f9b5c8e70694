#!/usr/bin/env bash
# Runs a command on a virtual display with a window manager, so that windows get the focus as on a desktop.
exec env -u WAYLAND_DISPLAY QT_QPA_PLATFORM=xcb xvfb-run -a -s "-screen 0 2600x1700x24" bash -c 'openbox >/dev/null 2>&1 & wm=$!; sleep 1; "$@"; s=$?; kill $wm; exit $s' _ "$@"

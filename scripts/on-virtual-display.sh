#!/usr/bin/env bash
# Runs a command on a virtual display of its own, under a window manager: on-virtual-display.sh COMMAND...
# The screen is larger than the window, so that its frame has room; the window manager matters, since
# without one the server hides what a widget forgot to repaint.
set -euo pipefail
folder=$(mktemp -d)
server=""
manager=""
finish() {
    [ -n "$manager" ] && kill "$manager" 2>/dev/null
    [ -n "$server" ] && kill "$server" 2>/dev/null
    rm -rf "$folder"
    true
}
trap finish EXIT

# wait_for WHAT PROCESS TEST...: until the test holds, while the process lives
wait_for() {
    local what=$1 process=$2
    shift 2
    for _ in $(seq 150); do
        "$@" && return
        kill -0 "$process" 2>/dev/null || break
        sleep 0.1
    done
    echo "$what did not start" >&2
    exit 1
}

Xvfb -displayfd 3 -screen 0 1440x920x24 -nolisten tcp 3>"$folder/display" 2>/dev/null &
server=$!
wait_for "the virtual display" $server test -s "$folder/display"
DISPLAY=":$(cat "$folder/display")"
export DISPLAY
openbox --sm-disable --startup "touch $folder/managed" >/dev/null 2>&1 &
manager=$!
wait_for "the window manager" $manager test -e "$folder/managed"
"$@"

#!/usr/bin/env bash
# Runs a command on a virtual display of its own: on-virtual-display.sh COMMAND...
set -euo pipefail
number=$(mktemp)
Xvfb -displayfd 3 -screen 0 1280x800x24 -nolisten tcp 3>"$number" 2>/dev/null &
server=$!
trap 'kill $server 2>/dev/null || true; rm -f "$number"' EXIT
for _ in $(seq 100); do
    [ -s "$number" ] && break
    kill -0 $server 2>/dev/null || { echo "the virtual display did not start"; exit 1; }
    sleep 0.1
done
DISPLAY=":$(cat "$number")" "$@"

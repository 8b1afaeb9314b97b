#!/usr/bin/env bash
# Opens the demo yard; where there is no display, takes the window through it on a virtual one.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ -n "${DISPLAY:-}" ] || [ -n "${WAYLAND_DISPLAY:-}" ]; then
    exec .venv/bin/oak-sled open demo:fan-sled
fi
echo "== no display: the window opens on a virtual one and goes through the demo by itself"
exec scripts/on-virtual-display.sh .venv/bin/oak-sled tour demo-pictures

#!/usr/bin/env bash
# Sets up everything in .venv beside this folder; does nothing that has been done before.
set -euo pipefail
cd "$(dirname "$0")/.."

say() { printf '== %s\n' "$*"; }

packages="xvfb libgl1 libegl1 libglib2.0-0 libdbus-1-3 libfontconfig1 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-shape0 openbox"
libraries="libGL.so.1 libEGL.so.1 libglib-2.0.so.0 libdbus-1.so.3 libfontconfig.so.1 libxkbcommon-x11.so.0 libxcb-cursor.so.0 libxcb-icccm.so.4 libxcb-keysyms.so.1 libxcb-shape.so.0"

missing_system() {
    local known
    known=$( (ldconfig -p || /sbin/ldconfig -p) 2>/dev/null )
    for library in $libraries; do
        grep -q "$library" <<<"$known" || { echo "$library"; return; }
    done
    command -v Xvfb >/dev/null || { echo Xvfb; return; }
    command -v openbox >/dev/null || echo "openbox, a window manager for the virtual display"
}

lacking=$(missing_system)
if [ -n "$lacking" ]; then
    if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
        say "system libraries (missing: $lacking)"
        apt-get update -qq
        # shellcheck disable=SC2086
        DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $packages >/dev/null
    else
        echo "A system library is missing ($lacking). This one command installs what is needed; then run make again:"
        echo "  sudo apt-get install --no-install-recommends $packages"
        exit 1
    fi
fi

python=""
for candidate in python3.13 python3.12 python3.11 python3; do
    if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        python=$candidate
        break
    fi
done
# the version the lock file was made with is preferred
if command -v python3 >/dev/null && python3 -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' 2>/dev/null; then python=python3; fi
if [ -z "$python" ]; then
    echo "Python 3.11 or newer is needed: sudo apt-get install python3 python3-venv"
    exit 1
fi

stamp=.venv/.set-up
wanted=$(cat requirements.lock pyproject.toml scripts/setup.sh | sha256sum | cut -d' ' -f1)
if [ ! -x .venv/bin/oak-sled ] || [ "$(cat $stamp 2>/dev/null || true)" != "$wanted" ]; then
    if [ ! -x .venv/bin/python ]; then
        say "Python environment in .venv"
        "$python" -m venv .venv 2>/dev/null || {
            rm -rf .venv
            if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
                apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends python3-venv >/dev/null
                "$python" -m venv .venv
            else
                echo "venv is missing: sudo apt-get install python3-venv"
                exit 1
            fi
        }
    fi
    say "Python packages (pinned in requirements.lock)"
    .venv/bin/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
    echo "$wanted" >$stamp
fi

# as an installed package has it: where Python writes no bytecode of its own accord, each start would compile the sources
.venv/bin/python -m compileall -q src/oak_sled

say "kernel (compiled once)"
.venv/bin/oak-sled compile

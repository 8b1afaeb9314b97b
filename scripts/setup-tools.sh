#!/usr/bin/env bash
# Installs what builds exported code in the languages that the tests know, reads reports and writes films; what cannot be installed is named and skipped.
set -euo pipefail

declare -A packages=([cc]=gcc [c++]=g++ [node]=nodejs [mcs]=mono-mcs [mono]=mono-runtime [chromium]=chromium [ffmpeg]=ffmpeg)
missing=""
for tool in "${!packages[@]}"; do
    command -v "$tool" >/dev/null || missing="$missing ${packages[$tool]}"
done
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    echo "== tools:$missing"
    apt-get update -qq >/dev/null 2>&1 || true
    for package in $missing; do
        DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$package" >/dev/null 2>&1 ||
            echo "$package cannot be installed here: what needs it is skipped"
    done
else
    echo "This one command installs what is missing; what needs it is skipped until then:"
    echo "  sudo apt-get install --no-install-recommends$missing"
fi

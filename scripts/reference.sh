#!/bin/sh
# Builds the C++ program of bench/openexr against Debian's OpenEXR library; what is missing for it is installed, which needs root.
set -eu
cd "$(dirname "$0")/../bench/openexr"
if ! pkg-config --exists OpenEXR 2>/dev/null || ! command -v g++ >/dev/null; then
    run=""
    [ "$(id -u)" = 0 ] || run="sudo"
    $run apt-get update -qq
    DEBIAN_FRONTEND=noninteractive $run apt-get install -y -qq --no-install-recommends g++ pkg-config libopenexr-dev >/dev/null
fi
# shellcheck disable=SC2046
g++ -O2 -std=c++17 -o reference reference.cpp $(pkg-config --cflags --libs OpenEXR)

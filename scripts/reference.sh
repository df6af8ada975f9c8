#!/bin/sh
# Builds the C++ programs of bench/openexr and bench/embree against Debian's libraries; what is missing for them is
# installed, which needs root.
set -eu
cd "$(dirname "$0")/../bench"
if ! pkg-config --exists OpenEXR 2>/dev/null || [ ! -e /usr/include/embree3/rtcore.h ] ||
    ! command -v g++ >/dev/null; then
    run=""
    [ "$(id -u)" = 0 ] || run="sudo"
    $run apt-get update -qq
    DEBIAN_FRONTEND=noninteractive $run apt-get install -y -qq --no-install-recommends \
        g++ pkg-config libopenexr-dev libembree-dev >/dev/null
fi
# shellcheck disable=SC2046
g++ -O2 -std=c++17 -o openexr/reference openexr/reference.cpp $(pkg-config --cflags --libs OpenEXR)
g++ -O2 -std=c++17 -o embree/reference embree/reference.cpp -lembree3

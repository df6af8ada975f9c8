#!/bin/sh
# Installs what the tests need and is missing. It needs root for Debian's packages, and npm for the glTF validator and
# axe-core.
set -eu
cd "$(dirname "$0")"
missing=""
command -v chromium >/dev/null || missing="$missing chromium"
command -v exrheader >/dev/null || missing="$missing openexr"
command -v oiiotool >/dev/null || missing="$missing openimageio-tools"
command -v pngcheck >/dev/null || missing="$missing pngcheck"
command -v tiffcp >/dev/null || missing="$missing libtiff-tools"
command -v ffmpeg >/dev/null || missing="$missing ffmpeg"
command -v xxhsum >/dev/null || missing="$missing xxhash"
command -v unzip >/dev/null || missing="$missing unzip"
command -v pdftotext >/dev/null || missing="$missing poppler-utils"
command -v npm >/dev/null || missing="$missing nodejs npm"
if [ -n "$missing" ]; then
    echo "installing:$missing"
    run=""
    [ "$(id -u)" = 0 ] || run="sudo"
    $run apt-get update -qq
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive $run apt-get install -y -qq --no-install-recommends $missing >/dev/null
fi
for check in gltf/node_modules/gltf-validator gltf/node_modules/three axe/node_modules/axe-core; do
    [ -d "$check" ] || (cd "${check%%/*}" && npm install --no-save --silent --ignore-scripts)
done

#!/bin/sh
# Makes everything in ../static that comes from npm packages, and notes what it was made from.
set -eu
cd "$(dirname "$0")"
# Not `npm ci`: it refuses a lock file that names no registry, and ours is to name none.
npm install --no-save --silent --ignore-scripts
npx tailwindcss -i input.css -o ../kit/static/app.css --minify
cp node_modules/htmx.org/dist/htmx.min.js ../kit/static/htmx.min.js
cp node_modules/htmx-ext-sse/dist/sse.min.js ../kit/static/htmx-sse.min.js 2>/dev/null ||
    cp node_modules/htmx-ext-sse/sse.js ../kit/static/htmx-sse.min.js
cp node_modules/idiomorph/dist/idiomorph-ext.min.js ../kit/static/htmx-morph.min.js
for f in latin latin-ext; do
    cp "node_modules/@fontsource-variable/schibsted-grotesk/files/schibsted-grotesk-$f-wght-normal.woff2" \
        ../kit/static/fonts/
    cp "node_modules/@fontsource-variable/red-hat-mono/files/red-hat-mono-$f-wght-normal.woff2" ../kit/static/fonts/
done
cd .. && REELHOUSE_STYLE_SUM=write go test -count=1 -run TestStylesAreFresh . >/dev/null

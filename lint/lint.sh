#!/bin/sh
# Checks Go with staticcheck, scripts with eslint, and how scripts and styles are laid out with prettier; with --write
# it lays them out.
set -eu
cd "$(dirname "$0")"
# Not `npm ci`: it refuses a lock file that names no registry, and ours is to name none.
npm install --no-save --silent --ignore-scripts
cd ..
tools=lint/node_modules/.bin
scripts=$(ls web/kit/static/*.js web/stations/*/*.js | grep -v "\.min\.js$")
if [ "${1:-}" = --write ]; then
    $tools/prettier --config lint/.prettierrc.json --log-level warn --write $scripts web/style/input.css lint/*.js
fi
$tools/eslint --max-warnings 0 --config lint/eslint.config.js $scripts
$tools/prettier --config lint/.prettierrc.json --log-level warn --check $scripts web/style/input.css lint/*.js
go tool staticcheck ./...

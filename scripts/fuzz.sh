#!/bin/sh
# Runs every fuzz test for a while (60s, or what FUZZTIME says). Coverage of parsers that use all cores differs
# from run to run, so inputs are not minimised for it.
set -eu
cd "$(dirname "$0")/.."
grep -rl --include='*_test.go' '^func Fuzz' . | while read -r file; do
    for name in $(sed -n 's/^func \(Fuzz[A-Za-z0-9_]*\).*/\1/p' "$file"); do
        echo "$name in $(dirname "$file")"
        go test -run '^$' -fuzz "^$name\$" -fuzzminimizetime 1x -fuzztime "${FUZZTIME:-60s}" "$(dirname "$file")"
    done
done

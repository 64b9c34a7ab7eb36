#!/usr/bin/env bash
# Lets the fuzzer try the readers of what comes from outside, for so long each: fuzz.sh 30s. What it has found once stands beside the
# tests, which try that every time.
set -euo pipefail
cd "$(dirname "$0")/.."
for of in core/rulebook:FuzzRead core/courier:FuzzRead core/routing:FuzzRead formats/ical:FuzzRead formats/sru:FuzzRead formats/sru:FuzzAnswer formats/sheet:FuzzRead formats/iso18626:FuzzRead formats/marc:FuzzOpen; do
  go test "./${of%:*}" -run '^$' -fuzz "^${of#*:}\$" -fuzztime "${1:-10s}" -parallel 2 | tail -1
done

#!/usr/bin/env bash
# Ratios measured in one run on one machine: scans over HTTP next to a bare pgbench script that does the
# least SQL for the same effect; the rulebook at size next to a general rule engine and a plain scan;
# routing a hundred thousand holds next to first come first served and to GLPK;
# rehearsing a million loans next to the query that counts them; moving a tenth of a large library in next to a bare COPY of its files.
set -euo pipefail
cd "$(dirname "$0")/.."
# shellcheck source=scripts/private.sh
. scripts/private.sh "$(pwd)/.data/bench"
go build -o build/ ./bench/...
build/rules
build/moving
begin
NEVRIN_REQUESTS_PER_MINUTE=1000000 NEVRIN_LISTEN=127.0.0.1:0 build/nevrin demo --folder "$work" >"$work/said" 2>"$work/log" &
nevrin=$!
for _ in $(seq 900); do grep -q 'Mail of the demo' "$work/said" && break; sleep 0.1; done
build/bench "$(sed -n 's/^Nevrin is at //p' "$work/said")" "$nevrin" 1 8
quit
build/rehearsal
build/intake 10

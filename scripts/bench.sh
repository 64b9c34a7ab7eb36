#!/usr/bin/env bash
# Lending and taking back over HTTP on the demo data, next to a bare pgbench script that does the least SQL
# for the same effect, in one run on one machine. Prints scans a second, latency and ratios.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(pwd)/.data/bench
nevrin=
stop() {
  [ -z "$nevrin" ] || kill -TERM "$nevrin" 2>/dev/null || true
  [ -z "$nevrin" ] || wait "$nevrin" 2>/dev/null || true
  scripts/postgres.sh stop "$work"
}
trap stop EXIT
scripts/postgres.sh reset "$work"
DATABASE_URL=$(scripts/postgres.sh start "$work")
export DATABASE_URL
rm -f "$work/said"
NEVRIN_LISTEN=127.0.0.1:0 build/nevrin demo --folder "$work" >"$work/said" 2>"$work/log" &
nevrin=$!
for _ in $(seq 900); do grep -q 'Mail of the demo' "$work/said" && break; sleep 0.1; done
go run ./bench "$(sed -n 's/^Nevrin is at //p' "$work/said")" "$nevrin"

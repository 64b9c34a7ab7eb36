#!/usr/bin/env bash
# The large world, on a PostgreSQL of its own: makes it (some minutes, a few gigabytes under .data/large), then the night,
# every question that a screen asks, and scans at 1, 8 and 32 stations. "large.sh 10" makes a tenth of it.
set -euo pipefail
cd "$(dirname "$0")/.."
# shellcheck source=scripts/private.sh
. scripts/private.sh "$(pwd)/.data/large"
go build -o build/ ./cmd/... ./bench/...
begin '-c shared_buffers=2GB -c max_wal_size=8GB -c max_connections=100'
build/world "${1:-100}"
NEVRIN_REQUESTS_PER_MINUTE=1000000 NEVRIN_LISTEN=127.0.0.1:0 build/nevrin demo --folder "$work" >"$work/said" 2>"$work/log" &
nevrin=$!
for _ in $(seq 900); do grep -q 'Mail of the demo' "$work/said" && break; sleep 0.1; done
address=$(sed -n 's/^Nevrin is at //p' "$work/said")
build/operations "$address"
build/bench "$address" "$nevrin" 1 8 32
quit
build/notices

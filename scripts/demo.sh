#!/usr/bin/env bash
# Starts PostgreSQL and Nevrin with its demo data; stops both on Ctrl-C.
set -euo pipefail
cd "$(dirname "$0")/.."
# What this start did not start, such as the PostgreSQL of a demo that runs already, it does not stop.
scripts/postgres.sh running .data || trap 'scripts/postgres.sh stop .data' EXIT
trap 'exit 0' INT TERM
echo "Starting PostgreSQL; the first start makes the demo network, which takes a minute or less …"
DATABASE_URL=$(scripts/postgres.sh start .data)
export DATABASE_URL
NEVRIN_LISTEN=127.0.0.1:${PORT:-8080} build/nevrin demo --folder .data &
server=$!
trap 'kill -TERM $server 2>/dev/null || true; wait $server || true; exit 0' INT TERM
wait $server

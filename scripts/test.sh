#!/usr/bin/env bash
# Everything that is checked: Go tests over a private PostgreSQL, the front end's types, stories in the
# browser. "test.sh shots" takes the pictures of docs/screenshots instead of the tests, "test.sh pace" measures the front end.
set -euo pipefail
cd "$(dirname "$0")/.."
begun=$SECONDS
# What takes how long stands in the log.
took() {
  echo "[$((SECONDS - since)) s] $1"
  since=$SECONDS
}
since=$SECONDS
scripts/setup.sh test
took "What the machine needs"
make --no-print-directory build
took "The program is built"

# Databases are copied and dropped by the hundred, of a thousand small files each. Making and deleting those takes a disk as long
# as everything else together, so they lie in memory where there is plenty of it.
folder=$(pwd)/.data/test
in_memory() {
  local room free
  room=$(df --output=avail --block-size=1M /dev/shm 2>/dev/null | tail -1)
  free=$(awk '/^MemAvailable/ { print int($2 / 1024) }' /proc/meminfo)
  [ "${room:-0}" -ge 6000 ] && [ "${free:-0}" -ge 8000 ]
}
if in_memory; then
  folder=/dev/shm/nevrin-$(pwd | cksum | cut -d' ' -f1)
  mkdir -p "$folder"
fi

# shellcheck source=scripts/private.sh
. scripts/private.sh "$folder"
# Speed over safety: this cluster lives for one run of the tests.
begin '-c fsync=off -c synchronous_commit=off -c full_page_writes=off -c max_connections=300 -c max_wal_size=256MB'
case $folder in
/dev/shm/*) trap 'stop; rm -rf "$folder"' EXIT ;;
esac
export NEVRIN_TEST_DATABASE=$DATABASE_URL
build/nevrin demo --only-make --folder "$work"
took "The demo network is made"

if [ $# = 0 ]; then
  # With the race detector and all of go vet, the longest first, so that none of them is left alone at the end, and more of them at
  # once than there are processors, since they wait for the database and for clocks. Without what a debugger needs the test programs
  # link sooner. With CI set no test of the database is skipped.
  CI=${CI:-true} go test -p $(($(nproc) + 2)) -race -vet=all -ldflags='-s -w' -timeout 20m ./server ./app/holds ./...
  took "Go under the race detector"
  echo "What nothing calls, tests included"
  unused=$(go run golang.org/x/tools/cmd/deadcode@v0.52.0 -test ./...)
  [ -z "$unused" ] || { echo "$unused"; exit 1; }
  took "Nothing is unused"
  echo "Memory for each byte that readers of foreign input read, without the race detector"
  go test ./testkit/measure -v | grep -E 'memory for each byte|^ok|^FAIL|^---|Messages'
  took "Memory of readers"
  echo "The front end's parts alone; its types were checked when it was built"
  (cd web && npm run --silent test)
  took "The front end alone"
fi

if [ $# = 0 ]; then
  echo "Stories in the browser, each file in a house of its own"
  (cd e2e && npx playwright test --project=stories)
  took "Stories"
else
  DATABASE_URL=$DATABASE_URL NEVRIN_LISTEN=127.0.0.1:0 build/nevrin demo --folder "$work" >"$work/said" 2>"$work/log" &
  nevrin=$!
  for _ in $(seq 100); do grep -q 'Mail of the demo' "$work/said" 2>/dev/null && break; sleep 0.1; done
  NEVRIN_URL=$(sed -n 's/^Nevrin is at //p' "$work/said")
  export NEVRIN_URL
  (cd e2e && npx playwright test --project="$1")
fi
echo "All of it took $(((SECONDS - begun) / 60)) min $(((SECONDS - begun) % 60)) s."

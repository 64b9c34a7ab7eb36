#!/usr/bin/env bash
# Breaks things on purpose and prints what came of it: kills, a database that stops, freezes or has no room, slow clients, the
# clock set back, floods of sign-ins, hostile files, two copies at night; then sixteen sums over the books. Then stations that
# do everything at once, requests that make no sense, and a backup that is restored. Takes about twenty minutes; as root it has
# small disks of its own to fill, otherwise those parts are left out with a word.
set -euo pipefail
cd "$(dirname "$0")/.."
work=/var/tmp/nevrin-drill
go build -o build/ ./cmd/... ./bench/...
umount $work/db $work/mail 2>/dev/null || true
rm -rf $work
mkdir -p $work/db $work/mail
if ! mount -t tmpfs -o size=900m none $work/db 2>/dev/null || ! mount -t tmpfs -o size=4m none $work/mail; then
  echo "No small disks can be made here (that takes root); the drill needs them." >&2
  exit 1
fi
chmod 711 $work $work/db
finish() {
  scripts/postgres.sh stop $work/db || true
  umount $work/db $work/mail 2>/dev/null || true
}
trap finish EXIT
DATABASE_URL=$(PG_OPTIONS='-c max_wal_size=64MB -c restart_after_crash=on' scripts/postgres.sh start $work/db)
export DATABASE_URL
build/nevrin demo --only-make --folder $work/mail
build/drill "$(dirname "$(compgen -G '/usr/lib/postgresql/*/bin/postgres' | sort -V | tail -1)")" $work/db/pg $work/db $work/mail
finish
trap - EXIT
if [ "${1:-}" = short ]; then exit; fi
scripts/drill-tests.sh
go test -count=1 -run Backups -v ./cmd/nevrin | grep -v "^=== "

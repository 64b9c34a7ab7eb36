#!/usr/bin/env bash
# Backups with PostgreSQL's own tools: a base backup now and then, the write-ahead log in between, restored to any minute.
#
#   backup.sh archive FOLDER %p %f   as archive_command: keeps a part of the log, whole or not at all
#   backup.sh base FOLDER            a base backup of the cluster at DATABASE_URL, which can be restored by itself
#   backup.sh restore FOLDER TIME INTO   a new cluster in INTO as it was at TIME, or as late as there is for "latest"; prints its address
#   backup.sh sums                   the sums by which a restored database is checked against what was written down
#   backup.sh try                    all of it on a cluster of its own: back up, go on, lose everything, restore, compare
#
# Without an archive a base backup is restored as it was when it was made ("latest"), and to no later moment.
# In postgresql.conf:  archive_mode = on
#                      archive_command = '/…/scripts/backup.sh archive /mnt/backup %p %f'
# What was forgotten after a backup was made is still in it. Keep backups no longer than you have to, and forget again what
# was forgotten since, after a restore: the events say when (docs/security.md).
set -euo pipefail
here=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)
bin=$(dirname "$(compgen -G '/usr/lib/postgresql/*/bin/postgres' | sort -V | tail -1)")
owner() { if [ "$(id -u)" = 0 ]; then runuser -u postgres -- "$@"; else "$@"; fi; }

# The address of the same database on this machine, at another port.
here_at() { sed "s|@[^/]*/|@127.0.0.1:$1/|" <<<"$DATABASE_URL"; }

sums() {
  "$bin/psql" "$DATABASE_URL" -qAtX -F ' ' -c "
    SELECT 'ledger', count(*), coalesce(sum(amount), 0) FROM ledger
    UNION ALL SELECT 'balances', count(*), coalesce(sum(balance), 0) FROM patrons WHERE balance <> 0
    UNION ALL SELECT 'loans', count(*), count(*) FILTER (WHERE returned_at IS NULL) FROM loans
    UNION ALL SELECT 'holds', count(*), count(*) FILTER (WHERE closed_at IS NULL) FROM holds
    UNION ALL SELECT 'events', count(*), coalesce(max(id), 0) FROM events
    UNION ALL SELECT 'balances that no ledger explains', count(*), 0 FROM patrons p
      WHERE balance <> (SELECT coalesce(sum(amount), 0) FROM ledger WHERE patron_id = p.id)
    UNION ALL SELECT 'open loans without a place', count(*), 0 FROM loans l
      WHERE returned_at IS NULL AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = l.item_id AND w.ref = l.id)"
}

case ${1:-} in
archive)
  mkdir -p "$2/wal"
  [ ! -e "$2/wal/$4" ] || { cmp -s "$3" "$2/wal/$4" && exit 0 || { echo "$4 is there already and differs" >&2; exit 1; }; }
  cp "$3" "$2/wal/$4.part"
  sync "$2/wal/$4.part"
  mv "$2/wal/$4.part" "$2/wal/$4"
  ;;
base)
  mkdir -p "$2"
  to=$2/base-$(date -u +%Y%m%dT%H%M%SZ)
  # With the log of the time that it takes, so that it is whole without an archive. One that could not be restored is none.
  "$bin/pg_basebackup" -d "${DATABASE_URL%%\?*}?sslmode=disable" -D "$to" --checkpoint=fast --wal-method=stream --manifest-checksums=SHA256
  "$bin/pg_verifybackup" --quiet "$to" || { rm -rf "$to"; echo "The backup could not be restored and was thrown away" >&2; exit 1; }
  [ "$("$bin/psql" "$DATABASE_URL" -qAtXc 'SHOW archive_mode')" != off ] || echo "There is no archive: this backup is restored as it is now, and to no later moment" >&2
  echo "$to"
  ;;
restore)
  folder=$2 time=$3 into=$4
  [ "$time" = latest ] && wanted=9 || wanted=$(date -u -d "$time" +%Y%m%dT%H%M%SZ)
  base=$(for b in "$folder"/base-*; do n=${b##*base-}; [[ $n > $wanted ]] || echo "$b"; done | sort | tail -1)
  [ -n "$base" ] || { echo "No base backup in $folder is from before $time" >&2; exit 1; }
  [ ! -e "$into" ] || { echo "$into is there already; restore into a folder that is not" >&2; exit 1; }
  mkdir -p "$into"
  cp -a "$base/." "$into/"
  "$bin/pg_verifybackup" --quiet "$into" || { rm -rf "$into"; echo "$base is damaged and cannot be restored; another one is needed" >&2; exit 1; }
  rm -f "$into/postmaster.pid"
  cat >>"$into/postgresql.auto.conf" <<END
restore_command = 'cp "$folder/wal/%f" "%p"'
recovery_target_action = 'promote'
archive_mode = off
END
  [ "$time" = latest ] || echo "recovery_target_time = '$time'" >>"$into/postgresql.auto.conf"
  touch "$into/recovery.signal"
  [ "$(id -u)" != 0 ] || chown -R postgres: "$into"
  chmod 700 "$into"
  port=$(node -e 'const s=require("net").createServer().listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})')
  owner "$bin/pg_ctl" -D "$into" -w -t 600 -l "$into/log" -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories=" start >/dev/null || {
    tail -5 "$into/log" >&2
    ! grep -q 'recovery ended before configured recovery target' "$into/log" || echo "There is no log up to $time; \"latest\" restores as far as there is" >&2
    exit 1
  }
  for _ in $(seq 600); do
    [ "$("$bin/psql" "$(here_at $port)" -qAtXc 'SELECT pg_is_in_recovery()' 2>/dev/null)" != f ] || break
    sleep 0.2
  done
  last=$("$bin/psql" "$(here_at "$port")" -qAtXc 'SELECT pg_last_xact_replay_timestamp()')
  echo "The last change in it is of ${last:-the time of the backup}" >&2
  here_at "$port"
  ;;
sums) sums ;;
try)
  cd "$here/.."
  work=$(mktemp -d /var/tmp/nevrin-backup.XXXXXX)
  chmod 711 "$work"
  # shellcheck disable=SC2064
  trap "$here/postgres.sh stop '$work' 2>/dev/null; owner '$bin/pg_ctl' -D '$work/restored' -m immediate stop >/dev/null 2>&1; rm -rf '$work'" EXIT
  mkdir -p "$work/backup"
  install -m 755 "$here/backup.sh" "$work/archive.sh"
  [ "$(id -u)" != 0 ] || chown postgres: "$work/backup"
  DATABASE_URL=$(PG_OPTIONS="-c archive_mode=on -c archive_command='$work/archive.sh archive $work/backup %p %f'" "$here/postgres.sh" start "$work")
  export DATABASE_URL
  build/nevrin demo --only-make --folder "$work" >/dev/null
  begin=$("$here/backup.sh" sums)
  "$here/backup.sh" base "$work/backup" >/dev/null
  mkdir "$work/alone"
  cp -a "$work"/backup/base-* "$work/alone/" # as without an archive
  echo "Base backup: $(du -sh "$work"/backup/base-* | cut -f1)"
  sql() { "$bin/psql" "$DATABASE_URL" -qAtXc "$1"; }
  pay="WITH c AS (SELECT c.id, c.patron_id, c.about, sum(s.amount) AS owed FROM ledger c JOIN ledger s ON s.id = c.id OR s.settles = c.id
      WHERE c.kind = 'charge' GROUP BY c.id, c.patron_id, c.about HAVING sum(s.amount) > 0 LIMIT 25)
    INSERT INTO ledger (patron_id, kind, amount, settles, about, reason, at) SELECT patron_id, 'waiver', -owed, id, about, 'Tried', now() FROM c"
  sql "$pay" # after the base backup, so only the log has it
  sleep 1
  before=$("$here/backup.sh" sums)
  time=$(sql "SELECT clock_timestamp()")
  sleep 1
  sql "$pay" # what comes after that minute must not come back
  sql "DROP TABLE sessions CASCADE; UPDATE patrons SET legal_name = 'lost'" # and then somebody makes a mistake
  sql "SELECT pg_switch_wal()" >/dev/null
  for _ in $(seq 100); do [ "$(sql "SELECT last_archived_wal >= pg_walfile_name(pg_current_wal_lsn() - 1) FROM pg_stat_archiver")" != t ] || break; sleep 0.1; done
  begun=$SECONDS
  DATABASE_URL=$("$here/backup.sh" restore "$work/backup" "$time" "$work/restored")
  echo "Restored to $time in $((SECONDS - begun)) s"
  after=$("$here/backup.sh" sums)
  echo "$after"
  [ "$before" = "$after" ] || { echo "The sums differ; before the loss they were:" >&2; echo "$before" >&2; exit 1; }
  [ "$("$bin/psql" "$DATABASE_URL" -qAtXc "SELECT count(*) FROM patrons WHERE legal_name = 'lost'")" = 0 ]
  echo "The sums are those of that minute."

  # Without an archive: as it was when the backup was made, and nothing later; and a damaged backup is refused.
  ended() { owner "$bin/pg_ctl" -D "$1" -m immediate stop >/dev/null 2>&1 || true; }
  ended "$work/restored"
  ! "$here/backup.sh" restore "$work/alone" "$time" "$work/later" >/dev/null 2>"$work/said" || { echo "Restored past the end of the log" >&2; exit 1; }
  ended "$work/later"
  grep -q '"latest" restores as far as there is' "$work/said" || { cat "$work/said" >&2; exit 1; }
  DATABASE_URL=$("$here/backup.sh" restore "$work/alone" latest "$work/first" 2>/dev/null)
  [ "$begin" = "$("$here/backup.sh" sums)" ] || { echo "Without the archive the sums differ from those of the backup" >&2; exit 1; }
  ended "$work/first"
  printf x >>"$(find "$work"/alone/base-*/base -type f -size +1M | head -1)"
  ! "$here/backup.sh" restore "$work/alone" latest "$work/damaged" >/dev/null 2>"$work/said" || { echo "A damaged backup was restored" >&2; exit 1; }
  grep -q 'is damaged and cannot be restored' "$work/said"
  echo "Without an archive it is as it was when the backup was made; a damaged backup is refused."
  ;;
*) sed -n '2,9p' "$0" >&2; exit 2 ;;
esac

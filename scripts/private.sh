# A private PostgreSQL in a folder, for one run of a script; it and the Nevrin begun meanwhile (in $nevrin)
# end with the script. Source it with the folder, then begin.
work=$1
nevrin=
quit() {
  [ -z "$nevrin" ] || kill -TERM "$nevrin" 2>/dev/null || true
  [ -z "$nevrin" ] || wait "$nevrin" 2>/dev/null || true
  nevrin=
}
stop() {
  quit
  scripts/postgres.sh stop "$work"
}
begin() {
  trap stop EXIT
  scripts/postgres.sh reset "$work"
  DATABASE_URL=$(PG_OPTIONS=${1:-} scripts/postgres.sh start "$work")
  export DATABASE_URL
  rm -f "$work/said"
}

#!/usr/bin/env bash
# Installs what is missing on a Debian machine: PostgreSQL's server, Chromium, Node.js, Go.
# Quick and silent when everything is there. Runs as root or through sudo. "setup.sh test" installs what only the tests
# in the browser need, too.
set -euo pipefail
cd "$(dirname "$0")/.."

as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

need=()
compgen -G '/usr/lib/postgresql/*/bin/postgres' >/dev/null || need+=(postgresql)
command -v chromium-headless-shell >/dev/null || [ "${1:-}" != test ] || need+=(chromium-headless-shell)
command -v node >/dev/null || need+=(nodejs npm)
command -v go >/dev/null || need+=(golang-go)
command -v pdftotext >/dev/null || [ "${1:-}" != test ] || need+=(poppler-utils)
command -v yaz-marcdump >/dev/null || [ "${1:-}" != test ] || need+=(yaz)
command -v xmllint >/dev/null || [ "${1:-}" != test ] || need+=(libxml2-utils)
command -v glpsol >/dev/null || [ "${1:-}" != test ] || need+=(glpk-utils)
if [ ${#need[@]} -gt 0 ]; then
  echo "Installing ${need[*]} …"
  as_root apt-get update -qq
  # The packages' own cluster is not needed: Nevrin keeps a private one in the checkout.
  as_root mkdir -p /etc/postgresql-common
  [ -e /etc/postgresql-common/createcluster.conf ] || echo 'create_main_cluster = false' | as_root tee /etc/postgresql-common/createcluster.conf >/dev/null
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${need[@]}" >/dev/null
fi
# Modules come down while packages of the front end do; without a word that would look like standing still.
marker=build/.modules
if [ ! "$marker" -nt go.sum ]; then
  echo "Fetching Go modules …"
  go mod download &
  modules=$!
fi
parts=(web)
[ "${1:-}" != test ] || parts+=(e2e)
for dir in "${parts[@]}"; do
  if [ -f $dir/package-lock.json ] && [ ! $dir/node_modules/.package-lock.json -nt $dir/package-lock.json ]; then
    echo "Installing what $dir/ needs …"
    # Not "npm ci": it refuses a lock file that lacks packages for other systems, which not every mirror has.
    (cd $dir && npm install --no-save --no-audit --no-fund --loglevel=error && touch node_modules/.package-lock.json)
  fi
done
if [ -n "${modules:-}" ]; then
  wait "$modules"
  mkdir -p build && touch "$marker"
fi

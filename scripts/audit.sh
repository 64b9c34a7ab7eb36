#!/usr/bin/env bash
# Asks whether known weaknesses are in what is built in, and whether packages are signed by who published them. Where the
# lists cannot be reached, it says so and goes on.
set -uo pipefail
cd "$(dirname "$0")/.."
bad=0
said=$(go run golang.org/x/vuln/cmd/govulncheck@latest ./... 2>&1) && echo "Go modules: no known weakness." || {
  if grep -q 'Vulnerability #' <<<"$said"; then echo "$said"; bad=1; else echo "Go modules: skipped, the list of weaknesses cannot be reached ($(tail -1 <<<"$said" | cut -c1-120))."; fi
}
for dir in web e2e; do
  said=$(cd $dir && npm audit signatures 2>&1) && echo "$dir: signatures are right." || {
    if grep -qiE 'invalid|missing' <<<"$said"; then echo "$said"; bad=1; else echo "$dir: signatures skipped, the keys cannot be reached ($(grep -v '^npm warn' <<<"$said" | tail -1 | cut -c1-120))."; fi
  }
done
exit $bad

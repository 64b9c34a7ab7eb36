#!/usr/bin/env bash
# Asks whether known weaknesses are in what is built in, and whether packages are signed by who published them. Where the
# lists cannot be reached, it says so and goes on. First it lists all packages with version and licence (CycloneDX) in build/sbom, so
# that others can ask.
set -uo pipefail
cd "$(dirname "$0")/.."
bad=0
mkdir -p build/sbom
if go run github.com/CycloneDX/cyclonedx-gomod/cmd/cyclonedx-gomod@v1.9.0 mod -json -licenses -output build/sbom/go.json . 2>/dev/null; then
  echo "Go modules: $(grep -c '"purl"' build/sbom/go.json) listed in build/sbom/go.json."
else
  echo "Go modules: the list could not be written."; bad=1
fi
for dir in web e2e; do
  if (cd $dir && npm sbom --sbom-format cyclonedx) >build/sbom/$dir.json 2>/dev/null; then
    echo "$dir: $(grep -c '"purl"' build/sbom/$dir.json) packages listed in build/sbom/$dir.json."
  else
    echo "$dir: the list could not be written."; bad=1
  fi
done
said=$(go run golang.org/x/vuln/cmd/govulncheck@latest ./... 2>&1) && echo "Go modules: no known weakness." || {
  if grep -q 'Vulnerability #' <<<"$said"; then echo "$said"; bad=1; else echo "Go modules: skipped, the list of weaknesses cannot be reached ($(tail -1 <<<"$said" | cut -c1-120))."; fi
}
for dir in web e2e; do
  said=$(cd $dir && npm audit signatures 2>&1) && echo "$dir: signatures are right." || {
    if grep -qiE 'invalid|missing' <<<"$said"; then echo "$said"; bad=1; else echo "$dir: signatures skipped, the keys cannot be reached ($(grep -v '^npm warn' <<<"$said" | tail -1 | cut -c1-120))."; fi
  }
done
exit $bad

#!/usr/bin/env bash
# The long forms of tests that break things: stations that do everything at once, and requests that make no sense.
set -euo pipefail
cd "$(dirname "$0")/.."
# shellcheck source=scripts/private.sh
. scripts/private.sh "$(pwd)/.data/drill"
begin '-c fsync=off -c max_connections=300'
build/nevrin demo --only-make --folder "$work"
go test ./testkit/measure -v | grep -E 'memory for each byte|^ok|^FAIL|^---'
export NEVRIN_TEST_DATABASE=$DATABASE_URL NEVRIN_LONG=1
go test ./app/staff -run TestStaffSignInUnderAFlood -v | grep -E 'under a flood|^ok|^FAIL|^---'
go test ./app/jobs ./app/night -run 'TakenOver|HasLostIt|KilledInEachStep' -v | grep -E '^ok|^FAIL|^---'
go test ./server -run 'BehindAProxy|OfOneClient' -v | grep -E '^ok|^FAIL|^---'
go test ./server -run TestRequestsThatMakeNoSense -v | grep -E 'requests to|^ok|^FAIL|^---'
go test -race ./cmd/nevrin -run 'Linearizable|KilledInTheMiddle' -v -timeout 30m | grep -E 'deeds in|^ok|^FAIL|^---'

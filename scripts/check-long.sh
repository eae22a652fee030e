#!/usr/bin/env bash
# The tests in full, and those that several clients share under the race detector.
set -euo pipefail
cd "$(dirname "$0")/.."
# Three minutes of a click against the beat that is shown, beside the rest.
go test -timeout 20m ./web -run TestDrift -v > /tmp/stepping-drift.$$ 2>&1 & drift=$!
go test -timeout 30m ./core/... ./formats/... ./cmd/... ./faults
go test -race -timeout 20m ./jobs ./store ./web/desk
go test -race -short -timeout 20m ./web -run 'TestSharedPlan|TestRequests|TestWaiting|TestForeignWrites|TestLimits|TestWalls|TestSignIn$|TestUpload$|TestEverything|TestBodies|TestRestored'
# Every page in both looks with its colours, learning, typing at a player's pace, extreme values, long tunes beside short ones.
go test -timeout 20m ./web -run 'TestEveryPage|TestWay$|TestSitting|TestFollow$|TestRecording|TestLongTune|TestLoop|TestTunerGoesOn|TestTaste|TestNeckByKeyboard|TestExtremes|TestShortBesideLong|TestTenThousandTunes|TestRankingElsewhere' -v |
  grep -aE 'figure|^---|_test.go:|FAIL|^ok'
wait "$drift" || { cat /tmp/stepping-drift.$$; exit 1; }
grep -a figure /tmp/stepping-drift.$$; rm /tmp/stepping-drift.$$
# Known faults of what we build on, where their list can be reached.
if curl -fsS -m 10 -o /dev/null https://vuln.go.dev/index/db.json 2>/dev/null; then
  go run golang.org/x/vuln/cmd/govulncheck@latest ./...
else
  echo "the list of known faults cannot be reached from here: not looked at"
fi

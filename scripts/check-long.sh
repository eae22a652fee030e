#!/usr/bin/env bash
# The tests in full, and those that several clients share under the race detector.
set -euo pipefail
cd "$(dirname "$0")/.."
go test -timeout 30m ./core/... ./formats/... ./cmd/...
go test -race -timeout 20m ./jobs ./store
go test -race -short -timeout 20m ./web -run 'TestSharedPlan|TestRequests|TestPlanCache|TestForeignWrites|TestLimits|TestWalls|TestSignIn'
go test -timeout 20m ./web -run 'TestExtremes|TestShortBesideLong|TestThousandTunes' -v | grep -aE 'figure|^---|FAIL|^ok'
# Known faults of what we build on, where their list can be reached.
if curl -fsS -m 10 -o /dev/null https://vuln.go.dev/index/db.json 2>/dev/null; then
  go run golang.org/x/vuln/cmd/govulncheck@latest ./...
else
  echo "the list of known faults cannot be reached from here: not looked at"
fi

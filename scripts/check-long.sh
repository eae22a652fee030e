#!/usr/bin/env bash
# The tests in full, and those that several clients share under the race detector.
set -euo pipefail
cd "$(dirname "$0")/.."
go test -timeout 30m ./core/... ./formats/... ./cmd/...
go test -race -timeout 20m ./jobs ./store
go test -race -short -timeout 20m ./web -run 'TestSharedPlan|TestRequests|TestPlanCache|TestForeignWrites|TestLimits'

#!/usr/bin/env bash
# Every check, and the tests in their short form: what a change is measured by.
set -euo pipefail
cd "$(dirname "$0")/.."
unformatted=$(gofmt -l $(git ls-files '*.go'))
[ -z "$unformatted" ] || { echo "not gofmt-ed: $unformatted" >&2; exit 1; }
go mod tidy -diff || { echo "go.mod is not tidy: run go mod tidy" >&2; exit 1; }
wide=$(awk 'length($0) > 160 {print FILENAME ":" FNR}' web/templates/*)
[ -z "$wide" ] || { echo "template lines over 160 characters: $wide" >&2; exit 1; }
wide=$(git ls-files '*.go' | grep -v _test.go | xargs awk 'length($0) > 150 && !/["`]/ {print FILENAME ":" FNR}')
[ -z "$wide" ] || { echo "Go lines over 150 characters that hold no text: $wide" >&2; exit 1; }
go vet ./...
go tool staticcheck ./...
go test -short -timeout 10m ./...

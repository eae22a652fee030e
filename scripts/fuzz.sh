#!/usr/bin/env bash
# Runs every fuzz target for a while (20 s each, or as $1 says). What one finds is kept under testdata/fuzz, where the tests read it from then on.
set -euo pipefail
cd "$(dirname "$0")/.."
time=${1:-20s}
grep -rl --include='*_test.go' '^func Fuzz' . | while read -r file; do
  for target in $(grep -o '^func Fuzz[A-Za-z]*' "$file" | cut -d' ' -f2); do
    echo "$file $target"
    go test "$(dirname "$file")" -run '^$' -fuzz "^$target\$" -fuzztime "$time"
  done
done

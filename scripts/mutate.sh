#!/usr/bin/env bash
# Changes the code a little, one change at a time, and says which changes no short test notices.
# The list stands in scripts/mutate/list.txt; 40 more are drawn, anew with: scripts/mutate.sh -seed N
set -euo pipefail
cd "$(dirname "$0")/.."
exec go run ./scripts/mutate "$@"

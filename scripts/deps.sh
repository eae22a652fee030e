#!/usr/bin/env bash
# Installs the named Debian packages that are missing, as root or with sudo; otherwise says
# what to run. Never starts or touches a system service.
set -euo pipefail
command -v go >/dev/null || { echo "Go is missing: install Go 1.26 or newer, then run this again." >&2; exit 1; }
missing=()
for p in "$@"; do
  dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'ok installed' || missing+=("$p")
done
[ ${#missing[@]} -eq 0 ] && exit 0
run=()
if [ "$(id -u)" -ne 0 ]; then
  if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
    run=(sudo)
  else
    echo "Missing: ${missing[*]}. Run this, then try again:" >&2
    echo "  sudo apt-get update && sudo apt-get install -y --no-install-recommends ${missing[*]}" >&2
    exit 1
  fi
fi
echo "Installing ${missing[*]} …"
# Packages must not start services of their own: the program starts its own server.
policy=/usr/sbin/policy-rc.d
made=
if [ ! -e "$policy" ]; then
  printf '#!/bin/sh\nexit 101\n' | "${run[@]}" tee "$policy" >/dev/null
  "${run[@]}" chmod +x "$policy"
  made=1
fi
trap '[ -n "$made" ] && "${run[@]}" rm -f "$policy"' EXIT
"${run[@]}" apt-get update -qq
"${run[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null

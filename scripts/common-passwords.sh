#!/bin/sh
# Makes account/common.bin anew from the list of common passwords of the npm package @zxcvbn-ts/language-common (MIT):
# the first eight bytes of the SHA-256 of each of at least eight characters, in lower case, sorted.
set -eu
out=$(cd "$(dirname "$0")/.." && pwd)/account/common.bin
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
npm init -y >/dev/null
npm install --silent @zxcvbn-ts/language-common@4.1.3
node -e '
const { dictionary } = require("@zxcvbn-ts/language-common");
const { createHash } = require("crypto");
const words = [...new Set([...dictionary["passwords-common"]].map((w) => w.toLowerCase()))].filter((w) => w.length >= 8);
const hashes = words.map((w) => createHash("sha256").update(w).digest().subarray(0, 8)).sort(Buffer.compare);
require("fs").writeFileSync(process.argv[1], Buffer.concat(hashes));
console.log(words.length + " passwords, " + words.filter((w) => w.length >= 10).length + " of ten characters or more");
' "$out"

#!/usr/bin/env bash
# Copies the front-end packages we ship into the tree, with their licences and a list of
# versions. Run it again after changing a version; the copies are committed.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
out=web/static/vendor
tests=web/testdata/vendor
mkdir -p "$out" "$tests"
bootstrap=5.3.9 alpine=3.17.4 font=5.3.0 morphdom=2.7.8 sha=1.0.0 abcjs=6.7.2 axe=4.14.1
(cd "$work" && npm init -y >/dev/null && npm install --silent --no-audit --no-fund --ignore-scripts \
  bootstrap@$bootstrap @alpinejs/csp@$alpine @fontsource/atkinson-hyperlegible@$font morphdom@$morphdom js-sha256@$sha abcjs@$abcjs axe-core@$axe)
m="$work/node_modules"
cp "$m/bootstrap/dist/css/bootstrap.min.css" "$out/bootstrap.min.css"
sed -i 's#/\*\# sourceMappingURL=.*\*/##' "$out/bootstrap.min.css"
cp "$m/bootstrap/LICENSE" "$out/LICENSE.bootstrap"
cp "$m/@alpinejs/csp/dist/cdn.min.js" "$out/alpine-csp.min.js"
printf 'Alpine.js (@alpinejs/csp %s): MIT License, Copyright Caleb Porzio and contributors.\nFull text: https://opensource.org/license/mit\n' $alpine > "$out/LICENSE.alpine"
cp "$m/morphdom/dist/morphdom-umd.min.js" "$out/"
cp "$m/morphdom/LICENSE" "$out/LICENSE.morphdom"
cp "$m/js-sha256/build/sha256.min.js" "$out/"
cp "$m/js-sha256/LICENSE.txt" "$out/LICENSE.js-sha256"
cp "$m/abcjs/dist/abcjs-basic-min.js" "$out/"
cp "$m/abcjs/LICENSE.md" "$out/LICENSE.abcjs"
for w in 400 700; do
  cp "$m/@fontsource/atkinson-hyperlegible/files/atkinson-hyperlegible-latin-$w-normal.woff2" "$out/"
done
cp "$m/@fontsource/atkinson-hyperlegible/LICENSE" "$out/LICENSE.atkinson-hyperlegible"
cp "$m/axe-core/axe.min.js" "$tests/axe.min.js"
cp "$m/axe-core/LICENSE" "$tests/LICENSE.axe-core"
cat > "$out/VERSIONS.md" <<EOF
Front-end packages from npm, copied by scripts/vendor-assets.sh:
bootstrap $bootstrap (MIT) · @alpinejs/csp $alpine (MIT) · @fontsource/atkinson-hyperlegible $font (OFL-1.1) · morphdom $morphdom (MIT) · js-sha256 $sha (MIT) · abcjs $abcjs (MIT)
For tests only, in web/testdata/vendor: axe-core $axe (MPL-2.0)
EOF

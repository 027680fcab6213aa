#!/bin/bash
# Writes the reference of the library as pages, and fails at any warning and any dead link. Use: reference.sh [OUT]
set -euo pipefail
cd "$(dirname "$0")/.."
out=${1:-build/reference}
mkdir -p "$out"
mathjax=/usr/share/javascript/mathjax
# Headers that a program includes, and what those include.
headers=$(python3 scripts/public_headers.py)
input="src/renth/renth.hpp $headers docs/reference/library.md docs/reference/formulas.dox docs/guide.md docs/study-file.md docs/metamodels.md docs/regression.md docs/running.md docs/mistakes.md docs/model-file.md docs/performance.md docs/tutorial-tool.md docs/tutorial-library.md docs/tutorial-python.md"
sed -e "s|@INPUT@|$input|" -e "s|@OUTPUT@|$out|" -e "s|@MATHJAX@|$mathjax|" docs/reference/Doxyfile >"$out/Doxyfile"
doxygen "$out/Doxyfile"
mkdir -p "$out/html/screenshots"  # what guides show and point at besides
cp docs/screenshots/*.png "$out/html/screenshots/"
cp docs/*.md "$out/html/"
cp -r examples "$out/"
mkdir -p "$out/tests"
cp -r tests/mistakes "$out/tests/"
# Private classes within others are left out, but not the summary's link to them.
grep -L 'name="nested-classes"' "$out"/html/class*.html | xargs sed -i 's|<a href="#nested-classes">Classes</a> &#124;||; s|<a href="#nested-classes">Classes</a>||'
python3 scripts/check_links.py "$out/html"
python3 scripts/check_links.py README.md CONTRIBUTING.md CHANGELOG.md docs/*.md docs/reference/*.md

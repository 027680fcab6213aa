#!/bin/sh
# Runs clang-tidy over the product's code (some minutes), or over the files named.
set -eu
cd "$(dirname "$0")/.."
cmake --preset tidy >/dev/null
files=${*:-$(git ls-files 'src/*.cpp' 'demo/*.cpp' 'examples/*.cpp')}
# shellcheck disable=SC2086
echo $files | tr ' ' '\n' | xargs -P "$(nproc)" -n 4 clang-tidy --quiet -p build/tidy

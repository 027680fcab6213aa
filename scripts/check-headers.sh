#!/bin/sh
# Compiles every header that a program built on the library includes by itself: none needs another before it.
# What only the tool uses (its documents, figures, processes) is left out. <renth/renth.hpp> has what
# cmake/public-headers.txt lists, no more and no less.
set -eu
cd "$(dirname "$0")/.."
listed=$(grep -v '^#' cmake/public-headers.txt | cut -d ' ' -f 2 | sort)
included=$(sed -n 's|^#include <renth/\(.*\)>|\1|p' src/renth/renth.hpp | grep -v '^version.hpp$' | sort)
if [ "$listed" != "$included" ]; then
  echo "src/renth/renth.hpp and cmake/public-headers.txt differ" >&2
  exit 1
fi
includes=$(pkg-config --cflags eigen3 openblas)
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
git ls-files --cached --others --exclude-standard 'src/renth/*.hpp' | sort -u |
  grep -vE '^src/renth/(solver|running|document|figure|report|export|cli)/' >"$scratch/headers"
export includes
# shellcheck disable=SC2016
xargs -P "$(nproc)" -n 1 sh -c '
  echo "#include <${1#src/}>" | g++ -std=c++20 -fsyntax-only -DFMT_HEADER_ONLY -Isrc $includes -x c++ - || {
    echo "$1 does not compile by itself" >&2
    exit 255
  }' header <"$scratch/headers"
echo "$(wc -l <"$scratch/headers") headers compile by themselves"

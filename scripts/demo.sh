#!/bin/sh
# Installs what is needed, builds, and runs the whole demonstration into the folder buoy-demo (or the one named).
set -eu
here=$(cd "$(dirname "$0")/.." && pwd)
folder=${1:-buoy-demo}
"$here/scripts/install-packages.sh" --without-tests
echo "Building (a few minutes the first time) …"
cmake -S "$here" -B "$here/build/demo" -G Ninja -DCMAKE_BUILD_TYPE=Release -DRENTH_BUILD_TESTS=OFF \
  -DCMAKE_UNITY_BUILD=ON -DCMAKE_UNITY_BUILD_BATCH_SIZE=6 >/dev/null
cmake --build "$here/build/demo" --target renth buoy-solver | tail -n 1
rm -rf "$folder"
"$here/build/demo/renth" demo "$folder"
echo "(renth is in $here/build/demo: export PATH=$here/build/demo:\$PATH)"

#!/bin/bash
# Installs what is needed, builds with warnings as errors, and runs the tests.
set -euo pipefail
here=$(cd "$(dirname "$0")/.." && pwd)
"$here/scripts/install-packages.sh"
cd "$here"
cmake --preset ci >/dev/null
cmake --build --preset ci | tail -n 3
ctest --test-dir build/ci -j 2 --output-on-failure

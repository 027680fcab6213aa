#!/bin/bash
# What takes too long for every change: the benches built with warnings as errors, the tests that take minutes, the
# sanitizers and the fuzz targets. An hour and more.
set -euo pipefail
cd "$(dirname "$0")/.."
./scripts/install-packages.sh libclang-rt-14-dev
cmake --preset release -DRENTH_WARNINGS_AS_ERRORS=ON >/dev/null
cmake --build --preset release | tail -n 1
for layer in core study cli; do build/release/tests/test-$layer --test-suite=minutes; done
./scripts/sanitize.sh
./scripts/fuzz.sh 300

#!/bin/bash
# Builds with the address and undefined-behaviour sanitizers and runs the tests; arguments go to ctest, such as
# -R study. Some fifteen minutes: for before a change is handed in, not for every one.
set -euo pipefail
cd "$(dirname "$0")/.."
cmake --preset asan -DRENTH_WARNINGS_AS_ERRORS=ON >/dev/null
cmake --build --preset asan | tail -n 2
# LeakSanitizer cannot work where processes are traced, as in some containers.
ASAN_OPTIONS=detect_leaks=0 ctest --test-dir build/asan -j 2 --output-on-failure "$@"

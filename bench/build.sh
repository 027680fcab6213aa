#!/bin/bash
# What building the demonstration's programs from nothing costs, as a ratio to compiling <Eigen/Dense> alone in the
# same run: processor seconds, so that what else the machine does matters little. Limit: 270. Use: bench/build.sh
set -euo pipefail
cd "$(dirname "$0")/.."
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
TIMEFORMAT="%U %S"
# Processor seconds of a command.
cost() { { time "$@" >"$scratch/log" 2>&1; } 2>&1 | awk '{print $1 + $2}'; }
echo '#include <Eigen/Dense>' >"$scratch/dense.cpp"
alone() {
  cost g++ -std=c++20 -O2 -I/usr/include/eigen3 -c "$scratch/dense.cpp" -o "$scratch/dense.o"
}
alone >/dev/null
before=$(alone)
part() { # name, targets
  local name=$1
  shift
  local seconds
  seconds=$(cost cmake --build "$scratch/build" -j 2 --target "$@")
  awk -v n="$name" -v s="$seconds" -v a="$before" 'BEGIN {printf "%-28s %7.1f s %6.0f times\n", n, s, s / a}'
  total=$(awk -v t="${total:-0}" -v s="$seconds" 'BEGIN {print t + s}')
}
cmake -S . -B "$scratch/build" -G Ninja -DCMAKE_BUILD_TYPE=Release -DRENTH_BUILD_TESTS=OFF -DCMAKE_UNITY_BUILD=ON \
  >/dev/null
part "what predicts" renth_predict
part "the core" renth_core
part "studies" renth_study
part "the tool and the solver" renth buoy-solver
part "the page and the modules" tool
after=$(alone)
awk -v t="$total" -v a="$before" -v b="$after" 'BEGIN {
  printf "%-28s %7.1f s %6.0f times (limit 270)\n", "all", t, 2 * t / (a + b)
  printf "<Eigen/Dense> alone: %.2f s before, %.2f s after\n", a, b}'

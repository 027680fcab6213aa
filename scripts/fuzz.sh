#!/bin/bash
# Throws made-up texts at everything that reads texts from elsewhere: scripts/fuzz.sh SECONDS [TARGET…], each target
# for so long. Needs clang with libFuzzer (apt-get install clang libclang-rt-14-dev). What was found stays in
# build/fuzz/found, what was learned in build/fuzz/corpus.
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:?scripts/fuzz.sh SECONDS [TARGET…]}
shift
targets=("$@")
[ $# -gt 0 ] || targets=(study_file table expression template output model_file surrogate)
cmake --preset fuzz >/dev/null
cmake --build build/fuzz --target fuzz-seeds "${targets[@]/#/fuzz-}" | tail -n 1
mkdir -p build/fuzz/found
for target in "${targets[@]}"; do
  corpus=build/fuzz/corpus/$target
  mkdir -p "$corpus"
  tests/fuzz/seeds.sh "$target" "$corpus"
  log=build/fuzz/$target.log
  status=0
  ASAN_OPTIONS=detect_leaks=0 "build/fuzz/tests/fuzz/fuzz-$target" -max_total_time="$seconds" -timeout=10 -rss_limit_mb=4096 \
    -max_len=20000 -print_final_stats=1 -artifact_prefix="build/fuzz/found/$target-" "$corpus" >"$log" 2>&1 || status=$?
  echo "$target: status $status, $(grep -c . <(ls "$corpus")) texts kept; $(grep -E 'number_of_executed_units|slowest' "$log" | tr -s ' \n' ' ')"
  [ $status -eq 0 ] || tail -n 30 "$log"
done

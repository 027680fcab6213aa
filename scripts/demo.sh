#!/bin/sh
# Installs what is needed, builds, and runs the whole demonstration into the folder buoy-demo (or the one named).
# The tool is built first and the demonstration begins with it, while the live page and what reads spreadsheets are
# built beside.
set -eu
here=$(cd "$(dirname "$0")/.." && pwd)
folder=${1:-buoy-demo}
build=$here/build/demo
began=$(date +%s)
say() { echo "[$(($(date +%s) - began)) s] $1"; }
stop() {
  echo "demo.sh: $1: $2: $3" >&2
  exit 1
}

# What would otherwise fail after minutes.
for place in "$here" "$(dirname "$folder")"; do
  [ -w "$place" ] || stop "this folder cannot be written" "$place" "use a copy of your own, or name another folder"
done
free=$(df -Pk "$here" | awk 'NR == 2 {print int($4 / 1024)}')
[ "$free" -ge 1000 ] || stop "only $free MB are free" "$here" "make room for 1000 MB"
[ ! -e "$folder" ] || [ -e "$folder/study.toml" ] ||
  stop "this is not a study and would be replaced" "$folder" "name another folder"

say "Installing Debian packages that are missing (half a minute to two minutes the first time)"
"$here/scripts/install-packages.sh" --without-tests || stop "packages could not be installed" \
  "scripts/packages.txt" "see what apt-get says above; it needs root, or sudo"
log=$(mktemp)
trap 'rm -f "$log"' EXIT
built() { cmake --build "$build" --target "$@"; }
say "Building the tool (some five minutes on two cores the first time)"
cmake -S "$here" -B "$build" -G Ninja -DCMAKE_BUILD_TYPE=Release -DRENTH_BUILD_TESTS=OFF \
  -DCMAKE_UNITY_BUILD=ON >"$log" 2>&1 || { cat "$log"; stop "it cannot be configured" "$build" "see above"; }
if [ -t 1 ]; then
  built renth buoy-solver || stop "it does not build" "$build" "see above"
else
  built renth buoy-solver >"$log" 2>&1 || { tail -n 40 "$log"; stop "it does not build" "$build" "see above"; }
fi

say "The demonstration; the live page is built beside it (a minute or two)"
built tool >"$log" 2>&1 &
rest=$!
trap 'kill $rest 2>/dev/null || true; rm -f "$log"' EXIT
rm -rf "$folder"
"$build/renth" demo "$folder"
say "Waiting for the live page"
wait "$rest" || { tail -n 40 "$log"; stop "the live page does not build; the rest works" "$build" "see above"; }
say "Done: renth is in $build: export PATH=$build:\$PATH"

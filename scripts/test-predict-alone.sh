#!/bin/bash
# Builds renth::predict with nothing but the compiler, the C and C++ libraries, Eigen and header-only packages in
# sight, and lets it predict what surrogates of every kind, fitted by the full build, do.
# Use: scripts/test-predict-alone.sh [folder of the full build]
set -euo pipefail
cd "$(dirname "$0")/.."
build=${1:-build/ci}
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
root=$scratch/root

# A root that holds these packages alone (libfmt9 because libfmt-dev looks for it). Headers are links; libraries are
# copies, since the linker follows links.
packages="libc6 libc6-dev linux-libc-dev libcrypt-dev libstdc++-12-dev libstdc++6 libgcc-12-dev libgcc-s1
          libeigen3-dev libboost1.74-dev libfmt-dev libfmt9 nlohmann-json3-dev doctest-dev"
mkdir -p "$root/lib64"
# shellcheck disable=SC2086
dpkg -L $packages | sort -u | grep -E '^/(usr/(include|lib|share/(cmake|eigen3|pkgconfig))|lib)' |
  while read -r file; do
    case $file in
      /usr/include/boost/* | /usr/include/eigen3/* | /usr/include/nlohmann/*) continue ;; # linked whole, below
    esac
    if [ -d "$file" ]; then
      mkdir -p "$root$file"
    elif [[ $file == /usr/include/* ]]; then
      mkdir -p "$root$(dirname "$file")"
      ln -sf "$file" "$root$file"
    else
      mkdir -p "$root$(dirname "$file")"
      cp -Pu "$file" "$root$file"
    fi
  done
for whole in boost eigen3 nlohmann; do
  rmdir "$root/usr/include/$whole" 2>/dev/null || true
  ln -s "/usr/include/$whole" "$root/usr/include/$whole"
done
[ -e "$root/lib" ] || ln -s usr/lib "$root/lib"

"$build/tests/write-surrogates" "$scratch/surrogates.json"
cmake -S . -B "$scratch/build" -G Ninja -DRENTH_PREDICT_ONLY=ON -DRENTH_WARNINGS_AS_ERRORS=ON \
  -DCMAKE_BUILD_TYPE=Release -DCMAKE_CXX_FLAGS_RELEASE="-O1 -DNDEBUG" -DCMAKE_SYSROOT="$root" -DCMAKE_FIND_ROOT_PATH="$root" \
  -DCMAKE_FIND_ROOT_PATH_MODE_PACKAGE=ONLY -DCMAKE_FIND_ROOT_PATH_MODE_INCLUDE=ONLY \
  -DCMAKE_UNITY_BUILD=ON >/dev/null
cmake --build "$scratch/build" | tail -n 1
"$scratch/build/tests/predict/alone/test-predict-alone" "$scratch/surrogates.json"

# No thread, no linear algebra but Eigen's, and of Eigen no function that was compiled for one processor and
# might be called on another.
library=$scratch/build/librenth-predict.a
if nm -C --undefined-only "$library" | grep -E 'pthread_create|cblas|LAPACKE|d(po|ge|tr)[a-z]+_|tbb::|nlopt|std::thread'; then
  echo "renth::predict needs more than it may" >&2
  exit 1
fi
if nm -C "$library" 2>/dev/null | awk '/^cholesky_x86/ {watched = 1; next} /^[^ ]*\.o:$/ {watched = 0}
    watched && / [WVu] / && !/Eigen_v[34]/ && !/__gxx_personality/' | grep .; then
  echo "a function compiled for one instruction set can be called by others" >&2
  exit 1
fi

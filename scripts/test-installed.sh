#!/bin/sh
# Installs the build of scripts/test.sh into a scratch folder and builds an example against it.
set -eu
cd "$(dirname "$0")/.."
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
cmake --install build/ci --prefix "$scratch/prefix" >/dev/null
cat > "$scratch/CMakeLists.txt" <<'CMAKE'
cmake_minimum_required(VERSION 3.25)
project(user LANGUAGES CXX)
find_package(renth REQUIRED)
add_executable(user surrogate.cpp)
target_link_libraries(user PRIVATE renth::core renth::study)
CMAKE
cp examples/surrogate.cpp "$scratch/"
cmake -S "$scratch" -B "$scratch/build" -G Ninja -DCMAKE_PREFIX_PATH="$scratch/prefix" >/dev/null
cmake --build "$scratch/build" | tail -n 1
"$scratch/build/user"
"$scratch/prefix/bin/renth" --version
# What is loaded only when it is needed is found where it was installed.
cd "$scratch"
"$scratch/prefix/bin/renth" init t --demo tank >/dev/null
"$scratch/prefix/bin/renth" -s t plan >/dev/null
"$scratch/prefix/bin/renth" -s t runs --export runs.xlsx

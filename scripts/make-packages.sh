#!/bin/bash
# Builds the Debian packages and puts them into build/packages; with --check it also looks at them with lintian, and
# installs, uses and removes them in a clean Debian root (debootstrap, as root; some minutes).
set -euo pipefail
cd "$(dirname "$0")/.."
build=build/packages
cmake -S . -B "$build" -G Ninja -DCMAKE_BUILD_TYPE=Release -DCMAKE_UNITY_BUILD=ON \
  -DCMAKE_INSTALL_PREFIX=/usr -DRENTH_BUILD_TESTS=OFF \
  -DCMAKE_EXE_LINKER_FLAGS="-Wl,-z,relro,-z,now" -DCMAKE_SHARED_LINKER_FLAGS="-Wl,-z,relro,-z,now" \
  -DCMAKE_MODULE_LINKER_FLAGS="-Wl,-z,relro,-z,now" >/dev/null
cmake --build "$build" | tail -n 1
if command -v doxygen >/dev/null; then ./scripts/reference.sh "$build/reference"; fi
rm -f "$build"/*.deb
(cd "$build" && cpack -G DEB | grep -E "generated|rror" || true)
ls "$build"/*.deb
[ "${1:-}" = --check ] || exit 0

apt-get install -y --no-install-recommends lintian debootstrap >/dev/null
lintian --fail-on error "$build"/*.deb
root=/var/tmp/renth-root
archive=/var/tmp/renth-bookworm.tar
if [ ! -f "$archive" ]; then
  rm -rf "$root"
  debootstrap --variant=minbase bookworm "$root" "${RENTH_MIRROR:-$(apt-get indextargets --format '$(SITE)' | sort -u | grep -v security | head -n 1)}" >/dev/null
  tar -C "$root" -cf "$archive" .
fi
rm -rf "$root"
mkdir -p "$root"
tar -C "$root" -xf "$archive"
cp /etc/apt/sources.list "$root/etc/apt/" 2>/dev/null || true
cp -r /etc/apt/sources.list.d /etc/apt/apt.conf.d /etc/apt/auth.conf.d "$root/etc/apt/" 2>/dev/null || true
cp /etc/resolv.conf /etc/hosts "$root/etc/" 2>/dev/null || true
cp -r /usr/local/share/ca-certificates /etc/ssl/certs "$root/etc/ssl/" 2>/dev/null || true
mkdir -p "$root/debs" "$root/work"
cp "$build"/*.deb "$root/debs/"
cp -r examples "$root/work/"
cat >"$root/work/check.sh" <<'SH'
set -eu
export DEBIAN_FRONTEND=noninteractive
apt-get update -qq
before=$(dpkg-query -f '${Package}\n' -W | sort)
apt-get install -y --no-install-recommends -qq /debs/*.deb g++ cmake ninja-build >/tmp/installed.log 2>&1 || { tail -n 20 /tmp/installed.log; exit 1; }
cd /work
renth --version
renth init buoy --demo tank >/dev/null
renth -s buoy plan >/dev/null
renth -s buoy run -q >/dev/null
renth -s buoy fit >/dev/null || [ $? = 1 ]
renth -s buoy export fmu -o b.fmu >/dev/null || [ $? = 1 ]
renth -s buoy runs --export runs.xlsx
test -s /usr/share/man/man1/renth.1.gz
python3 examples/python/plan_fit_seek.py | tail -n 1
python3 -c 'import renth; s = renth.Study("buoy"); print(s.model().responses, renth.__file__); s.export("fmu", "p.fmu")'
mkdir c
cat >c/CMakeLists.txt <<'CMAKE'
cmake_minimum_required(VERSION 3.25)
project(user LANGUAGES CXX)
find_package(renth REQUIRED COMPONENTS core)
add_executable(user /work/examples/plan_fit_seek.cpp)
target_link_libraries(user PRIVATE renth::core)
CMAKE
cmake -S c -B c/build -G Ninja >/dev/null
cmake --build c/build | tail -n 1
c/build/user | tail -n 1
apt-get purge -y -qq renth librenth-dev python3-renth renth-doc >/dev/null
left=$(find / -xdev \( -path /proc -o -path /sys -o -path /work -o -path /debs -o -path /tmp -o -path /var \) -prune -o -name '*renth*' -print)
[ -z "$left" ] || { echo "left behind: $left"; exit 1; }
echo "installed, used and removed in a clean root"
SH
mount --bind /proc "$root/proc" 2>/dev/null || true
trap 'umount "$root/proc" 2>/dev/null || true' EXIT
chroot "$root" sh /work/check.sh

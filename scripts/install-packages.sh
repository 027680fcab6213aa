#!/bin/sh
# Installs what scripts/packages.txt lists and is missing. As root, or with sudo.
# With --without-tests what comes after "# tests and checks" there is left out. Further words are packages too.
set -eu
file=$(dirname "$0")/packages.txt
list=$(grep -v '^#' "$file")
if [ "${1:-}" = --without-tests ]; then
  shift
  list=$(sed '/^# tests and checks/,$d' "$file" | grep -v '^#')
fi
missing=""
for package in $list "$@"; do
  # Some nodejs packages bring npm along, and rule out Debian's.
  [ "$package" = npm ] && command -v npm >/dev/null && continue
  dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing="$missing $package"
done
[ -z "$missing" ] && exit 0
sudo=""
[ "$(id -u)" = 0 ] || sudo=sudo
echo "Installing Debian packages:$missing"
export DEBIAN_FRONTEND=noninteractive
$sudo apt-get update -q >/dev/null
# shellcheck disable=SC2086
$sudo apt-get install -y -q --no-install-recommends $missing >/dev/null

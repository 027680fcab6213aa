#!/bin/sh
# Installs what scripts/packages.txt lists and is missing. As root, or with sudo.
set -eu
list=$(grep -v '^#' "$(dirname "$0")/packages.txt")
missing=""
for package in $list "$@"; do
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

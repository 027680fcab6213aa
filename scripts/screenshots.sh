#!/bin/sh
# Makes every picture in docs/screenshots from the demo study. Use: scripts/screenshots.sh [folder with renth]
set -eu
here=$(cd "$(dirname "$0")/.." && pwd)
"$here/scripts/install-packages.sh" poppler-utils xvfb xterm imagemagick fonts-dejavu-core
bin=$(cd "${1:-$here/build/demo}" && pwd)
out=$here/docs/screenshots
scratch=$(mktemp -d)
screen=
trap 'rm -rf "$scratch"; kill "$screen" 2>/dev/null || true' EXIT
cd "$scratch"
ln -s "$out" pictures
PATH=$bin:$PATH
export PATH
renth demo buoy >/dev/null
renth -s buoy draw importance-matrix -o pictures/importance-matrix.png
renth -s buoy draw slices --proposal 1 -o pictures/slices.png
renth -s buoy seek --front >/dev/null
renth -s buoy draw front -o pictures/front.png
renth -s buoy draw yield --accept "power>=40" "load<=115" -o pictures/yield.png
renth -s buoy draw window --accept "power>=35" -o pictures/window.png
renth -s buoy draw curve --proposal 1 -o pictures/curve.png
renth -s buoy draw contour --x damping --y draft --at plates=4,radius=5 -o pictures/contour.png

renth init tank --demo tank >/dev/null
renth -s tank plan central-composite --batch ccd >/dev/null
renth -s tank plan box-behnken --dry-run --json >bb.json

# The tank as the README goes through it.
renth init rig --demo tank >/dev/null
renth -s rig plan >/dev/null
renth -s rig run -q >/dev/null
renth -s rig fit polynomial --choose backward >/dev/null
for figure in residuals overlap; do
  renth -s rig draw $figure -o pictures/$figure.png >/dev/null
done

# The buoy without its limit: more of it fails.
renth init hard --demo buoy >/dev/null
sed -i '/^\[\[limit\]\]/,+1d' hard/study.toml
renth -s hard plan sobol --runs 256 >/dev/null
renth -s hard run -q >/dev/null || true
renth -s hard draw failures -o pictures/failures.png

# A copy is refined: the pictures below are of the study as the demo left it.
cp -r buoy refined
renth -s refined refine --until absorbed=0.9 --budget 12 --batch-size 6 >refine.txt 2>/dev/null || true

# The page, in Debian's Chromium.
renth -s buoy seek >/dev/null
renth -s buoy rank >/dev/null
renth -s buoy explore -o buoy.html >/dev/null
page() {  # picture, scenario, view
  RENTH_NODE_MODULES=$bin/web/node_modules RENTH_PICTURE=pictures/$1.png node "$here/tests/web/drive.mjs" "$scratch/buoy.html" "$2" ${3:-} >/dev/null
}
page page open
page page-dark dark
page page-fences view fences

# The report, on the screen and one page of it on paper.
renth -s buoy confirm >/dev/null || true
renth -s buoy tolerance --proposal 1 --accept "power>=40" "load<=115" >/dev/null || true
renth -s buoy window --accept "power>=35" >/dev/null || true
renth -s buoy report -o buoy-report.html >/dev/null
RENTH_NODE_MODULES=$bin/web/node_modules RENTH_PICTURE=pictures/report.png node "$here/tests/web/print.mjs" "$scratch/buoy-report.html" "$scratch/report.pdf" >/dev/null
pdftoppm -r 80 -f 3 -l 3 -singlefile -png report.pdf pictures/report-page

Xvfb :87 -screen 0 1280x800x24 >/dev/null 2>&1 &
screen=$!
sleep 1
shot() {  # name, command, seconds that it may take
  DISPLAY=:87 xterm -geometry 140x41+0+0 -fa 'DejaVu Sans Mono' -fs 11 -bg white -fg '#22303c' +sb \
    -e sh -c "cd $scratch/buoy && $2; sleep $((${3:-4} + 2))" &
  sleep "${3:-4}"
  DISPLAY=:87 import -window root pictures/$1.png
  wait $! || true
}
shot terminal "echo '\$ renth trust --response power'; renth trust --response power; echo '\$ renth confirm'; renth confirm; echo '\$ renth refine --until absorbed=0.9 --budget 12 --batch-size 6'; cat ../refine.txt"
shot seek "echo '\$ renth seek --scenario sheltered --proposals 2'; renth seek --scenario sheltered --proposals 2" 12
shot assess "echo '\$ renth assess --against bb.json'; renth -s ../tank assess --against ../bb.json"
shot running "cd ../hard; echo '\$ renth run --dry-run --retry-failed'; renth run --dry-run --retry-failed | head -16; echo '\$ renth runs --failures'; renth runs --failures"
ls -l "$out"

#!/bin/bash
# Texts to begin from: those of the tests, the demonstration and the examples. seeds.sh TARGET FOLDER
set -euo pipefail
cd "$(dirname "$0")/../.."
target=$1 to=$2
put() { printf '%b' "$2" >"$to/seed-$1"; }
case $target in
  study_file)
    n=0
    for file in tests/studies/bad/*.toml tests/studies/*/study.toml examples/*/study.toml demo/*.toml; do
      [ -e "$file" ] && [ "$(stat -c %s "$file")" -lt 20000 ] && cp "$file" "$to/seed-$((n = n + 1))"
    done
    awk '/^constexpr const char\* buoy_study = R"toml\(/ {on = 1; sub(/.*R"toml\(/, "")} on && /^\)toml"/ {exit} on' \
      src/renth/workflow/new_study.cpp >"$to/seed-buoy"
    ;;
  table)
    put comma 'a,b,y\n1,2,"x, ""y"""\n3,4.5e-3,-\n'
    put semicolon 'H\xf6he (m);y\r\n1,5;=1+1\r\n'
    put blanks '# t  load\n 0   1.5\n 10  9.25\n'
    put utf16 '\xff\xfea\x00,\x00b\x00\n\x001\x00,\x002\x00\n\x00'
    ;;
  expression)
    n=0
    while read -r line; do put $((n = n + 1)) "$line"; done <<'LINES'
a + b * 2.5e-3 ^ 2 - -a
hull == 'steel' ? sqrt(abs(a)) : width(c, 3)
a <= 2.2 * b && !(b > 1 || a == b)
max(c, 1, 3) + argmin(c) - at(c, 1.5) + mean(c)
atan2(a, b) + min(a, b, 3) + round(a) % 2
LINES
    ;;
  template)
    put plain 'r {{radius:%8.3f}} {{ hull }} {{2 * radius:%.6e}}\n{{hull == "steel" ? 1 : 2:%d}} {{depth}}'
    put wide '{{radius:%-999.99f}}{{hull:%20s}}'
    ;;
  output)
    put json '\x00{"power": 1.25, "curve": [3, 4, 5], "a": [{"power": 2}], "c": [1, 2], "t": [0, 5]}'
    put nested '\x02{"a": [{"power": 2}], "c": [1, 2, 3], "t": [0, 2, 5]}'
    put csv '\x03rubbish\nPower,c,t\n1,2,0\n1.5,3,9\n'
    put csv2 '\x01power,curve_1,curve_2,curve_3\n1,2,3,4\n'
    put table '\x04# t c\n 0 1.5\n 10 9.25\n'
    put at '\x05t c\n0 1.5\n10 9.25\n'
    put pattern '\x06P = 9\nt=1 c=2\nt=4 c=3\nP = 1.25\n'
    put number '\x07 1.5 \nxxxxxxxxxxxxxxxxxxxxxxxxxxxx'
    ;;
  model_file | surrogate)
    "${3:-build/fuzz}/tests/fuzz/fuzz-seeds" "$target" "$to"
    ;;
esac

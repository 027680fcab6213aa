"""Prints the headers that are installed: those of cmake/public-headers.txt, and what they include."""

import pathlib
import re

root = pathlib.Path(__file__).resolve().parent.parent
left = [line.split()[1] for line in (root / "cmake/public-headers.txt").read_text().splitlines() if line and line[0] != "#"]
found = []
while left:
    header = left.pop(0)
    if header in found:
        continue
    found.append(header)
    left += re.findall(r"^#include <renth/([^>]+)>", (root / "src/renth" / header).read_text(), re.M)
print(" ".join(f"src/renth/{header}" for header in sorted(found)))

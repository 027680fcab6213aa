"""Prints the blocks of one language in a Markdown file, one after another. Use: code_blocks.py FILE.md LANGUAGE"""

import re
import sys

text = open(sys.argv[1], encoding="utf-8").read()
print("".join(re.findall(r"^```" + re.escape(sys.argv[2]) + r"\n(.*?)^```", text, re.M | re.S)), end="")

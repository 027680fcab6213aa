"""Says every link of the pages in a folder, or of Markdown files, that leads nowhere. Use: check_links.py FOLDER|FILE.md…"""

import html.parser
import pathlib
import re
import sys
import urllib.parse


class Page(html.parser.HTMLParser):
    def __init__(self, text):
        super().__init__()
        self.links, self.anchors = [], set()
        self.feed(text)

    def handle_starttag(self, tag, attributes):
        for name, value in attributes:
            if name in ("id", "name"):
                self.anchors.add(value)
            if (name, tag) in (("href", "a"), ("href", "link"), ("src", "img"), ("src", "script")) and value:
                self.links.append(value)


def anchors_of_markdown(text):
    """As headings become anchors where Markdown is shown."""
    headings = re.findall(r"^#+ (.+)$", re.sub(r"```.*?```", "", text, flags=re.S), re.M)
    return {re.sub(r"[^\w\- ]", "", h.lower().replace("`", "")).replace(" ", "-") for h in headings}


def links_of_markdown(text):
    return re.findall(r"\]\(([^()\s]+)\)", re.sub(r"```.*?```|`[^`\n]*`", "", text, flags=re.S))


dead = 0
pages = {}
files = []
for name in sys.argv[1:]:
    path = pathlib.Path(name)
    files += sorted(path.glob("*.html")) if path.is_dir() else [path]


def page(path):
    if path not in pages:
        text = path.read_text(encoding="utf-8", errors="replace")
        if path.suffix == ".md":
            pages[path] = (links_of_markdown(text), anchors_of_markdown(text))
        else:
            read = Page(text)
            pages[path] = (read.links, read.anchors)
    return pages[path]


for path in files:
    for link in page(path)[0]:
        if re.match(r"(https?|mailto|javascript|data):", link):
            continue
        target, _, anchor = link.partition("#")
        other = (path.parent / urllib.parse.unquote(target)).resolve() if target else path.resolve()
        if target.startswith("/"):
            other = pathlib.Path(target)
        if not other.exists() or (anchor and other.suffix in (".html", ".md") and urllib.parse.unquote(anchor) not in page(other)[1]):
            print(f"{path}: {link} leads nowhere")
            dead += 1
print(f"{len(files)} pages, {dead} dead links")
sys.exit(dead > 0)

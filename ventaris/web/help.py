"""The documentation as pages, which every screen opens at the place that is about it."""
import functools
import re
from pathlib import Path

from flask import Blueprint, abort, redirect, render_template, request, send_from_directory, url_for
from markdown_it import MarkdownIt
from markupsafe import Markup

pages = Blueprint("help", __name__)
DOCS = Path(__file__).parents[2] / "docs"
# What is offered to users, in its order.
BOOK = {
    "tour": "A tour",
    "using": "Using Ventaris",
    "using-bodies": "Bodies in space",
    "using-rows": "Blade rows",
    "using-nozzles": "Nozzles, jets and searches",
    "cluster": "Many machines",
    "python": "From Python",
    "theory": "Theory: sections",
    "theory-bodies": "Theory: bodies",
    "theory-nozzles": "Theory: nozzles",
    "theory-rows": "Theory: rows",
    "validation": "Validation",
    "validation-bodies": "Validation: bodies",
    "validation-nozzles": "Validation: nozzles",
    "validation-rows": "Validation: rows",
    "validation-noise": "Validation: noise",
    "formats": "File formats",
}
# Where a screen's help begins; what differs by the kind of campaign stands under "endpoint kind".
PLACES = {
    "campaigns.index": "using#a-first-answer",
    "matrix.show": "using#words",
    "aims.edit": "using#the-aim",
    "gallery.show": "using#looking",
    "reports.show": "using#the-report",
    "measured.columns": "using#measured-data",
    "curves.show": "using#measured-data",
    "compare.show": "using#reading-the-answer",
    "maps.show": "using#polars",
    "maps.show nozzle": "using-nozzles#what-is-read",
    "maps.show row": "using-rows#a-speed-line-a-map",
    "queue.show": "using#runs",
    "sheets.show": "using#the-sheet",
    "sheets.show body": "using-bodies",
    "sheets.show nozzle": "using-nozzles",
    "sheets.show row": "using-rows",
    "runs.show": "using#reading-the-answer",
    "flow.show": "using#looking",
    "noise.show": "using-nozzles#the-noise-of-a-jet",
    "searches.index": "using-nozzles#search",
    "searches.new": "using-nozzles#search",
    "searches.show": "using-nozzles#search",
    "study.show": "using#grid-and-levels",
}


def help_address(space=""):
    """The address of what is written about the screen that is shown."""
    endpoint = request.endpoint or ""
    page, _, part = PLACES.get(f"{endpoint} {space}", PLACES.get(endpoint, "using")).partition("#")
    return f"/help/{page}" + (f"#{part}" if part else "")


@pages.get("/help/")
def index():
    return redirect(url_for(".show", page="using"))


@pages.get("/help/<page>")
def show(page):
    """One page of the documentation, its parts at the side."""
    if page not in BOOK:
        abort(404, f"There is no page “{page[:40]}” in the documentation.")
    path = DOCS / f"{page}.md"
    if not path.is_file():
        abort(404, "The documentation does not lie beside the program; it comes with its source.")
    text, parts = _rendered(path, path.stat().st_mtime)
    return render_template("help.html", text=text, parts=parts, page=page, book=BOOK)


@pages.get("/help/<any(figures, screenshots):folder>/<name>")
def picture(folder, name):
    return send_from_directory(DOCS / folder, name)


def slug(words):
    """The anchor of a heading."""
    return re.sub(r"\s+", "-", re.sub(r"[^\w\s-]", "", words.lower()).strip())


@functools.lru_cache(maxsize=32)
def _rendered(path, changed):
    """(HTML of a page, its headings as (anchor, words))."""
    tokens = (reader := MarkdownIt("commonmark", {"html": True}).enable("table")).parse(path.read_text())
    parts = []
    for token, inner in zip(tokens, tokens[1:]):
        if token.type == "heading_open":
            anchor = slug(inner.content)
            token.attrSet("id", anchor)
            if token.tag == "h2":
                parts.append((anchor, inner.content))
    for token in (child for t in tokens for child in t.children or ()):
        if token.type == "link_open":
            token.attrSet("href", re.sub(r"^([\w-]+)\.md(?=#|$)", r"/help/\1", token.attrGet("href")))
        elif token.type == "image":
            token.attrSet("src", f"/help/{token.attrGet('src')}")
    # What is longer than the page is wide can be scrolled by keys.
    html = reader.renderer.render(tokens, reader.options, {}).replace("<pre>", '<pre tabindex="0">')
    return Markup(html), parts

"""A report as one HTML file that needs nothing beside it and prints well."""
import base64
from html import escape

from .document import Bullets, Heading, Listing, Paragraph, Picture, Side, Table

STYLE = """
:root { --ink: #1B2A2F; --paper: #FFFFFF; --pale: #5B676B; --lines: #D5D0C4; --spruce: #0E4B45; }
body { font: 400 15px/1.5 "IBM Plex Sans", system-ui, sans-serif; color: var(--ink); background: var(--paper);
  max-width: 60rem; margin: 2rem auto 4rem; padding: 0 1.5rem; }
h1 { font-size: 1.9rem; line-height: 1.2; margin: 0; }
h2 { font-size: 1.25rem; margin: 2.2rem 0 .5rem; border-bottom: 1.5px solid var(--ink);
  padding-bottom: .2rem; }
h3 { font-size: 1.02rem; margin: 1.4rem 0 .3rem; }
.sub { color: var(--pale); margin: .3rem 0 0; }
p { margin: .4rem 0; } p.lead { font-size: 1.12rem; } p.pale { color: var(--pale); font-size: .9rem; }
p.note { border-left: 3px solid var(--spruce); padding: .3rem .8rem; white-space: pre-line; }
.wide { overflow-x: auto; }
table { border-collapse: collapse; font-size: .88rem; margin: .6rem 0; width: 100%; }
th, td { text-align: left; vertical-align: top; padding: .25rem .6rem .25rem 0;
  border-bottom: 1px solid var(--lines); }
thead th { border-bottom: 1.5px solid var(--ink); font-weight: 600; }
td.number, th.number { text-align: right; font-variant-numeric: tabular-nums; }
caption { caption-side: bottom; text-align: left; color: var(--pale); font-size: .84rem; padding-top: .3rem; }
figure { margin: .8rem 0; } figure img { width: 100%; border: 1px solid var(--lines); }
figcaption { color: var(--pale); font-size: .84rem; }
.side { display: grid; grid-auto-flow: column; grid-auto-columns: 1fr; gap: 1rem; }
pre { font: 12px/1.4 "IBM Plex Mono", ui-monospace, monospace; border: 1px solid var(--lines); padding: .7rem;
  overflow-x: auto; }
@media print { body { margin: 0; max-width: none; font-size: 10.5pt; } h2, h3 { break-after: avoid; }
  figure, tr { break-inside: avoid; } pre { white-space: pre-wrap; overflow: visible; } }
"""


def to_html(document):
    """The whole report as HTML text, its pictures inside."""
    body = "\n".join(_block(block) for block in document.blocks)
    return (f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8">'
            f'<meta name="viewport" content="width=device-width, initial-scale=1">'
            f'<title>{escape(document.title)}</title><style>{STYLE}</style></head><body>\n'
            f'<header><h1>{escape(document.title)}</h1><p class="sub">{escape(document.subtitle)} · '
            f'{escape(document.date)}</p></header>\n<main>\n{body}\n</main></body></html>\n')


def _block(block):
    return WRITERS[type(block)](block)


def _heading(block):
    level = min(block.level + 1, 4)
    return f"<h{level}>{escape(block.text)}</h{level}>"


def _paragraph(block):
    tone = f' class="{block.tone}"' if block.tone else ""
    return f"<p{tone}>{escape(block.text)}</p>"


def _bullets(block):
    return "<ul>" + "".join(f"<li>{escape(item)}</li>" for item in block.items) + "</ul>"


def _table(block):
    kind = lambda k: ' class="number"' if k in block.numbers else ""
    head = "".join(f'<th scope="col"{kind(k)}>{escape(text)}</th>' for k, text in enumerate(block.head))
    rows = "".join("<tr>" + "".join(f"<td{kind(k)}>{escape(text)}</td>"
                                    for k, text in enumerate(row)) + "</tr>" for row in block.rows)
    caption = f"<caption>{escape(block.caption)}</caption>" if block.caption else ""
    return (f'<div class="wide"><table>{caption}<thead><tr>{head}</tr></thead><tbody>{rows}</tbody></table>'
            "</div>")


def _picture(block):
    data = base64.b64encode(block.png).decode()
    return (f'<figure><img src="data:image/png;base64,{data}" alt="{escape(block.caption)}">'
            f"<figcaption>{escape(block.caption)}</figcaption></figure>")


def _side(block):
    return f'<div class="side">{"".join(map(_picture, block.pictures))}</div>'


def _listing(block):
    return (f"<details><summary>{escape(block.caption)}</summary><pre>{escape(block.text)}</pre></details>")


WRITERS = {
    Heading: _heading, Paragraph: _paragraph, Bullets: _bullets, Table: _table, Picture: _picture, Side:
    _side, Listing: _listing
}

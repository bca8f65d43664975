"""A report as PDF on A4, by ReportLab; its faces are those that Matplotlib brings, which hold every sign that
is used."""
import functools
import io
import math
from html import escape
from pathlib import Path

import matplotlib
from PIL import Image as Bitmap
from reportlab.lib.colors import HexColor
from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import registerFont, registerFontFamily, stringWidth
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import (BaseDocTemplate, CondPageBreak, Frame, Image, PageTemplate, Paragraph as Text,
                                Preformatted, Table as Grid)

from .document import Bullets, Heading, Listing, Paragraph, Picture, Side, Table

INK, PALE, LINES, SPRUCE = (HexColor(c) for c in ("#1B2A2F", "#5B676B", "#D5D0C4", "#0E4B45"))
MARGIN = 18 * mm
WIDTH = A4[0] - 2 * MARGIN
TALLEST = 0.42 * A4[1]
# A listing stands in two columns: characters of a line, and lines that stay together.
LISTING_WIDTH, LISTING_LINES = 54, 70
BODY, BOLD, MONO = "Report", "Report-Bold", "Report-Mono"


@functools.cache
def _styles():
    """Paragraph styles by name; registers the faces."""
    folder = Path(matplotlib.get_data_path()) / "fonts/ttf"
    for name, file in ((BODY, "DejaVuSans"), (BOLD, "DejaVuSans-Bold"), (MONO, "DejaVuSansMono")):
        registerFont(TTFont(name, folder / f"{file}.ttf"))
    registerFontFamily(BODY, normal=BODY, bold=BOLD, italic=BODY, boldItalic=BOLD)
    base = ParagraphStyle("body", fontName=BODY, fontSize=8.6, leading=12.2, textColor=INK, spaceAfter=3)
    make = lambda name, **more: ParagraphStyle(name, parent=base, **more)
    cell = make("cell", fontSize=7.3, leading=9.4, spaceAfter=0)
    return {
        "body":
        base, "title":
        make("title", fontName=BOLD, fontSize=19, leading=23, spaceAfter=2), "sub":
        make("sub", textColor=PALE, spaceAfter=8), "heading1":
        make("heading1", fontName=BOLD, fontSize=12.5, leading=15, spaceBefore=12, spaceAfter=4,
             keepWithNext=1), "heading2":
        make("heading2", fontName=BOLD, fontSize=9.6, leading=12, spaceBefore=8, spaceAfter=2,
             keepWithNext=1), "lead":
        make("lead", fontSize=10.4, leading=14.5), "pale":
        make("pale", textColor=PALE, fontSize=7.6, leading=10.4), "note":
        make("note", leftIndent=8, borderPadding=(2, 4, 3, 6)), "bullet":
        make("bullet", leftIndent=10, bulletIndent=1), "cell":
        cell, "number":
        ParagraphStyle("number", parent=cell, alignment=TA_RIGHT), "head":
        ParagraphStyle("head", parent=cell, fontName=BOLD), "head-number":
        ParagraphStyle("head-number", parent=cell, fontName=BOLD, alignment=TA_RIGHT), "listing":
        make("listing", fontName=MONO, fontSize=6.6, leading=8.2)
    }


def to_pdf(document):
    """The whole report as PDF: bytes."""
    styles, out = _styles(), io.BytesIO()
    paper = BaseDocTemplate(out, pagesize=A4, leftMargin=MARGIN, rightMargin=MARGIN, topMargin=MARGIN,
                            bottomMargin=MARGIN, title=document.title, author="Ventaris", invariant=1)
    frame = Frame(MARGIN, MARGIN, WIDTH, A4[1] - 2 * MARGIN, 0, 0, 0, 0)
    paper.addPageTemplates([PageTemplate("page", [frame], onPage=lambda c, d: _margins(c, d, document))])
    story = [
        Text(escape(document.title), styles["title"]),
        Text(escape(f"{document.subtitle} · {document.date}"), styles["sub"])
    ]
    for block in document.blocks:
        story += WRITERS[type(block)](block, styles)
    paper.build(story)
    return out.getvalue()


def _margins(canvas, paper, document):
    """What stands at the foot of every page."""
    canvas.saveState()
    canvas.setFont(BODY, 6.8)
    canvas.setFillColor(PALE)
    canvas.drawString(MARGIN, 10 * mm, f"{document.title} · {document.date}")
    canvas.drawRightString(A4[0] - MARGIN, 10 * mm, str(paper.page))
    canvas.restoreState()


def _heading(block, styles):
    return [Text(escape(block.text), styles[f"heading{min(block.level, 2)}"])]


def _paragraph(block, styles):
    text = escape(block.text).replace("\n", "<br/>")
    return [Text(text, styles[block.tone or "body"])]


def _bullets(block, styles):
    return [Text(escape(item), styles["bullet"], bulletText="•") for item in block.items]


def _table(block, styles):
    text = lambda value, k, head: Text(
        escape(value), styles[("head-number" if head else "number") if k in block.numbers else "head"
                              if head else "cell"])
    rows = [[text(v, k, n == 0) for k, v in enumerate(row)]
            for n, row in enumerate([block.head, *block.rows])]
    grid = Grid(rows, colWidths=_widths(block), repeatRows=1, hAlign="LEFT")
    grid.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LINEBELOW", (0, 0), (-1, 0), 0.9, INK),
                   ("LINEBELOW", (0, 1), (-1, -1), 0.4, LINES), ("LEFTPADDING", (0, 0), (-1, -1), 0),
                   ("RIGHTPADDING", (0, 0), (-1, -1), 7), ("TOPPADDING", (0, 0), (-1, -1), 2),
                   ("BOTTOMPADDING", (0, 0), (-1, -1), 3)])
    grid.spaceBefore, grid.spaceAfter = 3, 5
    return [grid] + ([Text(escape(block.caption), styles["pale"])] if block.caption else [])


def _widths(block):
    """Column widths: what the words need, shrunk to the page; what is left goes to the wide column."""
    columns = list(zip(block.head, *block.rows))
    need = [max(stringWidth(v, BOLD if n == 0 else BODY, 7.3) for n, v in enumerate(c)) + 9 for c in columns]
    word = [
        max(
            max((stringWidth(w, BOLD if n == 0 else BODY, 7.3) for w in v.split(" ")), default=0)
            for n, v in enumerate(c)) + 9 for c in columns
    ]
    spare = WIDTH - sum(need)
    if spare >= 0:
        if block.wide >= 0:
            need[block.wide] += spare
        return need
    # Words stay whole; the room beyond them is shared out by what each column would like.
    beyond = [max(n - w, 0.0) for n, w in zip(need, word)]
    share = max(WIDTH - sum(word), 0.0) / max(sum(beyond), 1e-9)
    widths = [w + b * min(share, 1.0) for w, b in zip(word, beyond)]
    return [w * min(1.0, WIDTH / sum(widths)) for w in widths]


def _image(picture, width):
    across, down = Bitmap.open(io.BytesIO(picture.png)).size
    width = min(width, TALLEST * across / down)
    return Image(io.BytesIO(picture.png), width, width * down / across, hAlign="LEFT")


def _picture(block, styles):
    image = _image(block, block.share * WIDTH)
    image.keepWithNext = 1
    return [image, Text(escape(block.caption), styles["pale"])]


def _side(block, styles):
    width = WIDTH / len(block.pictures)
    cells = [[_image(p, width - 6), Text(escape(p.caption), styles["pale"])] for p in block.pictures]
    grid = Grid([cells], colWidths=[width] * len(cells), hAlign="LEFT")
    grid.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0),
                   ("RIGHTPADDING", (0, 0), (-1, -1), 6), ("TOPPADDING", (0, 0), (-1, -1), 3)])
    return [grid]


def _listing(block, styles):
    lines = [
        line[at:at + LISTING_WIDTH] for line in block.text.splitlines()
        for at in range(0, max(len(line), 1), LISTING_WIDTH)
    ]
    out = [CondPageBreak(60 * mm), Text(escape(block.caption), styles["heading2"])]
    for start in range(0, len(lines), 2 * LISTING_LINES):
        part = lines[start:start + 2 * LISTING_LINES]
        half = math.ceil(len(part) / 2)
        grid = Grid([[Preformatted("\n".join(p), styles["listing"]) for p in (part[:half], part[half:])]],
                    colWidths=[0.5 * WIDTH] * 2, hAlign="LEFT")
        grid.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)])
        out.append(grid)
    return out


WRITERS = {
    Heading: _heading, Paragraph: _paragraph, Bullets: _bullets, Table: _table, Picture: _picture, Side:
    _side, Listing: _listing
}

"""Printed sheets as one list of blocks with two renderers, HTML and PDF. Names are escaped in both."""

import base64
import io
from collections.abc import Sequence
from dataclasses import dataclass, field
from html import escape
from pathlib import Path
from typing import Any

from aquin.errors import AquinError
from aquin.exchange.plots import Drawing
from aquin.files import write_safely, write_text

Cell = str | Sequence[str]
"""Words, or several lines of words."""


@dataclass(frozen=True)
class Heading:
    kind = "heading"
    words: str
    level: int = 2


@dataclass(frozen=True)
class Lines:
    """Paragraphs, or points of a list."""

    kind = "lines"
    words: Sequence[str]
    points: bool = False


@dataclass(frozen=True)
class Table:
    """`widths`: of the columns on paper, in mm. `strong`, `faint`: rows that stand out or step back."""

    kind = "table"
    columns: Sequence[str]
    rows: Sequence[Sequence[Cell]]
    widths: Sequence[float]
    strong: frozenset[int] = frozenset()
    faint: frozenset[int] = frozenset()

    def name(self, row: int) -> str:
        """How a row looks."""
        return "strong" if row in self.strong else "faint" if row in self.faint else ""


@dataclass(frozen=True)
class Picture:
    """A JPEG or PNG, and what stands under it."""

    data: bytes
    words: str = ""
    wide: float = 60.0
    """On paper, in mm."""

    @property
    def kind_of_file(self) -> str:
        return "png" if self.data[:4] == b"\x89PNG" else "jpeg"

    @property
    def url(self) -> str:
        return f"data:image/{self.kind_of_file};base64,{base64.b64encode(self.data).decode()}"


@dataclass(frozen=True)
class Pictures:
    """Pictures side by side, with lines beside them; they stay together on one page."""

    kind = "pictures"
    pictures: Sequence[Picture]
    beside: Sequence[str] = ()


Block = Heading | Lines | Table | Pictures | Drawing


@dataclass(frozen=True)
class Paper:
    """A whole sheet. `title` names the document; what is printed are the blocks."""

    title: str
    blocks: list[Block] = field(default_factory=list)


def write_paper(path: Path, paper: Paper, what: str, force: bool = False) -> None:
    """Write .html or .pdf by the name's ending. Raises AquinError."""
    kind = path.suffix.lower()
    if kind == ".html":
        write_text(path, html(paper), force)
    elif kind == ".pdf":
        write_safely(path, lambda p: _pdf(p, paper), force)
    else:
        raise AquinError(f"{what} is written as .pdf or .html", path, "Give it one of these endings")


_STYLE = """
body { font: 13px/1.45 "Open Sans", sans-serif; color: #222; background: #fff; margin: 28px; max-width: 1060px }
h1 { font-size: 20px; margin: 0 } h2 { font-size: 15px; margin: 22px 0 6px } p { margin: 4px 0; color: #555 }
table { border-collapse: collapse; width: 100% }
th, td { text-align: left; padding: 4px 8px; border-bottom: 1px solid #ccc; vertical-align: top }
th { font-weight: 600; border-bottom: 2px solid #777 } td { font-variant-numeric: tabular-nums }
.row { display: flex; flex-wrap: wrap; gap: 10px; margin: 4px 0 } figure { margin: 0 } img { display: block }
figcaption { font-size: 12px; color: #555 }
tr.strong td { background: #eee } tr.faint td { color: #767676 }
@media print { body { margin: 0 } table { break-inside: avoid } }
"""


_PAGE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{ paper.title }}</title><style>{{ style }}</style></head><body>
{% for block in paper.blocks %}
{% if block.kind == "heading" %}<h{{ block.level }}>{{ block.words }}</h{{ block.level }}>
{% elif block.kind == "lines" and block.points %}<ul>{% for w in block.words %}<li>{{ w }}</li>{% endfor %}</ul>
{% elif block.kind == "lines" %}{% for w in block.words %}<p>{{ w }}</p>{% endfor %}
{% elif block.kind == "pictures" %}<div class="row">{% for p in block.pictures %}<figure>
<img src="{{ p.url }}" alt="{{ p.words }}" width="{{ (p.wide * 4) | int }}">
<figcaption>{{ p.words }}</figcaption></figure>{% endfor %}
{% if block.beside %}<div>{% for w in block.beside %}<p>{{ w }}</p>{% endfor %}</div>
{% endif %}</div>
{% elif block.kind == "drawing" %}<div class="row">{{ svg(block) }}</div>
{% else %}<table><tr>{% for c in block.columns %}<th>{{ c }}</th>{% endfor %}</tr>
{% for row in block.rows %}<tr class="{{ block.name(loop.index0) }}">
{% for cell in row %}<td>{{ cell if cell is string else cell | join(br) }}</td>{% endfor %}</tr>
{% endfor %}</table>
{% endif %}{% endfor %}
</body></html>
"""


def html(paper: Paper) -> str:
    """The sheet as one HTML page."""
    from jinja2 import Environment, StrictUndefined  # not before a sheet is made
    from markupsafe import Markup

    page = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True).from_string(_PAGE)
    return page.render(
        paper=paper, style=Markup(_STYLE), br=Markup("<br>"), svg=lambda drawing: Markup(drawing.svg())
    )


# print


MOST_TOGETHER = 14
"""Rows of a table, or blocks, that are kept on one page."""


def _broken(cell: Cell) -> str:
    return escape(cell) if isinstance(cell, str) else "<br/>".join(escape(line) for line in cell)


def _pdf(path: Path, paper: Paper) -> None:
    from reportlab.platypus import KeepTogether

    look = _styles()
    story: list[Any] = []
    part: list[Any] = []
    for block in paper.blocks:
        if (isinstance(block, Heading) or len(part) > MOST_TOGETHER) and part:
            story.append(KeepTogether(part))  # what stands under one heading stays together where it can
            part = []
        if isinstance(block, Drawing) or (isinstance(block, Table) and len(block.rows) > MOST_TOGETHER):
            story += part
            part = []
            story += _pdf_block(block, look)
            continue
        part += _pdf_block(block, look)
    story.append(KeepTogether(part))
    _build(path, story, paper.title)


def _pdf_block(block: Block, look: dict[str, Any]) -> list[Any]:
    from reportlab.lib import colors
    from reportlab.lib.units import mm
    from reportlab.platypus import Paragraph
    from reportlab.platypus import Table as Printed

    if isinstance(block, Heading):
        return [Paragraph(escape(block.words), look["title" if block.level == 1 else "section"])]
    if isinstance(block, Lines):
        mark = "- " if block.points else ""
        return [Paragraph(f"{mark}{escape(w)}", look["body"]) for w in block.words]
    if isinstance(block, Pictures):
        return [_pdf_pictures(block, look)]
    if isinstance(block, Drawing):
        return [block.reportlab()]
    rows = [[Paragraph(escape(c), look["head"]) for c in block.columns]]
    rows += [[Paragraph(_broken(cell), look["small"]) for cell in row] for row in block.rows]
    rules = _rules()
    for k in block.strong:
        rules.add("BACKGROUND", (0, k + 1), (-1, k + 1), colors.HexColor("#eeeeee"))
    return [Printed(rows, [w * mm for w in block.widths], style=rules, repeatRows=1)]


def _pdf_pictures(block: Pictures, look: dict[str, Any]) -> Any:
    from reportlab.lib.units import mm
    from reportlab.platypus import Image, Paragraph
    from reportlab.platypus import Table as Printed

    cells = []
    for p in block.pictures:
        image = Image(io.BytesIO(p.data))
        high = p.wide * image.imageHeight / max(image.imageWidth, 1)
        image.drawWidth, image.drawHeight = p.wide * mm, high * mm
        cells.append([image, Paragraph(escape(p.words), look["small"])])
    widths = [(p.wide + 4) * mm for p in block.pictures]
    if block.beside:
        cells.append([Paragraph(escape(w), look["small"]) for w in block.beside])
        widths.append(max(264 * mm - sum(widths), 40 * mm))
    return Printed([cells], widths, hAlign="LEFT", style=[("VALIGN", (0, 0), (-1, -1), "TOP")])


def _styles() -> dict[str, Any]:
    """Paragraph styles by name: title, section, body, small, head."""
    from reportlab.lib import colors
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    fonts = Path(__file__).parents[1] / "fonts"
    for name, file in (("Sheet", "OpenSans-Regular.ttf"), ("SheetBold", "OpenSans-Semibold.ttf")):
        pdfmetrics.registerFont(TTFont(name, str(fonts / file)))
    ink = colors.HexColor("#333333")
    body = ParagraphStyle("body", fontName="Sheet", fontSize=9, leading=12.5, textColor=ink)
    small = ParagraphStyle("small", parent=body, fontSize=8, leading=10.5)
    strong = {"parent": body, "fontName": "SheetBold"}
    return {
        "body": body,
        "small": small,
        "head": ParagraphStyle("head", parent=small, fontName="SheetBold"),
        "title": ParagraphStyle("title", fontSize=17, leading=21, textColor=colors.black, **strong),
        "section": ParagraphStyle("section", fontSize=12, leading=15, spaceBefore=10, spaceAfter=3, **strong),
    }


def _rules() -> Any:
    """Thin rules under rows, a stronger one under the head."""
    from reportlab.lib import colors
    from reportlab.platypus import TableStyle

    return TableStyle(
        [
            ("LINEBELOW", (0, 0), (-1, 0), 1, colors.HexColor("#777777")),
            ("LINEBELOW", (0, 1), (-1, -1), 0.4, colors.HexColor("#cccccc")),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LEFTPADDING", (0, 0), (-1, -1), 3),
            ("RIGHTPADDING", (0, 0), (-1, -1), 3),
        ]
    )


def _build(path: Path, story: list[Any], title: str) -> None:
    """Write a landscape A4 document."""
    from reportlab.lib.pagesizes import A4, landscape
    from reportlab.lib.units import mm
    from reportlab.platypus import SimpleDocTemplate

    side, end = 15 * mm, 14 * mm
    SimpleDocTemplate(
        str(path),
        pagesize=landscape(A4),
        leftMargin=side,
        rightMargin=side,
        topMargin=end,
        bottomMargin=end,
        title=title,
        author="Aquin",
    ).build(story)

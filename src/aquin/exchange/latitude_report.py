"""The latitude report: what each camera gives over and under, side by side, for screen (HTML) and print (PDF)."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from jinja2 import Environment, StrictUndefined

from aquin.charts.latitude import Latitude, Row, advice, ranked
from aquin.errors import AquinError
from aquin.files import write_safely

COLUMNS = (
    "marked",
    "measured",
    "neutrals",
    "tint",
    "skin",
    "colours",
    "noise grey",
    "noise dark",
    "edges",
    "clipped",
    "verdict",
)


@dataclass(frozen=True)
class Report:
    """Everything that is shown. `policy` is bright or protect."""

    title: str
    date: str
    policy: str
    cameras: tuple[Latitude, ...]

    @property
    def order(self) -> list[Latitude]:
        return ranked(self.cameras)

    @property
    def policy_words(self) -> str:
        return "expose bright" if self.policy == "bright" else "protect highlights"

    def words(self, camera: Latitude) -> list[str]:
        return [minus(line) for line in advice(camera, self.policy)]


def minus(text: str) -> str:
    """A text with true minus signs before its numbers."""
    return re.sub(r"(?<![\w.])-(?=\d)", "−", text)


def row_words(row: Row) -> list[str]:
    """One stop in words, in the order of COLUMNS."""

    def number(value: float, form: str, unit: str = "") -> str:
        return "-" if not np.isfinite(value) else f"{value:{form}}{unit}".replace("-", "−")

    return [
        number(row.marked, "+g", " st"), number(row.stops, "+.2f", " st"), number(row.mired, "+.1f", " mired"),
        number(row.duv, "+.1f"), number(row.skin, ".1f"), number(row.colours, ".1f"), number(row.grey_noise, ".1f"),
        number(row.shadow_noise, ".1f"), number(100 * row.resolution, ".0f", " %"), str(row.clipped),
        "usable" if row.usable else minus("; ".join(row.faults)),
    ]  # fmt: skip


NOTE = (
    "Exposure is corrected in scene-linear. Neutrals in mired and tint in thousandths of Duv against the normal exposure; skin and colours in mean "
    "dE00; noise in 10-bit ACEScct codes after the correction; edges against the normal exposure's sharpness; clipped: patches."
)

_HTML = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{ r.title }}: latitude</title>
<style>
body { font: 13px/1.45 "Open Sans", sans-serif; color: #222; background: #fff; margin: 28px; max-width: 1060px }
h1 { font-size: 20px; margin: 0 } h2 { font-size: 15px; margin: 22px 0 6px } p { margin: 4px 0; color: #555 }
table { border-collapse: collapse; width: 100% } th, td { text-align: left; padding: 4px 8px; border-bottom: 1px solid #ccc; vertical-align: top }
th { font-weight: 600; border-bottom: 2px solid #777 } td { font-variant-numeric: tabular-nums } td.n { white-space: nowrap }
tr.normal td { background: #eee } tr.out td { color: #767676 }
@media print { body { margin: 0 } h2 { break-before: auto } table { break-inside: avoid } }
</style></head><body>
<h1>{{ r.title }}</h1>
<p>Latitude report of {{ r.date }}. Policy: {{ r.policy_words }}.</p>
<h2>Side by side</h2>
<table><tr><th>camera</th><th>usable</th><th>width</th><th>over grey before clipping</th><th>shadow noise at normal</th></tr>
{% for c in r.order %}<tr><td>{{ c.camera }}</td><td class="n">{{ minus("%+.1f"|format(c.under)) }} to {{ minus("%+.1f"|format(c.over)) }} st</td>
<td class="n">{{ "%.1f"|format(c.width) }} st</td><td class="n">{{ "%.1f"|format(c.headroom) }} st</td><td class="n">{{ "%.1f"|format(c.normal.shadow_noise) }} codes</td></tr>
{% endfor %}</table>
{% for c in r.order %}<h2>{{ c.camera }}</h2>
{% for line in r.words(c) %}<p>{{ line }}</p>{% endfor %}
<table><tr>{% for name in columns %}<th>{{ name }}</th>{% endfor %}</tr>
{% for row in c.rows %}<tr class="{{ 'normal' if row == c.normal else '' if row.usable else 'out' }}">{% for cell in words(row) %}<td{% if not loop.last %} class="n"{% endif %}>{{ cell }}</td>{% endfor %}</tr>
{% endfor %}</table>{% endfor %}
<p>{{ note }}</p>
</body></html>
"""


def write_latitude(path: Path, report: Report, force: bool = False) -> None:
    """Write .html or .pdf by the name's ending. Raises AquinError."""
    kind = path.suffix.lower()
    if kind == ".html":
        text = html(report)
        write_safely(path, lambda p: _put(p, text), force)
    elif kind == ".pdf":
        write_safely(path, lambda p: _pdf(p, report), force)
    else:
        raise AquinError(
            "a latitude report is written as .pdf or .html", path, "Give it one of these endings"
        )


def html(report: Report) -> str:
    """The report as one HTML page; names are escaped."""
    page = Environment(autoescape=True, undefined=StrictUndefined).from_string(_HTML)
    return page.render(r=report, columns=COLUMNS, words=row_words, minus=minus, note=NOTE)


def _pdf(path: Path, report: Report) -> None:
    from xml.sax.saxutils import escape

    from reportlab.lib import colors
    from reportlab.lib.units import mm
    from reportlab.platypus import KeepTogether, Paragraph, Table

    from aquin.exchange.paper import build, lines, styles

    look = styles()

    def cells(row: Sequence[str], style: Any) -> list[Any]:
        return [Paragraph(escape(cell), style) for cell in row]

    story: list[Any] = [
        Paragraph(escape(report.title), look["title"]),
        Paragraph(f"Latitude report of {escape(report.date)}. Policy: {report.policy_words}.", look["body"]),
        Paragraph("Side by side", look["section"]),
    ]
    table = [
        cells(
            ("camera", "usable", "width", "over grey before clipping", "shadow noise at normal"), look["head"]
        )
    ]
    for c in report.order:
        words = (
            c.camera, minus(f"{c.under:+.1f} to {c.over:+.1f} st"), f"{c.width:.1f} st", f"{c.headroom:.1f} st",
            f"{c.normal.shadow_noise:.1f} codes",
        )  # fmt: skip
        table.append(cells(words, look["small"]))
    story.append(Table(table, [50 * mm] * 5, style=lines()))
    widths = [v * mm for v in (17, 20, 24, 14, 14, 17, 20, 20, 16, 16, 88)]
    for c in report.order:
        block: list[Any] = [Paragraph(escape(c.camera), look["section"])]
        block += [Paragraph(escape(line), look["body"]) for line in report.words(c)]
        rows = [cells(COLUMNS, look["head"]), *(cells(row_words(row), look["small"]) for row in c.rows)]
        shade = lines()
        at = 1 + c.rows.index(c.normal)
        shade.add("BACKGROUND", (0, at), (-1, at), colors.HexColor("#eeeeee"))
        story.append(KeepTogether([*block, Table(rows, widths, style=shade, repeatRows=1)]))
    story.append(Paragraph(NOTE, look["body"]))
    build(path, story, f"{report.title}: latitude")


def _put(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")

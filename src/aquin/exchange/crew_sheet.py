"""The crew sheet: where each camera's levels must sit and which charts are filmed, for print (PDF) and screen (HTML)."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from jinja2 import Environment, StrictUndefined

from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.production.plan import CameraPlan, Chain, Filmed


@dataclass(frozen=True)
class Sheet:
    """Everything that is printed. `routine` is by setup in the order of the shoot."""

    production: str
    date: str
    policy: str
    chain: Chain
    routine: tuple[Filmed, ...]

    @property
    def columns(self) -> list[str]:
        return [
            "camera",
            "encoding",
            "range",
            "grey 18 %",
            "asked for grey",
            "white 90 %",
            "floor",
            "ceiling",
            "above",
            "below",
        ]

    def rows(self) -> list[list[str]]:
        """One line of words for each camera; levels as per cent and 10-bit code."""
        return [[c.camera.name, *_words(c)] for c in self.chain.cameras]

    @property
    def cameras(self) -> list[str]:
        """The cameras that filmed anything."""
        return list(
            dict.fromkeys(f.camera.name for f in sorted(self.routine, key=lambda f: f.camera.position))
        )

    def setups(self) -> list[tuple[str, list[list[str]]]]:
        """Each setup with the targets of each of `cameras`, ticked where filmed; none where a camera was not there."""
        out: dict[str, dict[str, list[str]]] = {}
        for f in self.routine:
            marks = [f"[{'x' if there else '  '}] {target}" for target, there in f.targets]
            out.setdefault(f.setup.name, {})[f.camera.name] = marks
        return [(setup, [held.get(c, []) for c in self.cameras]) for setup, held in out.items()]


ADVICE = (
    "Expose each camera to its own grey, not all to one line on a monitor.",
    "Film the charts with every camera, in the light of the scene, before that light changes.",
    "Tilt the chart while filming it, so that one frame at least is free of glare; no fingers on the patches.",
    "Leave white fixed within a setup.",
)
"""Common practice."""


def _words(camera: CameraPlan) -> list[str]:
    card = camera.card
    if card is None:
        return [camera.camera.encoding or "not chosen", *["-"] * 8]

    def level(v: object) -> str:
        return f"{v.signal:.1f} % ({v.code10})"  # type: ignore[attr-defined]

    asked = level(card.asked) if card.asked_stops else "the same"
    return [
        card.levels.encoding, card.range, level(card.grey), f"{asked} {card.asked_stops:+.1f} st" if card.asked_stops else asked,
        level(card.white), level(card.floor), level(card.ceiling), f"{card.above:.1f} st", f"{card.below} st",
    ]  # fmt: skip


_HTML = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{ sheet.production }}: crew sheet</title>
<style>
body { font: 13px/1.45 "Open Sans", sans-serif; color: #222; background: #fff; margin: 28px; max-width: 1060px }
h1 { font-size: 20px; margin: 0 } h2 { font-size: 15px; margin: 22px 0 6px } p { margin: 4px 0; color: #555 }
table { border-collapse: collapse; width: 100% } th, td { text-align: left; padding: 5px 8px; border-bottom: 1px solid #ccc; vertical-align: top }
th { font-weight: 600; border-bottom: 2px solid #777 } td.n { font-variant-numeric: tabular-nums; white-space: nowrap }
@media print { body { margin: 0 } }
</style></head><body>
<h1>{{ sheet.production }}</h1>
<p>Crew sheet of {{ sheet.date }}. Policy: {{ sheet.policy }}. Levels in per cent of signal, 10-bit code in brackets.</p>
<h2>Exposure</h2>
<table><tr>{% for c in sheet.columns %}<th>{{ c }}</th>{% endfor %}</tr>
{% for row in sheet.rows() %}<tr>{% for cell in row %}<td class="n">{{ cell }}</td>{% endfor %}</tr>
{% endfor %}</table>
{% for line in sheet.chain.differing %}<p>{{ line }}.</p>{% endfor %}
<h2>Charts</h2>
<table><tr><th></th>{% for c in sheet.cameras %}<th>{{ c }}</th>{% endfor %}</tr>
{% for setup, cells in sheet.setups() %}<tr><td>{{ setup }}</td>{% for marks in cells %}<td>{% for m in marks %}{{ m }}<br>{% endfor %}</td>{% endfor %}</tr>
{% endfor %}</table>
<h2>On set</h2>
<ul>{% for line in advice %}<li>{{ line }}</li>{% endfor %}</ul>
</body></html>
"""


def write_crew_sheet(path: Path, sheet: Sheet, force: bool = False) -> None:
    """Write .html or .pdf by the name's ending. Raises AquinError."""
    kind = path.suffix.lower()
    if kind == ".html":
        text = html(sheet)
        write_safely(path, lambda p: _put(p, text), force)
    elif kind == ".pdf":
        write_safely(path, lambda p: _pdf(p, sheet), force)
    else:
        raise AquinError("a crew sheet is written as .pdf or .html", path, "Give it one of these endings")


def html(sheet: Sheet) -> str:
    """The sheet as one HTML page; names are escaped."""
    page = Environment(autoescape=True, undefined=StrictUndefined).from_string(_HTML)
    return page.render(sheet=sheet, advice=ADVICE)


def _pdf(path: Path, sheet: Sheet) -> None:
    from xml.sax.saxutils import escape

    from reportlab.lib.units import mm
    from reportlab.platypus import Paragraph, Table

    from aquin.exchange.paper import build, lines, styles

    look = styles()
    body, small, head = look["body"], look["small"], look["head"]
    title, section = look["title"], look["section"]

    def cells(row: list[str], style: Any) -> list[Any]:
        return [Paragraph(escape(cell), style) for cell in row]

    story: list[Any] = [
        Paragraph(escape(sheet.production), title),
        Paragraph(f"Crew sheet of {escape(sheet.date)}. Policy: {escape(sheet.policy)}. Levels in per cent of signal, 10-bit code in brackets.", body),
        Paragraph("Exposure", section),
    ]  # fmt: skip
    widths = [v * mm for v in (24, 46, 14, 28, 40, 28, 26, 28, 16, 16)]
    table = [cells(sheet.columns, head), *(cells(row, small) for row in sheet.rows())]
    story.append(Table(table, widths, style=lines(), repeatRows=1))
    story += [Paragraph(escape(f"{line}."), body) for line in sheet.chain.differing]
    story.append(Paragraph("Charts", section))
    width = 222 / max(len(sheet.cameras), 1) * mm
    block: list[list[Any]] = [cells(["", *sheet.cameras], head)]
    for setup, held in sheet.setups():
        marks = [Paragraph("<br/>".join(escape(m) for m in each), small) for each in held]
        block.append([Paragraph(escape(setup), small), *marks])
    story.append(Table(block, [44 * mm, *[width] * len(sheet.cameras)], style=lines(), repeatRows=1))
    story.append(Paragraph("On set", section))
    story += [Paragraph(f"- {escape(line)}", body) for line in ADVICE]
    build(path, story, f"{sheet.production}: crew sheet")


def _put(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")

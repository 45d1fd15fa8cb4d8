"""The latitude report: what each camera gives over and under, side by side, for screen (HTML) and print (PDF)."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from aquin.charts.latitude import Latitude, Row, advice, ranked
from aquin.exchange import paper
from aquin.exchange.paper import Block, Heading, Lines, Paper, Picture, Pictures, Table, write_paper
from aquin.exchange.plots import Bar, Curve, bars, curves
from aquin.wording import minus

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
    """As it is printed."""
    policy: str
    """bright or protect."""
    cameras: tuple[Latitude, ...]
    frames: Mapping[str, Sequence[tuple[str, bytes]]] = field(default_factory=dict)
    """By camera, frames of its series: what stands under each, and a JPEG."""

    @property
    def order(self) -> list[Latitude]:
        return ranked(self.cameras)

    @property
    def policy_words(self) -> str:
        return "expose bright" if self.policy == "bright" else "protect highlights"

    def words(self, camera: Latitude) -> list[str]:
        return [minus(line) for line in advice(camera, self.policy)]


def row_words(row: Row) -> list[str]:
    """One stop in words, in the order of COLUMNS."""

    def number(value: float, form: str, unit: str = "") -> str:
        return "-" if not np.isfinite(value) else f"{value:{form}}{unit}".replace("-", "−")

    return [
        number(row.marked, "+g", " st"),
        number(row.stops, "+.2f", " st"),
        number(row.mired, "+.1f", " mired"),
        number(row.duv, "+.1f"),
        number(row.skin, ".1f"),
        number(row.colours, ".1f"),
        number(row.grey_noise, ".1f"),
        number(row.shadow_noise, ".1f"),
        number(100 * row.resolution, ".0f", " %"),
        str(row.clipped),
        "usable" if row.usable else minus("; ".join(row.faults)),
    ]


NOTE = (
    "Exposure is corrected in scene-linear. Neutrals in mired and tint in thousandths of Duv against the "
    "normal exposure; skin and colours in mean "
    "dE00; noise in 10-bit ACEScct codes after the correction; edges against the normal exposure's "
    "sharpness; clipped: patches."
)


def write_latitude(path: Path, report: Report, force: bool = False) -> None:
    """Write .html or .pdf by the name's ending. Raises AquinError."""
    write_paper(path, paper_of(report), "a latitude report", force)


def html(report: Report) -> str:
    """The report as one HTML page; names are escaped."""
    return paper.html(paper_of(report))


SIDE_BY_SIDE = ("camera", "usable", "width", "over grey before clipping", "shadow noise at normal")
WIDTHS = (17, 20, 24, 14, 14, 17, 20, 20, 16, 16, 88)


def drawings(report: Report) -> list[Block]:
    """How far each camera goes, and over its stops: warmth, tint, colours and noise, all cameras in one plot each."""
    order = report.order
    out: list[Block] = [
        bars(
            "Usable stops over and under the normal exposure",
            [Bar(c.camera, c.under, c.over) for c in order],
            "stops from normal",
            zero="normal",
        )
    ]
    plots: tuple[tuple[str, str, str], ...] = (
        ("mired", "Neutrals: warmth against normal", "mired"),
        ("duv", "Neutrals: tint against normal", "1e-3 Duv"),
        ("colours", "Colours against normal", "mean dE00"),
        ("shadow_noise", "Noise in the darkest patch, corrected", "10-bit codes"),
    )
    for name, title, unit in plots:
        lines = []
        for c in order:
            rows = sorted((r for r in c.rows if np.isfinite(getattr(r, name))), key=lambda r: r.stops)
            lines.append(
                Curve(c.camera, tuple(r.stops for r in rows), tuple(float(getattr(r, name)) for r in rows))
            )
        out.append(curves(title, lines, "stops from normal", unit, 180.0, 62.0))
    return out


def paper_of(report: Report) -> Paper:
    """The report as blocks."""
    rows = [
        (
            c.camera,
            minus(f"{c.under:+z.1f} to {c.over:+z.1f} st"),
            f"{c.width:.1f} st",
            f"{c.headroom:.1f} st",
            f"{c.normal.shadow_noise:.1f} codes",
        )
        for c in report.order
    ]
    blocks: list[Block] = [
        Heading(report.title, 1),
        Lines([f"Latitude report of {report.date}. Policy: {report.policy_words}."]),
        Heading("Side by side"),
        Table(SIDE_BY_SIDE, rows, [50] * 5),
    ]
    blocks += drawings(report)
    for c in report.order:
        out = frozenset(k for k, row in enumerate(c.rows) if not row.usable)
        at = frozenset({c.rows.index(c.normal)})
        steps = Table(COLUMNS, [row_words(row) for row in c.rows], WIDTHS, at, out)
        seen = [Picture(data, minus(words), 27.0) for words, data in report.frames.get(c.camera, ())]
        blocks += [Heading(c.camera), Lines(report.words(c)), *([Pictures(seen)] if seen else []), steps]
    return Paper(f"{report.title}: latitude", [*blocks, Lines([NOTE])])

"""Plots for papers, drawn once as plain shapes and given out as SVG and as ReportLab drawings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from typing import Any

INK, SOFT, FAINT = "#222222", "#777777", "#cccccc"
DASHES: tuple[tuple[float, ...], ...] = (
    (),
    (3.0, 1.2),
    (0.8, 0.8),
    (4.0, 1.0, 0.8, 1.0),
    (1.6, 1.6),
    (6.0, 1.2),
)
"""In mm: lines are told apart without colours."""


@dataclass(frozen=True)
class Stroke:
    """A line through points, (x, y) in mm from the upper left corner."""

    points: tuple[tuple[float, float], ...]
    colour: str = INK
    width: float = 0.35
    dash: tuple[float, ...] = ()


@dataclass(frozen=True)
class Block:
    """A filled rectangle: left, top, width, height in mm."""

    left: float
    top: float
    width: float
    height: float
    colour: str = FAINT


@dataclass(frozen=True)
class Label:
    """Words at a place; `at`: start, middle or end of the words lies there."""

    x: float
    y: float
    words: str
    size: float = 2.8
    at: str = "start"
    colour: str = INK


Shape = Stroke | Block | Label


@dataclass(frozen=True)
class Drawing:
    """Shapes on a sheet of some size in mm, and what is said of them to whoever does not see it."""

    kind = "drawing"
    width: float
    height: float
    shapes: tuple[Shape, ...]
    said: str = ""

    def svg(self) -> str:
        """As SVG 1.1 for an HTML page."""
        parts = [
            f'<svg viewBox="0 0 {self.width:g} {self.height:g}" width="{4 * self.width:g}" role="img" '
            f'aria-label="{escape(self.said, True)}" xmlns="http://www.w3.org/2000/svg">'
        ]
        for s in self.shapes:
            if isinstance(s, Stroke):
                points = " ".join(f"{x:.2f},{y:.2f}" for x, y in s.points)
                dash = f' stroke-dasharray="{" ".join(f"{d:g}" for d in s.dash)}"' if s.dash else ""
                parts.append(
                    f'<polyline points="{points}" fill="none" stroke="{s.colour}" stroke-width="{s.width:g}"{dash}/>'
                )
            elif isinstance(s, Block):
                parts.append(
                    f'<rect x="{s.left:.2f}" y="{s.top:.2f}" width="{max(s.width, 0):.2f}" '
                    f'height="{max(s.height, 0):.2f}" fill="{s.colour}"/>'
                )
            else:
                parts.append(
                    f'<text x="{s.x:.2f}" y="{s.y:.2f}" font-size="{s.size:g}" text-anchor="{s.at}" '
                    f'fill="{s.colour}">{escape(s.words)}</text>'
                )
        return "".join(parts) + "</svg>"

    def reportlab(self) -> Any:
        """As a flowable of ReportLab; its fonts are those of the papers."""
        from reportlab.graphics.shapes import Drawing as Made
        from reportlab.graphics.shapes import PolyLine, Rect, String
        from reportlab.lib.colors import HexColor
        from reportlab.lib.units import mm

        made = Made(self.width * mm, self.height * mm)
        for s in self.shapes:
            if isinstance(s, Stroke):
                flat = [v for x, y in s.points for v in (x * mm, (self.height - y) * mm)]
                line = PolyLine(flat, strokeColor=HexColor(s.colour), strokeWidth=s.width * mm)
                line.strokeDashArray = [d * mm for d in s.dash] or None
                made.add(line)
            elif isinstance(s, Block):
                low = (self.height - s.top - s.height) * mm
                box = Rect(s.left * mm, low, max(s.width, 0) * mm, max(s.height, 0) * mm, strokeColor=None)
                box.fillColor = HexColor(s.colour)
                made.add(box)
            else:
                words = String(
                    s.x * mm, (self.height - s.y) * mm, s.words, fontName="Sheet", fontSize=s.size * mm
                )
                words.textAnchor = s.at
                words.fillColor = HexColor(s.colour)
                made.add(words)
        return made


@dataclass(frozen=True)
class Curve:
    """A named line of a plot."""

    name: str
    x: tuple[float, ...]
    y: tuple[float, ...]


def ticks(low: float, high: float, most: int = 7) -> list[float]:
    """Round numbers over a range."""
    span = max(high - low, 1e-9)
    step = 10.0 ** int(f"{span / most:e}".split("e")[1])
    for factor in (1, 2, 5, 10, 20):
        if span / (step * factor) <= most:
            step *= factor
            break
    first = -(-low // step) * step
    return [round(first + k * step, 10) for k in range(int((high - first) / step + 1e-9) + 1)]


def curves(
    title: str,
    lines: Sequence[Curve],
    across: str,
    up: str,
    width: float = 124.0,
    height: float = 62.0,
    band: tuple[float, float] | None = None,
) -> Drawing:
    """Lines over one axis, each with its own dashes and its name at its end. `band`: values that count as right."""
    kept = [c for c in lines if c.x]
    xs, ys = [v for c in kept for v in c.x], [v for c in kept for v in c.y]
    if band is not None:
        ys += list(band)
    low_x, high_x = (min(xs), max(xs)) if xs else (0.0, 1.0)
    low_y, high_y = (min(ys), max(ys)) if ys else (0.0, 1.0)
    high_x, high_y = max(high_x, low_x + 1e-6), max(high_y, low_y + 1e-6)
    gap = 0.06 * (high_y - low_y)
    low_y, high_y = low_y - gap, high_y + gap
    left, top, right, foot = 13.0, 8.0, width - 24.0, height - 10.0

    def at(x: float, y: float) -> tuple[float, float]:
        return (
            left + (x - low_x) / (high_x - low_x) * (right - left),
            foot - (y - low_y) / (high_y - low_y) * (foot - top),
        )

    shapes: list[Shape] = [Label(left, 4.5, title, 3.2)]
    if band is not None:
        upper, lower = at(low_x, band[1])[1], at(low_x, band[0])[1]
        shapes.append(Block(left, upper, right - left, lower - upper, "#eeeeee"))
    for v in ticks(low_x, high_x):
        x, _ = at(v, low_y)
        shapes += [
            Stroke(((x, foot), (x, foot + 1)), SOFT, 0.2),
            Label(x, foot + 4.2, _short(v), 2.5, "middle", SOFT),
        ]
    for v in ticks(low_y, high_y, 5):
        _, y = at(low_x, v)
        shapes += [
            Stroke(((left, y), (right, y)), FAINT, 0.15),
            Label(left - 1, y + 0.9, _short(v), 2.5, "end", SOFT),
        ]
    shapes += [Stroke(((left, top), (left, foot), (right, foot)), SOFT, 0.25)]
    shapes += [
        Label(right, foot + 8, across, 2.6, "end", SOFT),
        Label(right + 1, top - 1.5, up, 2.6, "start", SOFT),
    ]
    names: list[tuple[float, str]] = []
    for k, c in enumerate(kept):
        shapes.append(
            Stroke(tuple(at(x, y) for x, y in zip(c.x, c.y, strict=True)), INK, 0.4, DASHES[k % len(DASHES)])
        )
        _, y = at(c.x[-1], c.y[-1])
        names.append((y, c.name))
    shapes += [Label(right + 1, y + 0.9, name, 2.6) for y, name in _apart(names, top, foot)]
    said = f"{title}: " + "; ".join(f"{c.name} from {c.y[0]:.2f} to {c.y[-1]:.2f}" for c in kept)
    return Drawing(width, height, tuple(shapes), said)


def _apart(
    names: Sequence[tuple[float, str]], top: float, foot: float, gap: float = 3.0
) -> list[tuple[float, str]]:
    """Names beside their places, in order from below, none over another and all within the plot where they fit."""
    out: list[tuple[float, str]] = []
    ceiling = foot
    for y, name in sorted(names, reverse=True):
        at = min(y, ceiling)
        out.append((at, name))
        ceiling = at - gap
    low = min((y for y, _ in out), default=top)
    return [(y + max(top - low, 0.0), name) for y, name in out]


@dataclass(frozen=True)
class Bar:
    """From `low` to `high` on one axis, with marks: a place and a word each."""

    name: str
    low: float
    high: float
    marks: tuple[tuple[float, str], ...] = ()


def bars(title: str, rows: Sequence[Bar], across: str, width: float = 250.0, zero: str = "") -> Drawing:
    """Horizontal bars below each other on one axis. `zero`: what stands at 0."""
    low = min([r.low for r in rows] + [0.0])
    high = max([r.high for r in rows] + [0.0])
    left, right, top, each = 34.0, width - 6.0, 12.0, 11.0
    foot = top + each * len(rows)

    def at(v: float) -> float:
        return left + (v - low) / max(high - low, 1e-6) * (right - left)

    shapes: list[Shape] = [Label(0, 4.5, title, 3.2)]
    for v in ticks(low, high, 12):
        shapes += [
            Stroke(((at(v), top), (at(v), foot)), FAINT, 0.15),
            Label(at(v), foot + 4, _short(v), 2.5, "middle", SOFT),
        ]
    shapes.append(Stroke(((at(0.0), top - 1), (at(0.0), foot)), SOFT, 0.3))
    if zero:
        shapes.append(Label(at(0.0), top - 2, zero, 2.5, "middle", SOFT))
    for k, row in enumerate(rows):
        y = top + each * k + 3
        shapes.append(Label(0, y + 3.4, row.name, 3.0))
        shapes.append(Block(at(row.low), y, at(row.high) - at(row.low), 4.5))
        for place, word in row.marks:
            shapes.append(Stroke(((at(place), y - 1), (at(place), y + 4.5)), INK, 0.5))
            shapes.append(Label(at(place), y - 1.6, word, 2.3, "middle"))
    shapes.append(Label(right, foot + 8, across, 2.6, "end", SOFT))
    said = f"{title}: " + "; ".join(f"{r.name} {r.low:+z.1f} to {r.high:+z.1f}" for r in rows)
    return Drawing(width, foot + 10, tuple(shapes), said)


def _short(value: float) -> str:
    return f"{value:g}".replace("-", "−")

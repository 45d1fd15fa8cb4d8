"""The materials that two pictures share, where they are in both, and what each says of exposure and white."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.match.materials import Materials, match_materials, places_of
from aquin.production.beside import Verdict, chromaticity
from aquin.production.match_work import shrunk

if TYPE_CHECKING:
    from aquin.colour.grade import Grade
    from aquin.production.named import Colour

LEAST_SHARE = 0.03
"""Materials that counted less are not shown."""
MOST = 9
LEAST_AREA = 0.0006
"""Share of a picture from which a part of a material is outlined."""
Outline = tuple[tuple[float, float], ...]
"""A closed line in shares of a picture's width and height."""


@dataclass(frozen=True)
class Shown:
    """One material: its colour in the hero as filmed, its outlines in hero and shot, what it alone says the shot is
    above the hero by (stops, mired, 1e-3 Duv), how much it counted, of 1, and whether a person struck it.
    """

    number: int
    colour: Colour
    outlines: tuple[tuple[Outline, ...], tuple[Outline, ...]]
    marks: tuple[tuple[float, float] | None, tuple[float, float] | None]
    """A place well inside it in either picture; None where hardly any is seen."""
    vote: tuple[float, float, float]
    share: float
    struck: bool = False

    @property
    def line(self) -> str:
        if self.struck:
            return f"{self.number} struck"
        stops, mired, duv = self.vote
        said = f"{self.number}  {stops:+z.2f} st  {mired:+z.0f} mired  {duv:+z.1f} 10⁻³ Duv"
        return f"{said}  counts {100 * self.share:.0f} %".replace("-", "−")


@dataclass(frozen=True)
class SameMaterials:
    """All of them together. `vote`, `doubt`: stops, mired, 1e-3 Duv that the shot is above the hero, and their standard
    errors; None where none speaks.
    """

    materials: tuple[Shown, ...]
    vote: tuple[float, float, float] | None = None
    doubt: tuple[float, float, float] | None = None
    kinship: float = 0.0

    @property
    def line(self) -> str:
        if self.vote is None or self.doubt is None:
            return "The two pictures share no material that speaks."
        parts = [
            f"{v:+z.{d}f} ±{e:.{d}f} {u}"
            for v, e, u, d in zip(self.vote, self.doubt, ("st", "mired", "10⁻³ Duv"), (2, 0, 1), strict=True)
        ]
        return f"Same materials say: {', '.join(parts)}".replace("-", "−")


def look_at_materials(
    hero: tuple[Float32, np.ndarray],
    shot: tuple[Float32, np.ndarray],
    grades: tuple[Grade, Grade],
    struck: Sequence[Colour] = (),
) -> SameMaterials:
    """From two frames as filmed, (h, w, 3) scene-linear AP1, each with (h, w) bool of what was not clipped, and their
    grades. `struck`: colours in the hero of materials that are not to count. Slow, for a worker.
    """
    small = [shrunk(*side) for side in (hero, shot)]
    graded = [np.asarray(g.linear(linear), np.float32) for g, (linear, _) in zip(grades, small, strict=True)]
    gone = chromaticity(grades[0], struck) if struck else np.zeros((0, 2))
    found = match_materials(graded[0], graded[1], small[0][1], small[1][1], struck=gone if struck else None)
    told = [m for m in (found.materials if found else ()) if m.share >= LEAST_SHARE][:MOST]
    at = np.array([*(m.at for m in told), *gone], np.float64).reshape(-1, 2)
    if not len(at):
        return SameMaterials(())
    off = found.off if found is not None else np.zeros(3)
    places = places_of(graded[0], at, None, small[0][1]), places_of(graded[1], at, off, small[1][1])
    filmed = cv2.resize(small[0][0], places[0].shape[::-1], interpolation=cv2.INTER_AREA)
    out: list[Shown] = []
    for k in range(len(at)):
        seen = filmed[places[0] == k]
        if k < len(told) and not len(seen):
            continue
        is_struck = k >= len(told)
        colour = struck[k - len(told)] if is_struck else tuple(float(v) for v in np.median(seen, axis=0))
        vote = (0.0, 0.0, 0.0) if is_struck else _axes(Verdict(told[k].vote, np.zeros(3), ""), 0)
        lines = _outlines(places[0] == k), _outlines(places[1] == k)
        marks = _deepest(places[0] == k), _deepest(places[1] == k)
        share = 0.0 if is_struck else told[k].share
        out.append(Shown(len(out) + 1, colour, lines, marks, vote, share, is_struck))  # type: ignore[arg-type]
    return _together(found, tuple(out))


def _together(found: Materials | None, shown: tuple[Shown, ...]) -> SameMaterials:
    if found is None:
        return SameMaterials(shown)
    said = Verdict(found.off, found.error, "", found.doubt)
    return SameMaterials(shown, _axes(said, 0), _axes(said, 1), found.kinship)


def _axes(said: Verdict, part: int) -> tuple[float, float, float]:
    """Stops, mired and 1e-3 Duv: values (`part` 0) or standard errors (1)."""
    axes = said.axes
    return axes["exposure"][part], axes["warmth"][part], axes["tint"][part]


def _outlines(mask: np.ndarray) -> tuple[Outline, ...]:
    """Closed lines about the larger parts of an (h, w) mask."""
    whole = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    h, w = mask.shape
    lines, _ = cv2.findContours(whole, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_TC89_L1)
    large = [c for c in lines if len(c) > 2 and cv2.contourArea(c) >= LEAST_AREA * h * w]
    return tuple(
        tuple((float(x + 0.5) / w, float(y + 0.5) / h) for x, y in c[:, 0])
        for c in sorted(large, key=cv2.contourArea, reverse=True)
    )


def _deepest(mask: np.ndarray) -> tuple[float, float] | None:
    """The place that is farthest from the edge of an (h, w) mask, in shares."""
    h, w = mask.shape
    far = cv2.distanceTransform(np.pad(mask, 1).astype(np.uint8), cv2.DIST_L2, 3)[1:-1, 1:-1]
    y, x = np.unravel_index(int(far.argmax()), far.shape)
    return ((float(x) + 0.5) / w, (float(y) + 0.5) / h) if far.max() >= 2 else None


def inside(shown: Sequence[Shown], side: int, at: tuple[float, float]) -> Shown | None:
    """The material whose outline in the hero (`side` 0) or the shot (1) holds a place; the smallest such part."""
    best: tuple[float, Shown] | None = None
    for one in shown:
        for line in one.outlines[side]:
            polygon = np.array(line, np.float32).reshape(-1, 1, 2)
            area = float(cv2.contourArea(polygon))
            if cv2.pointPolygonTest(polygon, at, False) >= 0 and (best is None or area < best[0]):
                best = area, one
    return best[1] if best is not None else None


def toggled(struck: Sequence[Colour], one: Shown) -> tuple[Colour, ...]:
    """What is struck once a person has struck a material, or taken it back."""
    if one.struck:
        return tuple(c for c in struck if c != one.colour)
    return (*struck, one.colour)

"""Pieces that fall out of their setup: how far each lies from the others, robustly, axis by axis."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from aquin.production.cut.judged import Continuity

COMPARED: tuple[str, ...] = ("exposure", "warmth", "tint", "saturation", "skin level", "black floor")
"""Axes on which a piece can fall out."""
LEAST = {
    "exposure": 0.15,
    "warmth": 8.0,
    "tint": 3.0,
    "saturation": 0.15,
    "skin level": 6.0,
    "black floor": 1.5,
}
"""Spread that is taken for granted between pieces of a setup: framing differs."""
FEWEST = 4
"""Pieces of a setup from which one can fall out."""
ODD = 3.5
"""Robust standard deviations from which a piece is odd (Iglewicz and Hoaglin 1993 have this limit for the modified
z-score).
"""


@dataclass(frozen=True)
class Odd:
    """How far a piece lies from its setup's others: the axis on which it is farthest, and by how many robust standard
    deviations, signed.
    """

    piece: int
    axis: str
    far: float

    @property
    def odd(self) -> bool:
        return abs(self.far) > ODD


def falling_out(found: Continuity) -> dict[int, Odd]:
    """By piece, of all that were measured in setups of at least `FEWEST`."""
    groups: dict[str, list[int]] = {}
    for piece in found.pieces:
        if piece.shot is not None and piece.number in found.values:
            groups.setdefault(piece.shot.setup_id, []).append(piece.number)
    out: dict[int, Odd] = {}
    for numbers in groups.values():
        if len(numbers) < FEWEST:
            continue
        for axis in COMPARED:
            values = np.array([_compared(found, n, axis) for n in numbers])
            there = np.isfinite(values)
            if there.sum() < FEWEST:
                continue
            middle = float(np.median(values[there]))
            spread = max(1.4826 * float(np.median(np.abs(values[there] - middle))), LEAST[axis])
            for n, value in zip(numbers, values, strict=True):
                far = (float(value) - middle) / spread
                if np.isfinite(far) and (n not in out or abs(far) > abs(out[n].far)):
                    out[n] = Odd(n, axis, far)
    return out


def _compared(found: Continuity, piece: int, axis: str) -> float:
    """Exposure and white as the shot lies beside its hero, whatever the two cameras framed; the rest as its picture
    has it.
    """
    if axis in ("exposure", "warmth", "tint"):
        return float(found.beside.get(piece, {}).get(axis, float("nan")))
    return value_of(found, piece, axis)


def value_of(found: Continuity, piece: int, axis: str) -> float:
    """Of a piece: the mean of its two ends; NaN where it was not measured."""
    ends = found.values.get(piece)
    if ends is None:
        return float("nan")
    both = [e[axis] for e in ends if axis in e]
    return sum(both) / len(both) if both else float("nan")


def sorted_by(found: Continuity, axis: str) -> list[int]:
    """Pieces by the value of an axis, lowest first; those without one last, in cut order."""
    numbers = [p.number for p in found.pieces]
    return sorted(
        numbers, key=lambda n: (not np.isfinite(v := value_of(found, n, axis)), v if v == v else 0.0, n)
    )

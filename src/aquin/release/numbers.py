"""A grade in the trade's numbers: what all of it together does to grey and to saturation."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from aquin.arrays import Float64
from aquin.colour import acescct
from aquin.colour.grade import Balance, Grade

GREY = 0.18
PALE = 0.06
"""ACEScct chroma of the colours about grey that saturation is measured on."""


@dataclass(frozen=True)
class Shift:
    """Exposure in stops, white in mired (+ is warmer) and thousandths of Duv (+ is greener), saturation as a factor."""

    stops: float
    mired: float
    duv: float
    saturation: float

    def values(self) -> dict[str, float]:
        return {
            "stops": round(self.stops, 4),
            "mired": round(self.mired, 2),
            "duv": round(self.duv, 3),
            "saturation": round(self.saturation, 4),
        }


@lru_cache(maxsize=8192)
def shift_of(grade: Grade, before: Grade | None = None) -> Shift:
    """What a grade does, or what it does more than another."""
    factors, colour = _of(grade)
    if before is not None:
        other, pale = _of(before)
        factors, colour = factors / other, colour / max(pale, 1e-6)
    balance = Balance.from_factors(factors)
    mired, duv = balance.shift
    return Shift(balance.stops, mired, 1e3 * duv, colour)


def values_of(grade: Grade) -> Mapping[str, Any]:
    """The same as plain values."""
    return shift_of(grade).values()


def _of(grade: Grade) -> tuple[Float64, float]:
    """(3,) factors by which grey changes, and the factor of the chroma of pale colours about it."""
    still = grade.at(grade.keys[len(grade.keys) // 2].frame) if grade.keys else grade
    angle = np.radians(np.arange(0, 360, 30.0))
    plane = PALE * np.stack([np.cos(angle - np.radians(a)) for a in (0, 120, 240)], axis=1)
    log = np.concatenate([np.full((1, 3), acescct.GREY), acescct.GREY + plane])
    linear = np.asarray(acescct.decode(log), np.float64)
    made = np.asarray(still.apply_linear(linear), np.float64)
    factors = np.maximum(np.asarray(acescct.decode(made[0]), np.float64), 1e-5) / linear[0]
    spread = made[1:] - made[0]
    chroma = np.linalg.norm(spread - spread.mean(axis=1, keepdims=True), axis=1)
    return factors, float(chroma.mean() / np.linalg.norm(plane, axis=1).mean())

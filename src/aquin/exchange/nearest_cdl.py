"""The CDL that comes nearest to a grade which no CDL can hold, for programs that take nothing else."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.grade import Grade
from aquin.exchange.grade_file import difference

PIXELS = 2_500


@dataclass(frozen=True)
class Nearest:
    """`mean`, `p95`: CIEDE2000 that is left on the picture, as a screen shows scene-linear light."""

    cdl: Cdl
    mean: float
    p95: float


def nearest(grade: Grade, picture: Floats) -> Nearest:
    """The CDL on ACEScct of least squares on a picture, (..., 3) scene-linear AP1. A grade that fits into a CDL gives
    that one.
    """
    pixels = np.asarray(picture, np.float64).reshape(-1, 3)
    pixels = np.clip(pixels[:: max(len(pixels) // PIXELS, 1)], 0, 64.0)
    log = np.asarray(acescct.encode(pixels), np.float64)
    true = grade.apply_linear(pixels)
    cdl = _fitted(log, true) if grade.beyond_cdl else grade.folded()
    left = difference(acescct.decode(cdl.apply(log)), acescct.decode(true))
    return Nearest(cdl, float(left.mean()), float(np.percentile(left, 95)))


def _fitted(log: Float64, true: Floats) -> Cdl:
    from scipy.optimize import least_squares

    # what is over-bright or darker than the toe weighs little, since a screen shows little of it
    seen = np.clip((log.mean(axis=1, keepdims=True) - 0.1) / 0.2, 0.1, 1.0)

    def made(v: Float64) -> Cdl:
        slope, offset, power = (tuple(float(x) for x in v[k : k + 3]) for k in (0, 3, 6))
        return Cdl(slope, offset, power, float(v[9]))  # type: ignore[arg-type]

    start = np.concatenate([np.ones(3), np.zeros(3), np.ones(3), [1.0]])
    slope, offset = zip(*(np.polyfit(log[:, k], true[:, k], 1) for k in range(3)), strict=True)
    if min(slope) > 0.2:
        start[:3], start[3:6] = slope, offset
    low = np.concatenate([np.full(3, 0.05), np.full(3, -1.0), np.full(3, 0.2), [0.0]])
    high = np.concatenate([np.full(3, 8.0), np.full(3, 1.0), np.full(3, 5.0), [4.0]])
    start = np.clip(start, low + 1e-6, high - 1e-6)
    found = least_squares(
        lambda v: ((made(v).apply(log) - true) * seen).ravel(),
        start,
        bounds=(low, high),
        loss="soft_l1",
        f_scale=0.02,
    )
    return made(found.x)

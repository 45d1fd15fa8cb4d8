"""Three-zone cast: gains of the shadows, the middle and the lights, each channel on its own, smooth between them.

A tone is multiplied in scene-linear, so that no light stays no light; in between the zones' gains follow a monotone
cubic (PCHIP), beyond the outer ones they are held.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour import acescct
from aquin.colour.cdl import Triple
from aquin.colour.even_table import EvenTable
from aquin.colour.pchip import Pchip

ZONES = ("shadows", "middle", "lights")
STOPS = (-3.5, 0.0, 2.5)
"""Where the zones lie, in stops from 18 % grey."""
MOST = 0.7
"""Stops by which a channel may be multiplied: with more, the cubic could let tones change places."""
AT = acescct.GREY + acescct.STOP * np.array(STOPS)
STILL: Triple = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class ZoneGains:
    """`shadows`, `middle`, `lights`: stops by which red, green and blue are multiplied there. Raises ValueError for
    more than `MOST`.
    """

    shadows: Triple = STILL
    middle: Triple = STILL
    lights: Triple = STILL

    def __post_init__(self) -> None:
        rows = self.rows
        if rows.shape != (3, 3) or not np.isfinite(rows).all() or np.abs(rows).max() > MOST:
            raise ValueError(f"zone gains are three times three numbers within {MOST:g} stop")

    @classmethod
    def of(cls, rows: Any) -> "ZoneGains | None":
        """From (3, 3) stops, zone by zone; None where all are 0. Raises ValueError or TypeError."""
        shadows, middle, lights = (tuple(float(v) for v in row) for row in rows)
        made = cls(shadows, middle, lights)  # type: ignore[arg-type]
        return made if made.rows.any() else None

    @property
    def rows(self) -> Float64:
        """(3, 3) stops, zone by channel."""
        return np.array([self.shadows, self.middle, self.lights], np.float64)

    @cached_property
    def _tables(self) -> list[EvenTable]:
        """By how much ACEScct of each channel is moved."""
        x = np.linspace(AT[0], AT[-1], 1024)
        return [EvenTable(float(x[0]), float(x[-1]), acescct.STOP * row) for row in Pchip(AT, x)(self.rows.T)]

    def apply(self, log: Floats) -> Floats:
        """(..., 3) ACEScct; the float type is kept."""
        kind = log.dtype.type
        out = np.empty_like(log)
        for k, table in enumerate(self._tables):
            channel = np.ascontiguousarray(log[..., k])
            moved = channel + table(channel)
            dark = np.minimum(channel, moved) <= kind(acescct.BREAK_LOG)
            if dark.any():  # where ACEScct is straight a factor is no step
                factor = kind(2.0 ** self.shadows[k])
                moved[dark] = acescct.encode(acescct.decode(channel[dark]) * factor)
            out[..., k] = moved
        return out

    def values(self) -> list[list[float]]:
        """As plain values for a file."""
        return [list(self.shadows), list(self.middle), list(self.lights)]

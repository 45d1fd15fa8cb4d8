"""What the shots of one camera in one setup say together: what its balance is off, what all witnesses have wrong alike,
and what each shot is off on its own.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64
from aquin.match.drift import from_parts, to_parts
from aquin.production.beside import WILD, Verdict

SPREAD, SPREAD_AUTO = (0.5, 0.045, 0.08), (1.0, 0.2, 0.2)
"""Exposure, log2 R/B and green, in stops, by which one camera's shots in a setup differ from shot to shot, the light's
own change apart; of one that sets exposure and white by itself (chosen on the tuning seeds, one half of them checked by
the other, decision 049).
"""
BEFORE, BEFORE_SET, BEFORE_ONE_LIGHT = (0.45, 0.35, 0.15), (0.5, 0.2, 0.06), (0.15, 0.06, 0.04)
"""The same by which a balance is off after charts and settings alone, where white was chosen by the camera or no
chart was filmed; where it was set in kelvin; and where the charts were one card in one light (chosen as those are).
"""


@dataclass(frozen=True)
class CellVerdict:
    """What a cell's shots have in common, (3,) log2 of the channels, and the standard errors of its exposure, log2 R/B
    and green in stops; and of each shot what is left to it alone.
    """

    off: Float64
    error: Float64
    shots: dict[str, Verdict]


def of_cell(
    found: Mapping[str, Verdict],
    odd: Sequence[str],
    spread: Sequence[float],
    before: Sequence[float],
    light: Mapping[str, Float64] | None = None,
    views: Sequence[float] = (0.0, 0.0, 0.0),
) -> CellVerdict:
    """From the verdicts of a cell's shots. `odd`: shots that say nothing of the others. Drawn to what stands, as far as
    they are not sure and that is: `spread` between shots and `before`, (3,) of exposure, log2 R/B and green in stops.
    `light`: (3,) log2 of the channels by which a shot's moment is known to be brighter than the cell's chart was.
    `views`: by how much the place may look otherwise from this camera's place, in the same parts, where nothing tells.
    """
    between, stands = np.array(spread, np.float64), np.array(before, np.float64)
    names = list(found)
    known = {id: to_parts((light or {}).get(id, np.zeros(3))[None])[0] for id in names}
    parts = np.array([to_parts(found[id].off[None])[0] - known[id] for id in names]).reshape(-1, 3)
    doubt = np.array([found[id].doubt for id in names]).reshape(-1, 3)
    own = np.array([between if id not in odd else np.maximum(between, ODD) for id in names]).reshape(-1, 3)
    common = np.hypot(COMMON * np.median(doubt, axis=0), views) if names else np.ones(3)
    solved = [_parted(parts[:, k], doubt[:, k], own[:, k], stands[k], common[k]) for k in range(3)]
    shots = {}
    for n, id in enumerate(names):
        left = np.array([one.own[n] for one in solved]) + known[id]
        sure = np.array([one.error[n] for one in solved])
        shots[id] = Verdict(from_parts(left[None])[0], _of_channels(sure), found[id].by, sure)
    off, error = (np.array([getattr(one, name) for one in solved]) for name in ("cell", "cell_error"))
    return CellVerdict(from_parts(off[None])[0], error, shots)


VIEWS = (0.04, 0.045, 0.01)
"""Exposure, log2 R/B and green, in stops, by which places look otherwise from another camera's place (root mean square
over the cells of the tuning seeds: 0.05, 0.04, 0.01).
"""
COMMON = 0.5
"""What witnesses have wrong in all of a cell's shots alike, over the standard error of each."""


@dataclass(frozen=True)
class _Parted:
    """A cell's own value and its standard error, and (n,) what is left to each shot and the error of both together."""

    cell: float
    cell_error: float
    own: Float64
    error: Float64


def _parted(said: Float64, doubt: Float64, spread: Float64, before: float, common: float) -> _Parted:
    """(n,) values as the sum of what a cell is off, what all witnesses have wrong alike, and what each shot is off, all
    normal about nothing; the wild ones held back.
    """
    count = len(said)
    parts = np.hstack([np.ones((count, 2)), np.eye(count)])
    prior = 1 / np.concatenate([[before, common], spread]) ** 2
    held = np.ones(count)
    for _ in range(20):
        weight = held / doubt**2
        spreads = np.linalg.inv(np.diag(prior) + parts.T @ (weight[:, None] * parts))
        found = spreads @ (parts.T @ (weight * said))
        away = np.abs(said - found[0] - found[1]) / np.hypot(doubt, spread)
        last, held = held, np.where(away > WILD, (WILD / np.maximum(away, 1e-9)) ** 2, 1.0)
        if not count or np.abs(held - last).max() < 1e-6:
            break
    both = spreads[0, 0] + np.diag(spreads)[2:] + 2 * spreads[0, 2:]
    return _Parted(float(found[0]), float(np.sqrt(spreads[0, 0])), found[2:], np.sqrt(both))


ODD = (2.0, 2.0, 1.0)
"""By how much a shot may be off that has a finding on its light."""


def _of_channels(error: Float64) -> Float64:
    """(3,) standard errors of log2 of the channels from those of exposure, log2 R/B and green."""
    level, warm, green = error
    side = float(np.sqrt(level**2 + (warm / 2) ** 2 + (green / 3) ** 2))
    return np.array([side, float(np.hypot(level, 2 * green / 3)), side])

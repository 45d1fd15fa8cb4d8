"""How much brighter and warmer one camera recorded a setup than another, from witnesses that are sure to different
degrees.

A chart shows what a camera makes of colours, but how much light falls on it, and of which colour, depends on where
and how it is held: charts before two cameras of one setup lie half a stop apart in the median, up to two, and a
chart may catch more sky than the scene (decision 018). Crews set their cameras to be alike, and the same points of
the scene are the best witness where there are some.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64

BRIGHT = {"points": 0.15, "crew": 0.3, "statistics": 0.6, "chart": 0.7, "one card": 0.06}
"""Standard deviations in stops of what each kind of witness says of exposure. They were judged on a yardstick that was
up to half a stop wrong (decision 022) and only give the start from which pictures are looked at.
"""

WHITE = {
    "points": 0.06,
    "usual": 0.06,
    "one card": 0.05,
    "chart": 0.1,
    "crew": 0.15,
    "auto": 0.2,
    "statistics": 0.25,
    "chart in doubt": 0.3,
}
"""The same of log2 R/B and of green. `usual`: what the two cameras' charts show in other setups; `crew`: their white
settings. `one card`: charts that seem to have been in one light, see `one_light`. A chart is in doubt
where the camera sets white by itself, or where the audit found it in another light than its scene.
"""

TOGETHER = (0.05, 0.04, 0.03)
"""Standard deviations by which the light on a card differs between two cameras that film it at once: stops, log2 R/B,
green. Common practice (no source) is that the card is held once, where the people are.
"""
IN_TURN = (0.7, 0.3, 0.12)
"""The same where each camera has a card held before it, in whatever light is there."""
LIKELY = {True: 0.9, False: 0.1}
"""How likely one light is by the clock alone: takes that overlap in time, and takes that do not."""

WILD = 2.0
"""Witnesses farther from the middle than so many of their sigmas count less and less."""


@dataclass(frozen=True)
class Witness:
    """`value`: by how much the shot is above its hero, one number or several. `share`: how far this one is believed
    among its kind.
    """

    kind: str
    value: float | tuple[float, ...]
    share: float = 1.0


@dataclass(frozen=True)
class Verdict:
    """What all witnesses together say, its standard error, and which kind of witness counted most."""

    value: Float64
    error: float
    by: str


def one_light(apart: Sequence[float], errors: Sequence[float], at_once: bool) -> float:
    """Probability that two cameras' cards were in one light. `apart`: by how many stops of exposure, log2 R/B and green
    the cards say something else than all other witnesses do; `errors`: theirs; `at_once`: whether the takes overlap.
    """
    likely, unlikely = np.log(LIKELY[at_once]), np.log(1 - LIKELY[at_once])
    for off, error, together, turn in zip(apart, errors, TOGETHER, IN_TURN, strict=True):
        for_one, for_more = np.hypot(together, error), np.hypot(turn, error)
        likely += -0.5 * (off / for_one) ** 2 - np.log(for_one)
        unlikely += -0.5 * (off / for_more) ** 2 - np.log(for_more)
    return float(1 / (1 + np.exp(np.clip(unlikely - likely, -50, 50))))


def weighed(witnesses: Sequence[Witness], sigmas: Mapping[str, float]) -> Verdict:
    """The weighted mean of all witnesses, the wild ones held back. Raises ValueError without any."""
    if not witnesses:
        raise ValueError("nothing to weigh")
    values = np.array([np.atleast_1d(np.asarray(w.value, np.float64)) for w in witnesses])
    sigma = np.array([sigmas[w.kind] / np.sqrt(max(w.share, 1e-3)) for w in witnesses])
    weight = 1 / sigma**2
    middle = np.array([_median(column, weight) for column in values.T])
    held = weight
    for _ in range(30):
        away = np.abs(values - middle).max(axis=1) / sigma
        held = weight * np.where(away > WILD, WILD / np.maximum(away, 1e-9), 1.0)
        middle = (held[:, None] * values).sum(axis=0) / held.sum()
    kinds: dict[str, float] = {}
    for w, h in zip(witnesses, held, strict=True):
        kinds[w.kind] = kinds.get(w.kind, 0.0) + float(h)
    return Verdict(middle, float(1 / np.sqrt(held.sum())), max(kinds, key=lambda k: kinds[k]))


def _median(values: Float64, weights: Float64) -> float:
    order = np.argsort(values)
    total = np.cumsum(weights[order])
    return float(values[order][int(np.searchsorted(total, total[-1] / 2))])

"""Statistics: two frames of one place that need not show the same points. What one map makes of a distribution is
no proof that it is right, so this evidence is believed least.

The linear Monge-Kantorovitch map (Pitie & Kokaram 2007) takes the shot's mean and covariance in working log to the
hero's; quantiles of luma do the tones. The pairs that come of it are given to a model's solver, which keeps what
the model can express.
"""

from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour import acescct
from aquin.measure.ledger import Evidence
from aquin.measure.scopes import LUMA

COUNT = 240
"""Colours of the shot that become pairs."""
QUANTILES = np.linspace(0.03, 0.97, 25)
UNLIKE = 0.14
"""Distance of the two distributions after the map, in ACEScct, from which the pictures do not show the same kind of
things.
"""


@dataclass(frozen=True)
class Statistics:
    """`unlike`: mean distance between the hero's and the mapped shot's quantiles of the colours, in ACEScct (0: the
    same).
    """

    evidence: Evidence
    unlike: float
    sureness: float


def match_statistics(
    hero: Floats, shot: Floats, hero_say: Floats | None = None, shot_say: Floats | None = None
) -> Statistics | None:
    """Pairs (what the map makes of the shot, the shot) from two scene-linear AP1 frames, (h, w, 3); None for frames
    without colours.

    `hero_say`, `shot_say`: (h, w) weight of each pixel, for instance its likelihood of being skin.
    """
    from aquin.match.chart import scene_colours

    sides = []
    for frame, say in ((hero, hero_say), (shot, shot_say)):
        colours = scene_colours(np.asarray(frame, np.float32), 4000) if say is None else _chosen(frame, say)
        if len(colours) < 60:
            return None
        sides.append(np.asarray(acescct.encode(colours), np.float64))
    target, source = sides
    mapped = monge_kantorovitch(source, target)(source)
    mapped = _toned(mapped, target)
    unlike = float(
        np.mean(
            [
                np.abs(np.quantile(mapped @ axis, QUANTILES) - np.quantile(target @ axis, QUANTILES)).mean()
                for axis in _AXES
            ]
        )
    )
    pick = np.linspace(0, len(source) - 1, min(COUNT, len(source))).astype(int)
    hero_colours = np.maximum(acescct.decode(mapped[pick]), 1e-6)
    evidence = Evidence(
        np.asarray(hero_colours, np.float64),
        np.asarray(acescct.decode(source[pick]), np.float64),
        np.zeros(len(pick), bool),
    )
    # distributions alone never make sure; a third is the most
    return Statistics(evidence, unlike, float(np.clip(0.33 * (1 - unlike / UNLIKE), 0, 0.33)))


_AXES = np.array([[1.0, 0, 0], [0, 1.0, 0], [0, 0, 1.0], [0.7, -0.7, 0], [0, 0.7, -0.7], [0.7, 0, -0.7]])


def monge_kantorovitch(source: Float64, target: Float64, least: float = 4e-4) -> "LinearMap":
    """The linear map of least effort from one distribution of (n, 3) colours to another's mean and covariance.

    Robust: colours far from the middle of their distribution (beyond the 98th percentile) are left out. `least`:
    standard deviation below which a direction holds nothing but noise and is left as it is.
    """
    (m0, c0), (m1, c1) = (_moments(x) for x in (source, target))
    values, vectors = np.linalg.eigh(c0)
    values = np.maximum(values, least**2)
    root = vectors @ np.diag(np.sqrt(values)) @ vectors.T
    inverse = vectors @ np.diag(1 / np.sqrt(values)) @ vectors.T
    inner, sides = np.linalg.eigh(root @ c1 @ root)
    middle = sides @ np.diag(np.sqrt(np.maximum(inner, 0))) @ sides.T
    return LinearMap(inverse @ middle @ inverse, m0, m1)


@dataclass(frozen=True)
class LinearMap:
    matrix: Float64
    source: Float64
    target: Float64

    def __call__(self, colours: Float64) -> Float64:
        return np.asarray((colours - self.source) @ self.matrix.T + self.target, np.float64)


def _moments(colours: Float64) -> tuple[Float64, Float64]:
    middle = np.median(colours, axis=0)
    away = np.abs(colours - middle).max(axis=1)
    inside = colours[away <= np.percentile(away, 98)]
    return np.asarray(inside.mean(axis=0), np.float64), np.asarray(np.cov(inside.T), np.float64)


def _toned(mapped: Float64, target: Float64) -> Float64:
    """Mapped colours with the quantiles of their luma brought to the target's; half of it, since scenes differ."""
    own, wanted = mapped @ LUMA.astype(np.float64), target @ LUMA.astype(np.float64)
    q = QUANTILES
    gap = np.interp(own, np.quantile(own, q), np.quantile(wanted, q) - np.quantile(own, q))
    return np.asarray(mapped + 0.5 * gap[:, None], np.float64)


def _chosen(frame: Floats, say: Floats) -> Float64:
    """Pixels drawn by their weight, always the same ones."""
    flat = np.maximum(np.asarray(say, np.float64).ravel(), 0)
    if flat.sum() <= 0 or (flat > 0.1 * flat.max()).sum() < 200:
        return np.zeros((0, 3))
    chance = flat / flat.sum()
    pick = np.random.default_rng(3).choice(len(flat), 3000, p=chance)
    pixels = np.asarray(frame, np.float64).reshape(-1, 3)[pick]
    return np.asarray(pixels[(pixels > 2e-4).all(axis=1)])

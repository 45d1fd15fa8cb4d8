"""A solution is right where its pairs are; this keeps it from spoiling the rest of the picture."""

from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.charts.fits import DE00, flared_of
from aquin.charts.solve import FLARED, Solution, residual
from aquin.colour import acescct
from aquin.colour.grade import Balance, Grade
from aquin.colour.hue_warp import hue_of, planes
from aquin.measure.ledger import Evidence

LOST = 0.002
"""Share of a picture's unclipped pixels that a solution may take below black, or blow up, or turn."""
BRIGHT = 0.5
"""Scene-linear level of a pixel's largest channel, balanced, from which it is light that may blow up."""
VIVID = 4.0
"""How many times its smallest channel the largest is in saturated light."""
BLOWN = 0.5
"""Stops over the balanced picture by which saturated light may rise at most; neutral light is the tone curve's."""
TURNED = 15.0
"""Degrees of hue in ACEScct by which saturated light may turn at most, beyond what pairs of its hue turn."""


def kept_whole(solution: Solution, picture: Float32, evidence: Evidence) -> Solution:
    """The solution, weaker where it would take colours of the picture that were not clipped below black, or saturated
    light far above what the balance makes of it, or to another hue than pairs say; its balance stays whole.
    `picture`: (h, w, 3) scene-linear AP1 of the shot.
    """
    grade = solution.grade
    few = picture[::4, ::4].reshape(-1, 3)
    few = few[(few > 1e-4).all(axis=1)]
    told = _Told.by(evidence, grade)
    if not len(few) or _whole(grade, few, told):
        return solution
    if solution.model in FLARED:  # no more than leaves nearly all of the picture above black
        most = np.asarray(np.quantile(few, 0.25 * LOST, axis=0), np.float64)
        grade = flared_of(evidence, solution.model.split("+")[0], grade, DE00, most)
    rest = replace(grade, balance=Balance())
    for share in (1.0, 0.9, 0.75, 0.6, 0.45, 0.3, 0.15, 0.0):
        weaker = replace(rest.at_strength(share), balance=grade.balance)
        if _whole(weaker, few, told):
            break
    left = residual(evidence, weaker)
    mean = float(left.mean())
    # what it would leave on pairs that it has not seen grows as well, else it would pass for better than it is
    loo = max(solution.loo + mean - solution.mean, mean) if np.isfinite(solution.loo) else solution.loo
    return replace(solution, grade=weaker, mean=mean, p95=float(np.percentile(left, 95)), loo=loo)


def _whole(grade: Grade, colours: Float32, told: "_Told") -> bool:
    """Whether a grade leaves hardly any of (n, 3) unclipped colours below black, blown up or turned."""
    given = np.asarray(colours, np.float64) * grade.balance.factors
    made = np.asarray(grade.linear(np.asarray(colours, np.float64)), np.float64)
    if (made <= 0).any(axis=1).mean() > LOST:
        return False
    bright = given.max(axis=1)
    vivid = (bright > BRIGHT) & (bright > VIVID * given.min(axis=1))
    if not vivid.any():
        return True
    given, made = given[vivid], np.maximum(made[vivid], 1e-5)
    # what the grade does to grey of the same level is its tone, which is not meant here
    grey = np.repeat(given.max(axis=1, keepdims=True), 3, axis=1) / grade.balance.factors
    rise = np.log2(made.max(axis=1) / np.maximum(np.asarray(grade.linear(grey)).max(axis=1), 1e-5))
    logs = np.asarray(acescct.encode(given), np.float64)
    turn = _between(hue_of(logs), hue_of(acescct.encode(made)))
    beyond = np.abs(turn) > TURNED
    if beyond.sum() > LOST * len(colours):
        beyond[beyond] = np.abs(_between(told.turn(logs[beyond]), turn[beyond])) > TURNED
    return bool(((rise > BLOWN) | beyond).sum() <= LOST * len(colours))


def _between(hue: Float64, other: Float64) -> Float64:
    """(n,) degrees from hues to others, -180 to 180."""
    return np.asarray((other - hue + 180) % 360 - 180, np.float64)


ABOUT = 20.0
"""Degrees of hue within which pairs speak for a colour."""
COLOURED = 0.5
"""Share of a colour's chroma that pairs need to speak for its hue."""
SEVERAL = 5
"""Pairs that it takes."""
HUE_STEP, CHROMA_STEP = 2.0, 0.02
"""Degrees, and chroma in ACEScct, within which colours are looked at together."""


@dataclass(frozen=True)
class _Told:
    """What (n,) pairs say about hues: theirs in the balanced shot, its chroma, and the degrees it has to turn by."""

    hue: Float64
    chroma: Float64
    turned: Float64

    @classmethod
    def by(cls, evidence: Evidence, grade: Grade) -> "_Told":
        log = np.asarray(acescct.encode(evidence.shot * grade.balance.factors), np.float64)
        hue = hue_of(log)
        return cls(hue, np.hypot(*planes(log)), _between(hue, hue_of(acescct.encode(evidence.hero))))

    def turn(self, logs: Float64) -> Float64:
        """(m, 3) ACEScct, balanced, to the degrees by which pairs of the same hue turn in the middle: (m,). 0 where too
        few pairs have that hue and at least half of that chroma.
        """
        grid = np.stack([hue_of(logs) / HUE_STEP, np.hypot(*planes(logs)) / CHROMA_STEP], axis=1)
        alike, back = np.unique(np.round(grid), axis=0, return_inverse=True)
        out = np.zeros(len(alike))
        for k, (hue, chroma) in enumerate(alike * (HUE_STEP, CHROMA_STEP)):
            near = (np.abs(_between(self.hue, hue)) < ABOUT) & (self.chroma > COLOURED * chroma)
            if near.sum() >= SEVERAL:
                out[k] = np.median(self.turned[near])
        return np.asarray(out[back.ravel()])

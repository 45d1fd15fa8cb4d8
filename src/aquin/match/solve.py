"""Corrections from paired colours, from simple to rich, each with its residual on the pairs and leave-one-out."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64
from aquin.colour import acescct
from aquin.colour.cdl import LUMA, Cdl
from aquin.colour.difference import delta_e00, delta_terms, lab_of_ap1
from aquin.colour.grade import Balance, Grade, Matrix3
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence

MODELS = ("gains", "cdl", "matrix")


@dataclass(frozen=True)
class Solution:
    """A model's grade and what it leaves: CIEDE2000 mean and 95th percentile on the evidence, and leave-one-out mean."""

    model: str
    grade: Grade
    mean: float
    p95: float
    loo: float


def solve(
    evidence: Evidence, model: str, leave_one_out: bool = True, scene: Float64 | None = None
) -> Solution:
    """Solve one model. Raises AquinError when the evidence can't carry it.

    `scene`: (m, 3) scene-linear AP1 colours of the shot. A CDL can't be right for every colour; with `scene` it is fitted
    to what the 3x3 matrix of the same evidence makes of them as well, so that it is best for the colours that are there.
    """
    if model not in MODELS:
        raise AquinError(f"there is no model '{model}'", None, f"There are: {', '.join(MODELS)}")
    if len(evidence.hero) < 6 or evidence.neutral.sum() < 2:
        raise AquinError(
            f"only {len(evidence.hero)} pairs ({int(evidence.neutral.sum())} neutral) can be used, too few to solve",
            None,
            "Use a frame where the chart is not clipped and free of glare",
        )

    def fit(pairs: Evidence, near: tuple[Grade, Grade] | None) -> tuple[Grade, Grade]:
        """The model's grade, and the matrix that stands behind a CDL."""
        if model == "gains":
            return _gains(pairs), Grade()
        start, start_matrix = near or (None, None)
        if model == "matrix":
            return _matrix(pairs, start), Grade()
        if scene is None or not len(scene):
            return _cdl(pairs, start), Grade()
        matrix = _matrix(pairs, start_matrix)
        return _cdl(pairs, start, scene, np.asarray(matrix.linear(scene), np.float64)), matrix

    both = fit(evidence, None)
    left = residual(evidence, both[0])
    loo = float("nan")
    if leave_one_out:
        loo = float(
            np.mean(
                [
                    residual(_only(evidence, k), fit(_without(evidence, k), both)[0])[0]
                    for k in range(len(left))
                ]
            )
        )
    return Solution(model, both[0], float(left.mean()), float(np.percentile(left, 95)), loo)


def solve_all(
    evidence: Evidence, progress: Callable[[float], None] | None = None, scene: Float64 | None = None
) -> list[Solution]:
    """Every model, from simple to rich."""
    out = []
    for k, model in enumerate(MODELS):
        out.append(solve(evidence, model, scene=scene))
        if progress:
            progress((k + 1) / len(MODELS))
    return out


def best_of(solutions: list[Solution]) -> Solution:
    """Least leave-one-out residual, with 5 % allowed for each step towards a simpler model."""
    order = {name: 1.05**k for k, name in enumerate(MODELS)}
    return min(solutions, key=lambda s: s.loo * order[s.model])


def residual(evidence: Evidence, grade: Grade) -> Float64:
    """(n,) CIEDE2000 between hero and graded shot."""
    return delta_e00(lab_of_ap1(evidence.hero), lab_of_ap1(grade.linear(evidence.shot)))


def _gains(evidence: Evidence) -> Grade:
    """Channel gains that bring the neutrals together: geometric mean of the ratios, the darkest left out."""
    hero, shot = (c[evidence.neutral] for c in (evidence.hero, evidence.shot))
    level = shot.mean(1)
    keep = level > 0.05 * level.max()
    ratio = np.maximum(hero[keep], 1e-5) / np.maximum(shot[keep], 1e-5)
    weight = np.sqrt(level[keep])[:, None]
    return Grade(Balance.from_factors(np.exp((np.log(ratio) * weight).sum(0) / weight.sum())))


# What is believed of a trim before any evidence, as standard deviations about doing nothing: it keeps the parts of a
# CDL that the evidence does not tell apart from running against each other.
_SPREAD = np.array([0.25] * 3 + [0.1] * 3 + [0.25] * 3 + [0.35])
_STILL = np.array([1.0] * 3 + [0.0] * 3 + [1.0] * 3 + [1.0])


def trim_of(vector: Float64) -> Cdl:
    """Ten numbers (slope, offset, power, saturation) as a CDL."""
    s, o, p = ((float(v[0]), float(v[1]), float(v[2])) for v in (vector[:3], vector[3:6], vector[6:9]))
    return Cdl(s, o, p, float(vector[9]))


_SCENE_SAY = 3.0
"""How much the scene's colours weigh against the pairs themselves."""


def _cdl(
    evidence: Evidence, start: Grade | None, scene: Float64 | None = None, wanted: Float64 | None = None
) -> Grade:
    """Grey gains, then the CDL trim of least CIEDE2000 on the pairs, and on the scene's colours where `wanted` is known."""
    balance = _gains(evidence).balance
    first = _STILL
    if start is not None:
        t = start.trim
        first = np.array([*t.slope, *t.offset, *t.power, t.saturation])
    shot, hero, say = evidence.shot, lab_of_ap1(evidence.hero), np.ones(len(evidence.shot))
    if scene is not None and wanted is not None:
        say = np.concatenate([say, np.full(len(scene), _SCENE_SAY * len(shot) / len(scene))])
        shot, hero = np.concatenate([shot, scene]), np.concatenate([hero, lab_of_ap1(wanted)])
    log = np.asarray(acescct.encode(shot * balance.factors), np.float64)
    luma = np.array(LUMA)

    def left(trims: Float64) -> Float64:
        """(k, 10) trims to (k, n, 3) colour terms: `Cdl.apply` for many CDLs at once."""
        slope, offset, power = (trims[:, None, 3 * k : 3 * k + 3] for k in range(3))
        out = log * slope + offset
        out = np.where(out > 0, np.maximum(out, 1e-30) ** power, out)
        grey = (out @ luma)[..., None]
        return delta_terms(hero, lab_of_ap1(acescct.decode(grey + trims[:, None, 9:] * (out - grey))))

    low = np.array([0.3] * 3 + [-0.3] * 3 + [0.3] * 3 + [0.2])
    high = np.array([3.0] * 3 + [0.3] * 3 + [3.0] * 3 + [3.0])
    return Grade(balance, trim_of(_least(left, first, _STILL, _SPREAD, low, high, say)))


def _matrix(evidence: Evidence, start: Grade | None) -> Grade:
    """Grey gains, then the 3x3 matrix in scene-linear of least CIEDE2000."""
    balance = _gains(evidence).balance
    still = np.eye(3).ravel()
    first = still if start is None or start.matrix is None else np.array(start.matrix).ravel()
    hero, shot = lab_of_ap1(evidence.hero), evidence.shot * balance.factors

    def left(matrices: Float64) -> Float64:
        return delta_terms(hero, lab_of_ap1(shot @ matrices.reshape(-1, 3, 3).transpose(0, 2, 1)))

    found = _least(left, first, still, np.full(9, 0.2), still - 2, still + 2).reshape(3, 3)
    rows = [(float(r[0]), float(r[1]), float(r[2])) for r in found]
    matrix: Matrix3 = (rows[0], rows[1], rows[2])
    return Grade(balance, matrix=matrix)


def _least(
    left: Callable[[Float64], Float64],
    first: Float64,
    still: Float64,
    spread: Float64,
    low: Float64,
    high: Float64,
    say: Float64 | None = None,
) -> Float64:
    """Robust least squares of colour terms (soft L1 from 1 dE00 on), weighted by `say`, with a pull to `still`.

    `left` takes (k, p) candidates to (k, n, 3) terms. Reweighting with Gauss-Newton steps, damped after Levenberg and
    Marquardt; derivatives by forward differences.
    """
    vector = np.clip(first, low, high)
    nudges = 1e-5 * np.eye(len(vector))
    weigh = np.float64(1.0) if say is None else say

    def cost(v: Float64, terms: Float64) -> float:
        length2 = (terms**2).sum(-1)
        return float((weigh * 2 * (np.sqrt(1 + length2) - 1)).sum() + (((v - still) / spread) ** 2).sum())

    terms = left(vector[None])[0]
    best, damping = cost(vector, terms), 1e-3
    for _ in range(40):
        root = np.sqrt(weigh * (1 + (terms**2).sum(-1)) ** -0.5)[:, None]
        slopes = ((left(vector + nudges) - terms) / 1e-5 * root).reshape(len(vector), -1)
        normal = slopes @ slopes.T + np.diag(1 / spread**2)
        pull = slopes @ (terms * root).ravel() + (vector - still) / spread**2
        for _ in range(8):
            step = np.linalg.solve(normal + damping * np.diag(np.diag(normal)), pull)
            candidate = np.clip(vector - step, low, high)
            new_terms = left(candidate[None])[0]
            value = cost(candidate, new_terms)
            if value < best:
                break
            damping *= 8
        else:
            return vector
        gained = best - value
        vector, best, terms, damping = candidate, value, new_terms, max(damping / 8, 1e-9)
        if gained < 1e-5 * max(best, 1e-2):
            break
    return vector


def _without(evidence: Evidence, k: int) -> Evidence:
    keep = np.arange(len(evidence.hero)) != k
    return Evidence(evidence.hero[keep], evidence.shot[keep], evidence.neutral[keep])


def _only(evidence: Evidence, k: int) -> Evidence:
    return Evidence(evidence.hero[k : k + 1], evidence.shot[k : k + 1], evidence.neutral[k : k + 1])

"""Corrections from paired colours, from simple to rich, each with its residual on the pairs and leave-one-out."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float64
from aquin.charts.reflectances import predicted
from aquin.colour import acescct
from aquin.colour.cdl import LUMA, Cdl
from aquin.colour.difference import delta_terms, itp_of_ap1, lab_of_ap1
from aquin.colour.grade import Balance, Grade, Matrix3
from aquin.colour.hue_warp import MOST_TURN, HueWarp, hue_of, moved, planes, spread
from aquin.colour.root_polynomial import TERMS, expand, root_of
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence

BASES = ("gains", "cdl", "matrix", "root")
WARPED = tuple(f"{base}+warp" for base in BASES)
MODELS = BASES + WARPED
"""From simple to rich; `+warp` adds a hue warp on what the base leaves."""

TITLES = {"gains": "grey gains", "cdl": "CDL", "matrix": "3×3", "root": "root polynomial"}

FEWEST = 6
"""Pairs that anything beyond grey gains needs."""


@dataclass(frozen=True)
class Metric:
    """A colour difference for solving: `space` takes scene-linear AP1 to coordinates, `terms` two of those to (..., 3) parts whose
    length is the difference."""

    name: str
    space: Callable[[Float64], Float64]
    terms: Callable[[Float64, Float64], Float64]

    def between(self, hero: Float64, shot: Float64) -> Float64:
        """(n,) differences of scene-linear AP1 colours."""
        return np.asarray(np.linalg.norm(self.terms(self.space(hero), self.space(shot)), axis=-1), np.float64)


METRICS = {
    "dE00": Metric("dE00", lab_of_ap1, delta_terms),
    "dE ITP": Metric("dE ITP", itp_of_ap1, lambda hero, shot: shot - hero),
}
"""CIEDE2000 (ISO/CIE 11664-6) and dE ITP (ITU-R BT.2124)."""
DE00 = METRICS["dE00"]


@dataclass(frozen=True)
class Solution:
    """A model's grade and what it leaves: mean and 95th percentile on the evidence, and leave-one-out mean, by `metric`.

    `condition`: how unevenly the grade stretches colours at 18 % grey (ratio of the largest to the smallest stretch; 1 is even, noise
    and errors grow with it). `size`: mean difference that the grade makes to the shot's colours, exposure apart.
    """

    model: str
    grade: Grade
    mean: float
    p95: float
    loo: float
    condition: float = 1.0
    size: float = 0.0
    metric: str = "dE00"

    @property
    def title(self) -> str:
        return title_of(self.model)


def title_of(model: str) -> str:
    """The model in words."""
    base, _, warp = model.partition("+")
    return TITLES[base] + (" + hue warp" if warp else "")


def solve(
    evidence: Evidence,
    model: str,
    leave_one_out: bool = True,
    scene: Float64 | None = None,
    metric: Metric = DE00,
) -> Solution:
    """Solve one model. Raises AquinError when the evidence can't carry it.

    `scene`: (m, 3) scene-linear AP1 colours of the shot. A CDL can't be right for every colour; with `scene` it is fitted
    to what the 3x3 matrix of the same evidence makes of them as well, so that it is best for the colours that are there.
    """
    if model not in MODELS:
        raise AquinError(f"there is no model '{model}'", None, f"There are: {', '.join(MODELS)}")
    fewest = 1 if model == "gains" else FEWEST
    if len(evidence.hero) < fewest or evidence.neutral.sum() < min(fewest, 2):
        raise AquinError(
            f"only {len(evidence.hero)} pairs ({int(evidence.neutral.sum())} neutral) can be used, too few to solve",
            None,
            "Use a frame where the chart is not clipped and free of glare",
        )
    found, behind = _fit(evidence, model, None, scene, metric)
    left = residual(evidence, found, metric)
    loo = float("nan")
    if leave_one_out and len(left) > fewest:
        near = (found, behind)
        single = [
            residual(_only(evidence, k), _fit(_without(evidence, k), model, near, scene, metric)[0], metric)[
                0
            ]
            for k in range(len(left))
            if evidence.neutral.sum() - evidence.neutral[k] >= min(fewest, 2)
        ]
        loo = float(np.mean(single))
    moved = metric.between(
        evidence.shot * 2.0**found.balance.stops, np.asarray(found.linear(evidence.shot), np.float64)
    )
    return Solution(
        model,
        found,
        float(left.mean()),
        float(np.percentile(left, 95)),
        loo,
        condition_of(found),
        float(moved.mean()),
        metric.name,
    )


def _fit(
    pairs: Evidence, model: str, near: tuple[Grade, Grade] | None, scene: Float64 | None, metric: Metric
) -> tuple[Grade, Grade]:
    """The model's grade, and the matrix that stands behind a CDL. `near`: the same two for evidence that is nearly the same."""
    base, _, warp = model.partition("+")
    start, start_matrix = near or (None, None)
    behind = Grade()
    chart, pairs = pairs, _wider(pairs, _WIDER[base])
    if base == "gains":
        grade = _gains(pairs)
    elif base == "matrix":
        grade = _matrix(pairs, start, metric)
    elif base == "root":
        behind = _matrix(_wider(chart, _WIDER["matrix"]), start_matrix, metric)
        grade = _root(pairs, start or behind, metric)
    elif scene is None or not len(scene):
        grade = _cdl(pairs, start, metric)
    else:
        behind = _matrix(pairs, start_matrix, metric)
        grade = _cdl(pairs, start, metric, scene, np.asarray(behind.linear(scene), np.float64))
    if warp:
        wide = pairs if base != "gains" else _wider(chart, _WIDER["matrix"])
        grade = _warped(wide, replace(grade, warp=None), start.warp if start else None, metric)
    return grade, behind


_WIDER = {"gains": 0.0, "cdl": 4.0, "matrix": 4.0, "root": 0.5}
"""How much predicted colours weigh against the chart's own: rich models follow single errors of the prediction."""


def _wider(pairs: Evidence, share: float) -> Evidence:
    """The pairs and, where their reflectances are known, what both sides would make of other reflectances."""
    if not share or pairs.reflectance is None:
        return pairs
    hero, shot = (predicted(pairs.reflectance, c) for c in (pairs.hero, pairs.shot))
    if hero is None or shot is None:
        return pairs
    keep = (hero > 1e-3).all(axis=1) & (shot > 1e-3).all(axis=1)
    if keep.sum() < 40:
        return pairs
    say = np.full(int(keep.sum()), share * pairs.weights.sum() / keep.sum())
    return Evidence(
        np.concatenate([pairs.hero, hero[keep]]),
        np.concatenate([pairs.shot, shot[keep]]),
        np.concatenate([pairs.neutral, np.zeros(len(say), bool)]),
        np.concatenate([pairs.weights, say]),
    )


def solve_all(
    evidence: Evidence,
    progress: Callable[[float], None] | None = None,
    scene: Float64 | None = None,
    models: Sequence[str] = BASES,
    metric: Metric = DE00,
) -> list[Solution]:
    """Every model that the evidence can carry, from simple to rich. Raises AquinError when it carries none."""
    out, refused = [], None
    for k, model in enumerate(models):
        try:
            out.append(solve(evidence, model, scene=scene, metric=metric))
        except AquinError as error:
            refused = error
        if progress:
            progress((k + 1) / len(models))
    if not out and refused is not None:
        raise refused
    return out


def best_of(solutions: Sequence[Solution]) -> Solution:
    """Least leave-one-out residual, with 5 % allowed for each step towards a simpler model."""
    order = {name: 1.05**k for k, name in enumerate(MODELS)}
    known = [s for s in solutions if np.isfinite(s.loo)] or list(solutions)
    return min(known, key=lambda s: (s.loo if np.isfinite(s.loo) else s.mean) * order[s.model])


def residual(evidence: Evidence, grade: Grade, metric: Metric = DE00) -> Float64:
    """(n,) colour differences between hero and graded shot."""
    return metric.between(evidence.hero, np.asarray(grade.linear(evidence.shot), np.float64))


def condition_of(grade: Grade) -> float:
    """Largest over smallest stretch of small colour steps about 18 % grey, in scene-linear."""
    here = np.full((1, 3), 0.18) / np.asarray(grade.balance.factors)
    nudges = here + 1e-4 * np.vstack([np.zeros(3), np.eye(3)])
    out = np.asarray(grade.linear(nudges), np.float64)
    return float(np.linalg.cond(out[1:] - out[0]))


def _gains(evidence: Evidence) -> Grade:
    """Channel gains that bring the neutrals together: geometric mean of the ratios, the darkest left out."""
    hero, shot = (c[evidence.neutral] for c in (evidence.hero, evidence.shot))
    if not len(hero):
        raise AquinError("no neutral can be used", None, "Mark a neutral, or film the chart again")
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
    evidence: Evidence,
    start: Grade | None,
    metric: Metric,
    scene: Float64 | None = None,
    wanted: Float64 | None = None,
) -> Grade:
    """Grey gains, then the CDL trim of least difference on the pairs, and on the scene's colours where `wanted` is known."""
    balance = _gains(evidence).balance
    first = _STILL
    if start is not None:
        t = start.trim
        first = np.array([*t.slope, *t.offset, *t.power, t.saturation])
    shot, hero, say = evidence.shot, metric.space(evidence.hero), evidence.weights
    if scene is not None and wanted is not None:
        say = np.concatenate([say, np.full(len(scene), _SCENE_SAY * len(shot) / len(scene))])
        shot, hero = np.concatenate([shot, scene]), np.concatenate([hero, metric.space(wanted)])
    log = np.asarray(acescct.encode(shot * balance.factors), np.float64)
    luma = np.array(LUMA)

    def left(trims: Float64) -> Float64:
        """(k, 10) trims to (k, n, 3) colour terms: `Cdl.apply` for many CDLs at once."""
        slope, offset, power = (trims[:, None, 3 * k : 3 * k + 3] for k in range(3))
        out = log * slope + offset
        out = np.where(out > 0, np.maximum(out, 1e-30) ** power, out)
        grey = (out @ luma)[..., None]
        return metric.terms(hero, metric.space(acescct.decode(grey + trims[:, None, 9:] * (out - grey))))

    low = np.array([0.3] * 3 + [-0.3] * 3 + [0.3] * 3 + [0.2])
    high = np.array([3.0] * 3 + [0.3] * 3 + [3.0] * 3 + [3.0])
    return Grade(balance, trim_of(_least(left, first, _STILL, _SPREAD, low, high, say)))


def _matrix(evidence: Evidence, start: Grade | None, metric: Metric) -> Grade:
    """Grey gains, then the 3x3 matrix in scene-linear of least difference."""
    balance = _gains(evidence).balance
    still = np.eye(3).ravel()
    first = still if start is None or start.matrix is None else np.array(start.matrix).ravel()
    hero, shot = metric.space(evidence.hero), evidence.shot * balance.factors

    def left(matrices: Float64) -> Float64:
        return metric.terms(hero, metric.space(shot @ matrices.reshape(-1, 3, 3).transpose(0, 2, 1)))

    found = _least(left, first, still, np.full(9, 0.2), still - 2, still + 2, evidence.weights).reshape(3, 3)
    rows = [(float(r[0]), float(r[1]), float(r[2])) for r in found]
    matrix: Matrix3 = (rows[0], rows[1], rows[2])
    return Grade(balance, matrix=matrix)


def neutral_matrix(evidence: Evidence, metric: Metric = DE00) -> Float64:
    """(3, 3) of least difference from shot to hero that keeps neutrals neutral: each row adds up to 1."""
    hero, shot = metric.space(evidence.hero), evidence.shot

    def matrices(v: Float64) -> Float64:
        out = np.empty((len(v), 3, 3))
        for row, (i, j) in enumerate(((1, 2), (0, 2), (0, 1))):
            out[:, row, i], out[:, row, j] = v[:, 2 * row], v[:, 2 * row + 1]
            out[:, row, row] = 1 - v[:, 2 * row] - v[:, 2 * row + 1]
        return out

    def left(v: Float64) -> Float64:
        return metric.terms(hero, metric.space(shot @ matrices(v).transpose(0, 2, 1)))

    still = np.zeros(6)
    found = _least(left, still, still, np.full(6, 0.5), still - 2, still + 2, evidence.weights)
    return np.asarray(matrices(found[None])[0], np.float64)


def _root(evidence: Evidence, start: Grade, metric: Metric) -> Grade:
    """Grey gains, then the root polynomial of least difference, drawn a little to the matrix it starts from."""
    balance = _gains(evidence).balance
    still = np.zeros((3, TERMS))
    still[:, :3] = np.eye(3) if start.matrix is None else np.array(start.matrix)
    first = still if start.root is None else np.array(start.root)
    hero, terms = metric.space(evidence.hero), expand(evidence.shot * balance.factors)

    def left(rows: Float64) -> Float64:
        return metric.terms(hero, metric.space(terms @ rows.reshape(-1, 3, TERMS).transpose(0, 2, 1)))

    still = still.ravel()
    found = _least(
        left, first.ravel(), still, np.full(3 * TERMS, _ROOT_SPREAD), still - 3, still + 3, evidence.weights
    )
    return Grade(balance, root=root_of(found.reshape(3, TERMS)))


_ROOT_SPREAD = 10.0
_WARP_SPREAD = np.array([8.0] * 6 + [0.15] * 6)


def _warped(evidence: Evidence, base: Grade, start: HueWarp | None, metric: Metric) -> Grade:
    """The base with the hue warp of least difference on what it leaves."""
    log = np.asarray(base.apply_linear(evidence.shot), np.float64)
    hero, hue = metric.space(evidence.hero), hue_of(log)
    x, y = planes(log)

    def left(nodes: Float64) -> Float64:
        turn = np.radians(spread(nodes[:, :6], hue))
        scale = spread(nodes[:, 6:], hue)
        out = moved(
            np.broadcast_to(log, (len(nodes), *log.shape)), x, y, scale * np.cos(turn), scale * np.sin(turn)
        )
        return metric.terms(hero, metric.space(acescct.decode(out)))

    still = np.array([0.0] * 6 + [1.0] * 6)
    first = still if start is None else np.array([*start.turn, *start.scale])
    low, high = np.array([-MOST_TURN] * 6 + [0.3] * 6), np.array([MOST_TURN] * 6 + [2.5] * 6)
    v = [float(n) for n in _least(left, first, still, _WARP_SPREAD, low, high, evidence.weights)]
    return replace(
        base, warp=HueWarp((v[0], v[1], v[2], v[3], v[4], v[5]), (v[6], v[7], v[8], v[9], v[10], v[11]))
    )


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
    return evidence.part(np.arange(len(evidence.hero)) != k)


def _only(evidence: Evidence, k: int) -> Evidence:
    return evidence.part(np.arange(len(evidence.hero)) == k)

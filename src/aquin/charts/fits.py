"""One model each: the correction of least colour difference from a shot's colours to its hero's."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour import acescct
from aquin.colour.cdl import LUMA, Cdl
from aquin.colour.difference import delta_terms, itp_of_ap1, lab_of_ap1
from aquin.colour.grade import MOST_FLARE, Balance, Grade, Matrix3
from aquin.colour.hue_warp import MOST_TURN, HueWarp, hue_of, moved, planes, spread
from aquin.colour.root_polynomial import TERMS, expand, root_rows
from aquin.colour.tone_curve import ToneCurve, moved_by
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence


@dataclass(frozen=True)
class Metric:
    """A colour difference for solving: `space` takes scene-linear AP1 to coordinates, `terms` two of those to
    (..., 3) parts whose
    length is the difference."""

    name: str
    space: Callable[[Floats], Float64]
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


def gains_of(evidence: Evidence) -> Grade:
    """Channel gains that bring the neutrals together: geometric mean of the ratios, the darkest left out. Where no
    pair is known to be neutral, the gains that bring most of all pairs together.
    """
    hero, shot = (c[evidence.neutral] for c in (evidence.hero, evidence.shot))
    if not len(hero):
        return _gains_of_all(evidence)
    level = shot.mean(1)
    keep = level > 0.05 * level.max()
    ratio = np.maximum(hero[keep], 1e-5) / np.maximum(shot[keep], 1e-5)
    weight = np.sqrt(level[keep])[:, None]
    return Grade(Balance.from_factors(np.exp((np.log(ratio) * weight).sum(0) / weight.sum())))


def _gains_of_all(evidence: Evidence) -> Grade:
    """Weighted medians of the ratios of the channels, the darkest left out."""
    if not len(evidence.hero):
        raise AquinError("no colours can be used", None, "Mark a neutral, or film the chart again")
    level = evidence.shot.mean(1)
    keep = (level > 0.05 * np.percentile(level, 95)) & (evidence.weights > 0)
    ratio = np.log(np.maximum(evidence.hero[keep], 1e-5) / np.maximum(evidence.shot[keep], 1e-5))
    say = evidence.weights[keep]
    middle = []
    for channel in ratio.T:
        order = np.argsort(channel)
        total = np.cumsum(say[order])
        middle.append(channel[order][min(int(np.searchsorted(total, total[-1] / 2)), len(order) - 1)])
    return Grade(Balance.from_factors(np.exp(np.clip(middle, -8, 8))))


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


def cdl_of(
    evidence: Evidence,
    start: Grade | None,
    metric: Metric,
    scene: Float64 | None = None,
    wanted: Float64 | None = None,
    saturation: bool = True,
) -> Grade:
    """Grey gains, then the CDL trim of least difference on the pairs, and on the scene's colours where `wanted` is
    known. `scene`, `wanted`: (n, 3) scene-linear AP1. `saturation`: whether it is free, or stays 1.
    """
    balance = gains_of(evidence).balance
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
    if not saturation:
        low[9], high[9], first = 1 - 1e-9, 1 + 1e-9, np.array([*first[:9], 1.0])
    return Grade(balance, trim_of(least(left, first, _STILL, _SPREAD, low, high, say)))


def matrix_of(evidence: Evidence, start: Grade | None, metric: Metric) -> Grade:
    """Grey gains, then the 3x3 matrix in scene-linear of least difference."""
    balance = gains_of(evidence).balance
    still = np.eye(3).ravel()
    first = still if start is None or start.matrix is None else np.array(start.matrix).ravel()
    hero, shot = metric.space(evidence.hero), evidence.shot * balance.factors

    def left(matrices: Float64) -> Float64:
        return metric.terms(hero, metric.space(shot @ matrices.reshape(-1, 3, 3).transpose(0, 2, 1)))

    found = least(left, first, still, np.full(9, 0.2), still - 2, still + 2, evidence.weights).reshape(3, 3)
    rows = [(float(r[0]), float(r[1]), float(r[2])) for r in found]
    matrix: Matrix3 = (rows[0], rows[1], rows[2])
    return Grade(balance, matrix=matrix)


_FLARE_SPREAD = 0.1


def flared_of(
    evidence: Evidence, base: str, start: Grade | None, metric: Metric, most: Float64 | None = None
) -> Grade:
    """Flare off, then grey gains or a 3x3 matrix (`base`), all of least difference together. No more flare comes off
    than the darkest of the pairs can hold, or than `most`, (3,) scene-linear.
    """
    balance = gains_of(evidence).balance if start is None else start.balance
    rows = 9 if base == "matrix" else 3
    still = np.zeros(3 + rows)
    still[3:] = np.eye(3).ravel() if rows == 9 else 1.0
    first = still.copy()
    if start is not None:
        first[:3] = start.flare
        if start.matrix is not None:
            first[3:] = np.ravel(start.matrix)
    hero, shot = metric.space(evidence.hero), evidence.shot
    darkest = np.maximum(np.percentile(shot, 1, axis=0) if most is None else most, 0.0)
    low, high = still - 2, still + 2
    low[:3], high[:3] = -MOST_FLARE, np.minimum(darkest, MOST_FLARE)
    low[3:] = np.maximum(low[3:], 0.05) if rows == 3 else low[3:]

    def left(v: Float64) -> Float64:
        lit = (shot - v[:, None, :3]) * balance.factors
        if rows == 3:
            return metric.terms(hero, metric.space(lit * v[:, None, 3:]))
        return metric.terms(hero, metric.space(lit @ v[:, 3:].reshape(-1, 3, 3).transpose(0, 2, 1)))

    spread = np.array([_FLARE_SPREAD] * 3 + [0.5 if rows == 3 else 0.2] * rows)
    found = least(left, first, still, spread, low, high, evidence.weights)
    flare = (float(found[0]), float(found[1]), float(found[2]))
    if rows == 3:
        return Grade(Balance.from_factors(balance.factors * found[3:]), flare=flare)
    r, g, b = ((float(x), float(y), float(z)) for x, y, z in found[3:].reshape(3, 3))
    return Grade(balance, matrix=(r, g, b), flare=flare)


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
    found = least(left, still, still, np.full(6, 0.5), still - 2, still + 2, evidence.weights)
    return np.asarray(matrices(found[None])[0], np.float64)


def root_of(evidence: Evidence, start: Grade, metric: Metric) -> Grade:
    """Grey gains, then the root polynomial of least difference, drawn a little to the matrix it starts from."""
    balance = gains_of(evidence).balance
    base = np.zeros((3, TERMS))
    base[:, :3] = np.eye(3) if start.matrix is None else np.array(start.matrix)
    first = base if start.root is None else np.array(start.root)
    hero, terms = metric.space(evidence.hero), expand(evidence.shot * balance.factors)

    def left(rows: Float64) -> Float64:
        return metric.terms(hero, metric.space(terms @ rows.reshape(-1, 3, TERMS).transpose(0, 2, 1)))

    still = base.ravel()
    found = least(
        left, first.ravel(), still, np.full(3 * TERMS, _ROOT_SPREAD), still - 3, still + 3, evidence.weights
    )
    return Grade(balance, root=root_rows(found.reshape(3, TERMS)))


_ROOT_SPREAD = 10.0
_WARP_SPREAD = np.array([24.0] * 6 + [0.45] * 6)


def warped_of(evidence: Evidence, base: Grade, start: HueWarp | None, metric: Metric) -> Grade:
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
    v = [float(n) for n in least(left, first, still, _WARP_SPREAD, low, high, evidence.weights)]
    return replace(
        base, warp=HueWarp((v[0], v[1], v[2], v[3], v[4], v[5]), (v[6], v[7], v[8], v[9], v[10], v[11]))
    )


_LIFT_SPREAD = np.full(5, 0.6)


def curved_of(evidence: Evidence, base: Grade, start: ToneCurve | None, metric: Metric) -> Grade:
    """The base with the tone curve of least difference on what it leaves."""
    log = np.asarray(base.apply_linear(evidence.shot), np.float64)
    hero = metric.space(evidence.hero)
    basis = (
        moved_by(np.eye(5) * 0.1, log) / 0.1
    )  # PCHIP is nearly linear in small lifts; the steps below make up for the rest

    def left(lifts: Float64) -> Float64:
        near = np.tensordot(lifts, basis, axes=1)
        exact = moved_by(np.clip(lifts[:1], low, high), log)
        out = log + acescct.STOP * (near + (exact - near[:1]))
        return metric.terms(hero, metric.space(acescct.decode(out)))

    still, first = np.zeros(5), np.zeros(5) if start is None else np.array(start.lift)
    low, high = np.full(5, -0.85), np.full(5, 0.85)
    v = [float(n) for n in least(left, first, still, _LIFT_SPREAD, low, high, evidence.weights)]
    return replace(base, curve=ToneCurve((v[0], v[1], v[2], v[3], v[4])))


def least(
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

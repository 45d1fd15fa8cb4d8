"""One model each: the correction of least colour difference from a shot's colours to its hero's."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour import acescct
from aquin.colour.cdl import LUMA, Cdl
from aquin.colour.difference import delta_terms, itp_of_ap1, lab_of_ap1
from aquin.colour.even_table import EvenTable
from aquin.colour.grade import MOST_FLARE, Balance, Grade, Matrix3
from aquin.colour.hue_warp import MOST_TURN, HueWarp, between, hue_of, moved, planes
from aquin.colour.root_polynomial import TERMS, expand, root_rows
from aquin.colour.tone_curve import AT, ToneCurve, moving
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


@dataclass(frozen=True)
class Aim:
    """What colours are to come near: `hero`, (n, 3) in the metric's space."""

    metric: Metric
    hero: Float64

    @classmethod
    def at(cls, metric: Metric, hero: Float64) -> "Aim":
        """(n, 3) scene-linear AP1."""
        return cls(metric, metric.space(hero))

    def terms(self, colours: Floats) -> Float64:
        """(..., n, 3) scene-linear AP1 to the parts of their differences, (..., n, 3)."""
        return self.metric.terms(self.hero, self.metric.space(colours))

    def slopes(self, colours: Float64, terms: Float64) -> Float64:
        """(3, n, 3): by how much the parts move for each channel of (n, 3) colours whose `terms` are known."""
        step = 1e-6 * np.maximum(np.abs(colours), 1e-2)
        nudged = colours + np.eye(3)[:, None] * step
        return np.asarray((self.terms(nudged) - terms) / step.T[..., None], np.float64)


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
    shot, hero, say = evidence.shot, evidence.hero, evidence.weights
    if scene is not None and wanted is not None:
        say = np.concatenate([say, np.full(len(scene), _SCENE_SAY * len(shot) / len(scene))])
        shot, hero = np.concatenate([shot, scene]), np.concatenate([hero, wanted])
    log = np.asarray(acescct.encode(shot * balance.factors), np.float64)
    luma = np.array(LUMA)

    def made(trims: Float64) -> Floats:
        """(k, 10) trims to (k, n, 3) colours: `Cdl.apply` for many CDLs at once."""
        slope, offset, power = (trims[:, None, 3 * k : 3 * k + 3] for k in range(3))
        out = log * slope + offset
        out = np.where(out > 0, np.maximum(out, 1e-30) ** power, out)
        grey = (out @ luma)[..., None]
        return acescct.decode(grey + trims[:, None, 9:] * (out - grey))

    low = np.array([0.3] * 3 + [-0.3] * 3 + [0.3] * 3 + [0.2])
    high = np.array([3.0] * 3 + [0.3] * 3 + [3.0] * 3 + [3.0])
    if not saturation:
        low[9], high[9], first = 1 - 1e-9, 1 + 1e-9, np.array([*first[:9], 1.0])
    near = start is not None
    found = least(made, Aim.at(metric, hero), first, _STILL, _SPREAD, low, high, say, near)
    return Grade(balance, trim_of(found))


def matrix_of(evidence: Evidence, start: Grade | None, metric: Metric) -> Grade:
    """Grey gains, then the 3x3 matrix in scene-linear of least difference."""
    balance = gains_of(evidence).balance
    still = np.eye(3).ravel()
    first = still if start is None or start.matrix is None else np.array(start.matrix).ravel()
    aim, shot = Aim.at(metric, evidence.hero), evidence.shot * balance.factors

    def made(matrices: Float64) -> Floats:
        return np.asarray(shot @ matrices.reshape(-1, 3, 3).transpose(0, 2, 1), np.float64)

    near = start is not None and start.matrix is not None
    found = least(made, aim, first, still, np.full(9, 0.2), still - 2, still + 2, evidence.weights, near)
    rows = [(float(r[0]), float(r[1]), float(r[2])) for r in found.reshape(3, 3)]
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
    aim, shot = Aim.at(metric, evidence.hero), evidence.shot
    darkest = np.maximum(np.percentile(shot, 1, axis=0) if most is None else most, 0.0)
    low, high = still - 2, still + 2
    low[:3], high[:3] = -MOST_FLARE, np.minimum(darkest, MOST_FLARE)
    low[3:] = np.maximum(low[3:], 0.05) if rows == 3 else low[3:]

    def made(v: Float64) -> Floats:
        lit = (shot - v[:, None, :3]) * balance.factors
        if rows == 3:
            return np.asarray(lit * v[:, None, 3:], np.float64)
        return np.asarray(lit @ v[:, 3:].reshape(-1, 3, 3).transpose(0, 2, 1), np.float64)

    spread = np.array([_FLARE_SPREAD] * 3 + [0.5 if rows == 3 else 0.2] * rows)
    found = least(made, aim, first, still, spread, low, high, evidence.weights, start is not None)
    flare = (float(found[0]), float(found[1]), float(found[2]))
    if rows == 3:
        return Grade(Balance.from_factors(balance.factors * found[3:]), flare=flare)
    r, g, b = ((float(x), float(y), float(z)) for x, y, z in found[3:].reshape(3, 3))
    return Grade(balance, matrix=(r, g, b), flare=flare)


def neutral_matrix(evidence: Evidence, metric: Metric = DE00) -> Float64:
    """(3, 3) of least difference from shot to hero that keeps neutrals neutral: each row adds up to 1."""
    shot = evidence.shot

    def matrices(v: Float64) -> Float64:
        out = np.empty((len(v), 3, 3))
        for row, (i, j) in enumerate(((1, 2), (0, 2), (0, 1))):
            out[:, row, i], out[:, row, j] = v[:, 2 * row], v[:, 2 * row + 1]
            out[:, row, row] = 1 - v[:, 2 * row] - v[:, 2 * row + 1]
        return out

    def made(v: Float64) -> Floats:
        return np.asarray(shot @ matrices(v).transpose(0, 2, 1), np.float64)

    still, aim = np.zeros(6), Aim.at(metric, evidence.hero)
    found = least(made, aim, still, still, np.full(6, 0.5), still - 2, still + 2, evidence.weights)
    return np.asarray(matrices(found[None])[0], np.float64)


def root_of(evidence: Evidence, start: Grade, metric: Metric) -> Grade:
    """Grey gains, then the root polynomial of least difference, drawn a little to the matrix it starts from."""
    balance = gains_of(evidence).balance
    base = np.zeros((3, TERMS))
    base[:, :3] = np.eye(3) if start.matrix is None else np.array(start.matrix)
    first = base if start.root is None else np.array(start.root)
    aim, terms = Aim.at(metric, evidence.hero), expand(evidence.shot * balance.factors)

    def made(rows: Float64) -> Floats:
        return np.asarray(terms @ rows.reshape(-1, 3, TERMS).transpose(0, 2, 1), np.float64)

    still, spread = base.ravel(), np.full(3 * TERMS, _ROOT_SPREAD)
    near, say = start.root is not None, evidence.weights
    found = least(made, aim, first.ravel(), still, spread, still - 3, still + 3, say, near)
    return Grade(balance, root=root_rows(found.reshape(3, TERMS)))


_ROOT_SPREAD = 10.0
_WARP_SPREAD = np.array([24.0] * 6 + [0.45] * 6)


def warped_of(evidence: Evidence, base: Grade, start: HueWarp | None, metric: Metric) -> Grade:
    """The base with the hue warp of least difference on what it leaves."""
    log = np.asarray(base.apply_linear(evidence.shot), np.float64)
    aim, spread = Aim.at(metric, evidence.hero), between(hue_of(log))
    x, y = planes(log)

    def made(nodes: Float64) -> Floats:
        turn = np.radians(spread(nodes[:, :6]))
        scale = spread(nodes[:, 6:])
        out = moved(
            np.broadcast_to(log, (len(nodes), *log.shape)), x, y, scale * np.cos(turn), scale * np.sin(turn)
        )
        return acescct.decode(out)

    still = np.array([0.0] * 6 + [1.0] * 6)
    first = still if start is None else np.array([*start.turn, *start.scale])
    low, high = np.array([-MOST_TURN] * 6 + [0.3] * 6), np.array([MOST_TURN] * 6 + [2.5] * 6)
    found = least(made, aim, first, still, _WARP_SPREAD, low, high, evidence.weights, start is not None)
    v = [float(n) for n in found]
    return replace(
        base, warp=HueWarp((v[0], v[1], v[2], v[3], v[4], v[5]), (v[6], v[7], v[8], v[9], v[10], v[11]))
    )


_LIFT_SPREAD = np.full(5, 0.6)


def curved_of(evidence: Evidence, base: Grade, start: ToneCurve | None, metric: Metric) -> Grade:
    """The base with the tone curve of least difference on what it leaves."""
    log = np.asarray(base.apply_linear(evidence.shot), np.float64)
    aim, curve = Aim.at(metric, evidence.hero), moving(log)
    # PCHIP is nearly linear in small lifts; the steps below make up for the rest
    basis = curve(np.eye(5) * 0.1) / 0.1

    def made(lifts: Float64) -> Floats:
        near = np.tensordot(lifts, basis, axes=1)
        exact = curve(np.clip(lifts[:1], low, high))
        out = log + acescct.STOP * (near + (exact - near[:1]))
        return acescct.decode(out)

    still, first = np.zeros(5), np.zeros(5) if start is None else np.array(start.lift)
    low, high = np.full(5, -0.85), np.full(5, 0.85)
    found = least(made, aim, first, still, _LIFT_SPREAD, low, high, evidence.weights, start is not None)
    v = [float(n) for n in found]
    return replace(base, curve=ToneCurve((v[0], v[1], v[2], v[3], v[4])))


_TONES = np.linspace(AT[0], AT[-1], 256)
_LIFTED = moving(_TONES)


def curved_matrix_of(evidence: Evidence, start: Grade | None, metric: Metric) -> Grade:
    """Grey gains, then the 3x3 matrix in scene-linear and the tone curve of least difference, both together: what a
    curve bends, a matrix that was fitted without it takes for colour.
    """
    first = start
    if first is None or first.matrix is None:
        first = curved_of(evidence, matrix_of(evidence, None, metric), None, metric)
    balance, lift = gains_of(evidence).balance, first.curve.lift if first.curve is not None else (0.0,) * 5
    aim, shot = Aim.at(metric, evidence.hero), evidence.shot * balance.factors

    def made(v: Float64) -> Floats:
        log = acescct.encode(np.asarray(shot @ v[:, :9].reshape(-1, 3, 3).transpose(0, 2, 1), np.float64))
        tables = (EvenTable(AT[0], AT[-1], acescct.STOP * by) for by in _LIFTED(v[:, 9:]))
        return acescct.decode(np.stack([one + table(one) for one, table in zip(log, tables, strict=True)]))

    still = np.array([*np.eye(3).ravel(), *[0.0] * 5])
    reach = np.array([2.0] * 9 + [0.85] * 5)
    spread = np.array([0.2] * 9 + [*_LIFT_SPREAD])
    begun = np.array([*np.ravel(first.matrix or np.eye(3)), *lift])
    near = start is not None and start.matrix is not None
    found = least(made, aim, begun, still, spread, still - reach, still + reach, evidence.weights, near)
    v = [float(n) for n in found]
    rows: Matrix3 = ((v[0], v[1], v[2]), (v[3], v[4], v[5]), (v[6], v[7], v[8]))
    return Grade(balance, matrix=rows, curve=ToneCurve((v[9], v[10], v[11], v[12], v[13])))


ENOUGH, ENOUGH_NEAR = 1e-5, 1e-4
"""Share of the cost that a step has to gain for another to follow."""


def least(
    made: Callable[[Float64], Floats],
    aim: Aim,
    first: Float64,
    still: Float64,
    spread: Float64,
    low: Float64,
    high: Float64,
    say: Float64 | None = None,
    near: bool = False,
) -> Float64:
    """Robust least squares of colour terms (soft L1 from 1 dE00 on), weighted by `say`, with a pull to `still`.

    `made` takes (k, p) candidates to (k, n, 3) scene-linear colours, `aim` those to terms. Reweighting with
    Gauss-Newton steps, damped after Levenberg and Marquardt; derivatives by forward differences, of the colours and of
    the terms one after the other: terms cost most, and have three slopes however many numbers there are. `near`:
    `first` is the best for nearly the same colours, and a step that gains little ends it (what is left out one by one
    then leaves the same within 0.6 %).
    """
    vector = np.clip(first, low, high)
    nudges = 1e-5 * np.eye(len(vector))
    weigh = np.float64(1.0) if say is None else say

    def cost(v: Float64, terms: Float64) -> float:
        length2 = (terms**2).sum(-1)
        return float((weigh * 2 * (np.sqrt(1 + length2) - 1)).sum() + (((v - still) / spread) ** 2).sum())

    def seen(v: Float64) -> tuple[Float64, Float64]:
        colours = np.asarray(made(v[None])[0], np.float64)
        return colours, aim.terms(colours)

    colours, terms = seen(vector)
    best, damping = cost(vector, terms), 1e-3
    for _ in range(40):
        root = np.sqrt(weigh * (1 + (terms**2).sum(-1)) ** -0.5)[:, None]
        turns = (made(vector + nudges) - colours) / 1e-5
        steep = aim.slopes(colours, terms) * root
        slopes = (turns.transpose(1, 0, 2) @ steep.transpose(1, 0, 2)).transpose(1, 0, 2)
        slopes = slopes.reshape(len(vector), -1)
        normal = slopes @ slopes.T + np.diag(1 / spread**2)
        pull = slopes @ (terms * root).ravel() + (vector - still) / spread**2
        for _ in range(8):
            step = np.linalg.solve(normal + damping * np.diag(np.diag(normal)), pull)
            candidate = np.clip(vector - step, low, high)
            new_colours, new_terms = seen(candidate)
            value = cost(candidate, new_terms)
            if value < best:
                break
            damping *= 8
        else:
            return vector
        gained = best - value
        vector, colours, terms = candidate, new_colours, new_terms
        best, damping = value, max(damping / 8, 1e-9)
        if gained < (ENOUGH_NEAR if near else ENOUGH) * max(best, 1e-2):
            break
    return vector

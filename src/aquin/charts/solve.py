"""Corrections from paired colours, from simple to rich, each with its residual on the pairs and leave-one-out."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from aquin.arrays import Float64
from aquin.charts.diversity import Diversity, diversity_of
from aquin.charts.fits import (
    DE00,
    METRICS,
    Metric,
    cdl_of,
    curved_matrix_of,
    curved_of,
    flared_of,
    gains_of,
    matrix_of,
    root_of,
    trim_of,
    warped_of,
)
from aquin.charts.reflectances import predicted, predicted_from_others
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence
from aquin.remembered import Remembered, mark

__all__ = [
    "BASES",
    "CURVED",
    "DE00",
    "FLARED",
    "FULL",
    "METRICS",
    "MODELS",
    "WARPED",
    "Metric",
    "Solution",
    "best_of",
    "condition_of",
    "residual",
    "solve",
    "solve_all",
    "title_of",
    "trim_of",
]

BASES = ("gains", "cdl", "matrix", "root")
WARPED = tuple(f"{base}+warp" for base in BASES)
CURVED = ("cdl+curve", "matrix+curve", "cdl+curve+warp")
FLARED = ("gains+flare", "matrix+flare")
MODELS = BASES + WARPED + CURVED + FLARED
"""`+curve` adds a tone curve on what a CDL leaves, or solves one together with a matrix, `+warp` a hue warp on what is
left then; `+flare` takes off the light that lies evenly over the picture before it.
"""
FULL = "cdl+curve+warp"
_STEPS = {name: k for k, name in enumerate(BASES + WARPED)}
_STEPS |= {"gains+flare": 1, "cdl+curve": 2, "matrix+flare": 3, "matrix+curve": 3, FULL: 6}
"""How far a model is from the simplest."""

TITLES = {"gains": "grey gains", "cdl": "CDL", "matrix": "3×3", "root": "root polynomial"}

EXTRAS = {"curve": "tone curve", "warp": "hue warp", "flare": "flare"}

MANY = 60
"""Pairs from which on groups of them are left out together, a tenth at a time."""

SHOWS = 0.9
"""Share of what the same without flare leaves, under which flare shows."""

FEWEST = 6
"""Pairs that anything beyond grey gains needs."""


@dataclass(frozen=True)
class Solution:
    """A model's grade and what it leaves: mean and 95th percentile on the evidence, and leave-one-out mean, by
    `metric`.

    `condition`: how unevenly the grade stretches colours at 18 % grey (ratio of the largest to the smallest stretch;
    1 is even, noise
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
    pairs: int = 0
    """How many it was solved from."""

    @property
    def title(self) -> str:
        return title_of(self.model)


def title_of(model: str) -> str:
    """The model in words."""
    base, *more = model.split("+")
    return " + ".join([TITLES[base], *(EXTRAS[m] for m in more)])


def solve(
    evidence: Evidence,
    model: str,
    leave_one_out: bool = True,
    scene: Float64 | None = None,
    metric: Metric = DE00,
    folds: int | None = None,
) -> Solution:
    """Solve one model. Raises AquinError when the evidence can't carry it.

    `folds`: into so many groups pairs are parted that are left out together; where None, one by one, or a tenth at
    a time of many.

    `scene`: (m, 3) scene-linear AP1 colours of the shot. A CDL can't be right for every colour; with `scene` it is
    fitted to what the 3x3 matrix of the same evidence makes of them as well, so that it is best for the colours
    that are there.
    """
    asked = (evidence.hero, evidence.shot, evidence.neutral, evidence.say, evidence.reflectance, scene)
    key = mark(*asked, model, leave_one_out, metric.name, folds)
    work = partial(_solved, evidence, model, leave_one_out, scene, metric, folds)
    found = _SOLVED.get(key, lambda: _tried(work))
    if isinstance(found, AquinError):
        raise AquinError(found.what, found.file or None, found.remedy)
    return found


_SOLVED: Remembered[Solution | AquinError] = Remembered(1000)
"""What was solved of late, and what could not be: a shot that is shown again has the same evidence."""


def _tried(work: Callable[[], Solution]) -> Solution | AquinError:
    try:
        return work()
    except AquinError as error:
        return AquinError(error.what, error.file or None, error.remedy)  # holds no frame of the stack


def _solved(
    evidence: Evidence,
    model: str,
    leave_one_out: bool,
    scene: Float64 | None,
    metric: Metric,
    folds: int | None,
) -> Solution:
    if model not in MODELS:
        raise AquinError(f"there is no model '{model}'", None, f"There are: {', '.join(MODELS)}")
    fewest = 1 if model == "gains" and evidence.neutral.any() else FEWEST
    wants_neutral = evidence.reflectance is not None or evidence.neutral.any()
    if len(evidence.hero) < fewest or (wants_neutral and evidence.neutral.sum() < min(fewest, 2)):
        raise AquinError(
            f"only {len(evidence.hero)} pairs ({int(evidence.neutral.sum())} neutral) can be used, too few to solve",
            None,
            "Use a frame where the chart is not clipped and free of glare",
        )
    _check_carried(model, diversity_of(evidence))
    trust = _trust(evidence, metric) if evidence.reflectance is not None and model != "gains" else 0.0
    found, behind = _fit(evidence, model, None, scene, metric, trust)
    left = residual(evidence, found, metric)
    if model in FLARED:
        _flare_shows(evidence, model, float(left.mean()), behind, metric)
    loo = float("nan")
    if leave_one_out and len(left) > fewest:
        neutrals = min(fewest, 2) if wants_neutral else 0

        def fit(rest: Evidence) -> Grade:
            return _fit(rest, model, (found, behind), scene, metric, trust)[0]

        loo = _left_out(evidence, fit, metric, folds, neutrals)
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
        len(evidence.hero),
    )


def _left_out(
    evidence: Evidence, fit: Callable[[Evidence], Grade], metric: Metric, folds: int | None, neutrals: int
) -> float:
    """Mean of what is left on pairs that the fit did not see; `neutrals`: so many have to remain."""
    count = len(evidence.hero)
    many = folds or (count if count <= MANY else 10)
    groups = np.arange(count) % min(many, count)
    single = []
    for k in range(groups.max() + 1):
        out = groups == k
        rest = evidence.part(~out)
        if rest.neutral.sum() >= neutrals:
            single.append(float(residual(evidence.part(out), fit(rest), metric).mean()))
    return float(np.mean(single))


def _flare_shows(evidence: Evidence, model: str, left: float, without: Grade, metric: Metric) -> None:
    """Raises AquinError unless a model with flare leaves clearly less than the same without, and no more than a richer
    one without: a CDL beside gains, a root polynomial beside a matrix.
    """
    shows = left <= SHOWS * residual(evidence, without, metric).mean()
    if shows and model == "gains+flare":
        richer = cdl_of(evidence, None, metric, saturation=diversity_of(evidence).saturation)
        shows = left <= residual(evidence, richer, metric).mean()
    elif shows:
        shows = left <= residual(evidence, root_of(evidence, without, metric), metric).mean()
    if not shows:
        raise AquinError("no flare shows", None, f"Use {title_of(model.split('+')[0])}")


def _check_carried(model: str, told: Diversity) -> None:
    """Raises AquinError where evidence of that diversity can't carry a model."""
    base, *more = model.split("+")
    carried = model == "gains" or told.contrast
    if base in ("matrix", "root") or "warp" in more:
        carried = told.contrast and told.hues
    if not carried:
        words = f"a {title_of(model)} can't be solved: {told.words}"
        raise AquinError(words, None, "Use gains or a CDL, or pairs of more colours")


def _fit(
    pairs: Evidence,
    model: str,
    near: tuple[Grade, Grade] | None,
    scene: Float64 | None,
    metric: Metric,
    trust: float,
) -> tuple[Grade, Grade]:
    """The model's grade, and the matrix that stands behind a CDL, or the same without flare. `near`: the same two for
    evidence that is nearly the same. `trust`: how far predicted colours count.
    """
    base, *more = model.split("+")
    start, start_matrix = near or (None, None)
    behind = Grade()
    chart = pairs
    pairs = _wider(chart, trust * _WIDER[base])
    if "flare" in more:
        if near is None:
            behind = matrix_of(pairs, None, metric) if base == "matrix" else gains_of(pairs)
        return flared_of(pairs, base, start, metric), behind
    if base == "gains":
        grade = gains_of(pairs)
    elif model == "matrix+curve":
        grade = curved_matrix_of(pairs, start, metric)
    elif base == "matrix":
        grade = matrix_of(pairs, start, metric)
    elif base == "root":
        behind = matrix_of(_wider(chart, trust * _WIDER["matrix"]), start_matrix, metric)
        grade = root_of(pairs, start or behind, metric)
    elif not diversity_of(chart).hues:  # no matrix stands behind it that could speak for the scene
        grade = cdl_of(pairs, start, metric, saturation=diversity_of(chart).saturation)
    elif scene is None or not len(scene):
        grade = cdl_of(pairs, start, metric)
    else:
        behind = matrix_of(pairs, start_matrix, metric)
        grade = cdl_of(chart, start, metric, scene, np.asarray(behind.linear(scene), np.float64))
    if "curve" in more and base != "matrix":
        grade = curved_of(pairs, grade, start.curve if start else None, metric)
    if "warp" in more:
        grade = warped_of(
            _wider(chart, trust * _WIDER["warp"]),
            replace(grade, warp=None),
            start.warp if start else None,
            metric,
        )
    return grade, behind


def _trust(pairs: Evidence, metric: Metric) -> float:
    """0 to 1: how far predicted colours may be believed. The chart's own colours are predicted from each other;
    where that fails by more than a quarter of what a matrix leaves on them, readings are too rough to predict from.
    """
    assert pairs.reflectance is not None
    gains = gains_of(pairs)
    left = residual(pairs, matrix_of(pairs, None, metric), metric).mean()
    wrong = 0.0
    for colours in (pairs.hero, pairs.shot * gains.balance.factors):
        others = np.maximum(predicted_from_others(pairs.reflectance, colours), 1e-4)
        wrong += float(metric.between(np.maximum(colours, 1e-4), others).mean()) ** 2
    return float(left**2 / (left**2 + 16 * wrong))


_WIDER = {"gains": 0.0, "cdl": 4.0, "matrix": 4.0, "root": 0.7, "warp": 2.0}
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
    folds: int | None = None,
) -> list[Solution]:
    """Every model that the evidence can carry, from simple to rich. Raises AquinError when it carries none.
    `scene`: (n, 3) scene-linear AP1 of the whole picture.
    """
    out, refused = [], None
    for k, model in enumerate(models):
        try:
            out.append(solve(evidence, model, scene=scene, metric=metric, folds=folds))
        except AquinError as error:
            refused = error
        if progress:
            progress((k + 1) / len(models))
    if not out and refused is not None:
        raise refused
    return out


def best_of(solutions: Sequence[Solution]) -> Solution:
    """Least leave-one-out residual, with something allowed for each step towards a simpler model: 5 % where few pairs
    were left out one by one, 2 % where there are many (`MANY`) and it is better known. A root polynomial, which no file
    but a table holds, is taken where nothing else is there.
    """

    def count(s: Solution) -> float:
        step = 1.05 if s.pairs < MANY else 1.02
        return float((s.loo if np.isfinite(s.loo) else s.mean) * step ** _STEPS[s.model])

    held = [s for s in solutions if not s.model.startswith("root")] or list(solutions)
    known = [s for s in held if np.isfinite(s.loo)] or held
    return min(known, key=count)


def residual(evidence: Evidence, grade: Grade, metric: Metric = DE00) -> Float64:
    """(n,) colour differences between hero and graded shot."""
    return metric.between(evidence.hero, np.asarray(grade.linear(evidence.shot), np.float64))


def condition_of(grade: Grade) -> float:
    """Largest over smallest stretch of small colour steps about 18 % grey, in scene-linear."""
    here = np.full((1, 3), 0.18) / np.asarray(grade.balance.factors)
    nudges = here + 1e-4 * np.vstack([np.zeros(3), np.eye(3)])
    out = np.asarray(grade.linear(nudges), np.float64)
    return float(np.linalg.cond(out[1:] - out[0]))

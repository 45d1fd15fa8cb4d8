"""Match a shot to its hero by what supports it: chart pairs, same points, pairs that a person names, statistics;
combined by confidence.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.charts.diversity import diversity_of
from aquin.charts.fits import DE00, curved_of, warped_of
from aquin.charts.read import Reading
from aquin.charts.solve import BASES, FLARED, FULL, Solution, best_of, residual, solve_all
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.match.chart import pair, scene_colours
from aquin.match.materials import Materials, match_materials
from aquin.match.points import Searched, match_points
from aquin.match.statistics import match_statistics
from aquin.match.whole import kept_whole
from aquin.measure.clipping import unclipped
from aquin.measure.ledger import Evidence

By = Literal["auto", "chart", "points", "materials", "statistics", "pairs"]
BYS: tuple[By, ...] = ("auto", "chart", "points", "materials", "statistics", "pairs")
Weight = Literal["frame", "skin"]

TITLES = {
    "chart": "chart",
    "chart+drift": "chart and drift",
    "points": "same points",
    "materials": "same materials",
    "pairs": "named pairs",
    "statistics": "statistics",
    "skin": "skin",
}
MODELS = (*BASES, *FLARED, "cdl+curve", "matrix+curve", FULL)
"""What a match is solved with, from simple to rich."""
IN_A_CDL = ("gains", "cdl")

FOLDS = 6
"""Groups of pairs that are left out together: matching is waited for."""

LEAST = 0.08
"""Confidence from which evidence supports a match at all."""


@dataclass(frozen=True)
class Side:
    """One side as read: (h, w, 3) recorded signal and scene-linear AP1 of a frame, and its chart where there is one."""

    signal: Float32
    linear: Float32
    reading: Reading | None = None

    def usable(self) -> np.ndarray:
        """(h, w) bool: pixels that were clipped in no channel."""
        return self._usable

    @cached_property
    def searched(self) -> Searched:
        """As it is searched for points: once, for all that it is matched to."""
        return Searched.of(self.linear, self.usable())

    @cached_property
    def _usable(self) -> np.ndarray:
        return unclipped(self.signal)


@dataclass(frozen=True)
class Source:
    """One kind of evidence: how many pairs, and how far it is believed, 0 to 1."""

    by: str
    evidence: Evidence
    sureness: float

    @property
    def line(self) -> str:
        count = len(self.evidence.hero)
        return f"{TITLES[self.by]}, {count} {'pair' if count == 1 else 'pairs'}, sure {self.sureness:.2f}"


@dataclass(frozen=True)
class Match:
    """All evidence and what each model makes of it."""

    evidence: Evidence
    sources: tuple[Source, ...]
    solutions: tuple[Solution, ...]
    warnings: tuple[str, ...] = ()
    other: tuple[Solution, ...] = ()
    """The same for skin, where both pictures show some (see `match.skin`)."""
    on_skin: Mapping[tuple[Weight, str], float] = field(default_factory=dict)
    """Mean dE00 that each solution, by its weight and model, leaves between the two pictures' skin."""
    preferred: Weight = "frame"
    """Which of the two leaves less on the whole."""

    @property
    def by(self) -> str:
        return "+".join(s.by for s in self.sources)

    @property
    def sureness(self) -> float:
        """How far all evidence together is believed: it is wrong only if each of its kinds is."""
        return float(1 - np.prod([1 - s.sureness for s in self.sources]))

    def solution(
        self, model: str | None = None, weight: Weight | None = None, beyond: bool = False
    ) -> Solution:
        """The named model's, or the best of those that fit into a CDL, or of all where the file holds what is `beyond`
        one; for the whole frame or for skin, as preferred where not said, and for the frame where skin has none.
        """
        found = self.other if (weight or self.preferred) == "skin" and self.other else self.solutions
        if model is None:
            return best_of([s for s in found if beyond or not s.grade.beyond_cdl])
        return next(s for s in (*found, *self.solutions) if s.model == model)

    def nearest(self, model: str) -> str:
        """The model, or the richest simpler one where the evidence can't carry it; the same without flare, where none
        shows.
        """
        known = [s.model for s in self.solutions]
        if model in FLARED and model not in known:
            model = model.split("+")[0]
        simpler = [m for m in MODELS[: MODELS.index(model) + 1] if m in known]
        return simpler[-1] if simpler else known[0]

    def confidence(self, solution: Solution) -> float:
        """0 to 1: how far the evidence is believed, less what leave-one-out leaves (half at 6 dE00), and less where its
        colours are too few to tell of the others.
        """
        left = solution.loo if np.isfinite(solution.loo) else solution.mean
        return float(self.sureness * told_share(self.evidence) / (1 + (left / 6) ** 2))


def match_sides(
    hero: Side,
    shot: Side,
    by: By = "auto",
    models: Sequence[str] = MODELS,
    named: Sequence[tuple[Float64, Float64]] = (),
    progress: Callable[[float], None] | None = None,
    struck: Float64 | None = None,
) -> Match:
    """Solve the shot towards the hero. `named`: pairs of scene-linear AP1 colours that a person says are the same
    thing. Each (3,). `struck`: (n, 2) log2 R/G and B/G in the hero of materials that are not to count.

    Raises AquinError when nothing supports a match.
    """
    tell = progress or (lambda share: None)
    sources, warnings = gather(hero, shot, by, named, struck)
    tell(0.4)
    evidence = combined(sources)
    if words := diversity_of(evidence).words:
        warnings.append(words)
    scene = scene_colours(shot.linear)
    solutions = solve_all(evidence, lambda share: tell(0.4 + 0.6 * share), scene, models, folds=FOLDS)
    kept = tuple(kept_whole(s, shot.linear, evidence) for s in solutions)
    if words := _flare_words(kept):
        warnings.append(words)
    return Match(evidence, tuple(sources), kept, tuple(warnings))


CLEARLY = 0.8
"""Share of what the best without flare leaves, from which a person is told of flare."""


def _flare_words(solutions: Sequence[Solution]) -> str:
    """What is to be said where flare shows clearly; else nothing."""
    flared = [s for s in solutions if s.model in FLARED]
    if not flared:
        return ""
    best = best_of(flared)
    if best.loo > CLEARLY * min(s.loo for s in solutions if s.model not in FLARED):
        return ""
    light = 100 * float(np.mean(best.grade.flare))
    where = "shot" if light > 0 else "hero"
    return f"flare: {abs(light):.1f} % of white lies over the {where}, which a CDL can't take off"


def match_given(source: Source, shot: Side, models: Sequence[str] = MODELS) -> Match:
    """Solve by evidence that is there already. Raises AquinError when it carries no model."""
    evidence = combined([source])
    solutions = solve_all(evidence, None, scene_colours(shot.linear), models, folds=FOLDS)
    return Match(evidence, (source,), tuple(kept_whole(s, shot.linear, evidence) for s in solutions))


def gather(
    hero: Side,
    shot: Side,
    by: By = "auto",
    named: Sequence[tuple[Float64, Float64]] = (),
    struck: Float64 | None = None,
) -> tuple[list[Source], list[str]]:
    """The evidence there is, best first, and what is to be said about it. Raises AquinError when nothing supports a
    match. `named`: pairs of (3,) scene-linear AP1; `struck`: see `match_sides`.
    """
    sources: list[Source] = []
    warnings: list[str] = []
    if by in ("auto", "pairs") and named:
        colours = [np.array([p[k] for p in named], np.float64) for k in (0, 1)]
        sure = float(np.clip(1 - np.exp(-len(named) / 3), 0, 0.9))
        # few pairs carry no more than gains, and those by any colour
        few = np.full(len(named), len(named) < 6)
        sources.append(Source("pairs", Evidence(colours[0], colours[1], few), sure))
    if by in ("auto", "chart") and (charts := _charts(hero, shot)) is not None:
        evidence, notes = pair(*charts)
        warnings += notes
        share = len(evidence.hero) / len(charts[0].layout.patches)
        sure = float(np.clip(min(c.score for c in charts), 0, 1) * share)
        if len(evidence.hero):
            sources.append(Source("chart", evidence, sure))
    charted = any(s.by == "chart" and s.sureness > 0.5 for s in sources)
    if by == "points" or (by == "auto" and not charted):
        points = match_points(hero.searched, shot.searched)
        if points is not None:
            sources.append(Source("points", points.evidence, points.sureness))
    supported = sum(s.sureness for s in sources) > SUPPORTED
    alike = 1.0
    if by == "materials" or (by == "auto" and not supported):
        same = match_materials(hero.linear, shot.linear, hero.usable(), shot.usable(), struck=struck)
        alike = max(same.kinship, 0.0) if same is not None else 0.0
        if same is not None and alike >= ALIKE:
            sources.append(_materials(same, shot))
    if by == "statistics":
        found = match_statistics(hero.linear, shot.linear)
        if found is not None:
            sources.append(Source("statistics", found.evidence, max(found.sureness, 0.02)))
            warnings.append("only the distributions of colours speak for this match")
    if not sources:
        raise AquinError(_refusal(by, hero, shot, alike), None, _what_helps(by))
    return sources, warnings


SUPPORTED = 0.5
"""Sureness of charts, points and named pairs together, from which the same materials are not asked."""
ALIKE = 0.37
"""Kinship from which two pictures show the same materials: on seeds that it was not chosen on, 96.5 % of unrelated
photographs stay under it, and 4.4 % of two parts of one photograph that two cameras filmed (`benchmarks/matching.py
unrelated`).
"""
LIKELY = 0.6
"""How far the same materials are believed at most."""


def _materials(same: Materials, shot: Side) -> Source:
    """Gains as pairs: the shot's colours, and the same with what the materials say taken back. More than gains does not
    follow from them.
    """
    colours = np.maximum(scene_colours(shot.linear), 1e-5)
    hero = colours * np.exp2(-same.off)
    doubt = float(same.error.mean()) / 0.3
    sure = LIKELY * float(np.clip((same.likeness - 0.4) / 0.4, 0, 1)) / (1 + doubt**2)
    return Source("materials", Evidence(hero, colours, np.zeros(len(colours), bool)), sure)


def told_share(evidence: Evidence) -> float:
    """0 to 1: how far pairs speak for colours that are not among them."""
    told = diversity_of(evidence)
    return 1.0 if told.contrast and told.hues else 0.85 if told.contrast and told.saturation else 0.7


def combined(sources: Sequence[Source]) -> Evidence:
    """All pairs; each kind counts by its confidence, whatever the number of its pairs. Weak evidence pulls less from
    doing nothing.
    """
    if len(sources) == 1 and sources[0].by == "chart":
        return sources[0].evidence
    parts, say = [], []
    for s in sources:
        weights = s.evidence.weights
        total = 24.0 * s.sureness * (2.0 if s.by == "pairs" else 1.0)
        say.append(weights / max(weights.sum(), 1e-9) * max(total, 1.0))
        parts.append(s.evidence)
    return Evidence(
        np.concatenate([p.hero for p in parts]),
        np.concatenate([p.shot for p in parts]),
        np.concatenate([p.neutral for p in parts]),
        np.concatenate(say),
    )


def _charts(hero: Side, shot: Side) -> tuple[Reading, Reading] | None:
    """Both readings, where both are there and of the same chart."""
    a, b = hero.reading, shot.reading
    return (a, b) if a is not None and b is not None and a.layout.name == b.layout.name else None


def second_pass(evidence: Evidence, grade: Grade) -> Grade | None:
    """The grade with a tone curve and a hue warp fitted to what it leaves; its balance, matrix and trim stay. None
    where pairs that are left out in turn would not come nearer.
    """
    base = replace(grade, curve=None, warp=None)

    def fit(pairs: Evidence) -> Grade:
        return warped_of(pairs, curved_of(pairs, base, None, DE00), None, DE00)

    if len(evidence.hero) < 2 * FOLDS:
        return None
    groups = np.arange(len(evidence.hero)) % FOLDS
    before = float(residual(evidence, grade).mean())
    left = [
        float(residual(evidence.part(groups == k), fit(evidence.part(groups != k))).mean())
        for k in range(FOLDS)
    ]
    return fit(evidence) if float(np.mean(left)) < 0.98 * before else None


def _refusal(by: By, hero: Side, shot: Side, alike: float) -> str:
    missing = [n for n, s in (("hero", hero), ("shot", shot)) if s.reading is None]
    if by == "chart":
        return (
            f"no chart was found in the {' and the '.join(missing)}"
            if missing
            else "the two charts are not the same"
        )
    if by == "points":
        return "too few parts of the scene are seen by both"
    if by == "pairs":
        return "no pairs are named"
    share = (
        f"their materials agree to {100 * alike:.0f} %, those of one scene to {100 * ALIKE:.0f} % and more"
    )
    if by == "materials":
        return f"the two pictures do not show the same things: {share}"
    return f"nothing supports a match: no chart in both, too few parts of the scene seen by both, and {share}"


def _what_helps(by: By) -> str:
    if by == "chart":
        return "Choose frames that show it, or mark its corners in the window"
    return "Film the chart with both cameras, choose frames of one moment, or click the same things in both pictures"

"""A match that counts skin: solved beside the one for the whole frame, measured the same way, and taken where it
leaves less.

Skin pairs suppose that the two pictures show the same people in the same light (common practice on a set with several
cameras).
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from aquin.arrays import Float64
from aquin.charts.solve import DE00, Solution, residual, solve_all
from aquin.colour.grade import Grade
from aquin.match.engine import FOLDS, MODELS, Match, Side, Source, Weight
from aquin.match.whole import kept_whole
from aquin.measure.ledger import Evidence

LEVELS = ((5, 25), (25, 45), (45, 55), (55, 75), (75, 95))
"""Percentiles of luminance between which skin is averaged: its tones from shadow to light."""

LEAST = 300
"""Pixels of skin that each picture must show."""

MOST = 0.25
"""Share of a picture from which what passes for skin is doubted."""

SAY = 2.0
"""How much skin weighs against everything else in the match for skin."""

BETTER = 0.95
"""The match for skin is preferred from this share of what the other one leaves on the frame and on skin together."""

AGAINST, ROOM = 1.15, 0.5
"""How much more the match for skin may leave on the frame, as a factor and in CIEDE2000: brown wood passes for skin in
two pictures of one table, and is no reason to spoil the rest.
"""

Masks = tuple[np.ndarray, np.ndarray]
"""(h, w) bool of the hero's and the shot's skin."""


def skin_colours(side: Side, mask: np.ndarray) -> Float64 | None:
    """(5, 3) scene-linear AP1: mean skin at five levels, unclipped pixels only; None where there is too little."""
    pixels = side.linear[mask & side.usable()]
    if len(pixels) < LEAST:
        return None
    pixels = np.asarray(pixels[:: max(len(pixels) // 60_000, 1)], np.float64)
    luma = pixels.sum(axis=1)
    out = []
    for low, high in LEVELS:
        a, b = np.percentile(luma, (low, high))
        out.append(pixels[(luma >= a) & (luma <= b)].mean(axis=0))
    return np.asarray(np.maximum(np.array(out), 1e-5), np.float64)


def skin_source(hero: Side, shot: Side, masks: Masks) -> Source | None:
    """Pairs of the two pictures' skin, level by level. None where one shows too little."""
    a, b = skin_colours(hero, masks[0]), skin_colours(shot, masks[1])
    if a is None or b is None:
        return None
    return Source("skin", Evidence(a, b, np.zeros(len(a), bool)), 0.5)


def with_skin(
    match: Match,
    hero: Side,
    shot: Side,
    masks: Masks,
    models: Sequence[str] = MODELS,
    vouched: bool = False,
) -> Match:
    """The match with solutions for skin beside its own, what each leaves on skin, and the better weight preferred.

    Without enough skin in both, the match as it was. Where more than `MOST` of a picture passes for skin, most of
    it is none, and the match for the whole frame stays preferred unless a person has `vouched` for it.
    """
    source = skin_source(hero, shot, masks)
    if source is None:
        return match
    frame = match.evidence
    own = frame.weights
    pairs = source.evidence
    say = np.full(len(pairs.hero), SAY * own.sum() / len(pairs.hero))
    weighted = Evidence(
        np.concatenate([frame.hero, pairs.hero]),
        np.concatenate([frame.shot, pairs.shot]),
        np.zeros(len(frame.hero) + len(pairs.hero), bool),  # else grey gains would look at greys alone
        np.concatenate([own, say]),
    )
    other = []
    for found in solve_all(weighted, None, None, models, folds=FOLDS):
        found = kept_whole(found, shot.linear, weighted)
        left = residual(frame, found.grade, DE00)
        other.append(replace(found, mean=float(left.mean()), p95=float(np.percentile(left, 95))))
    on_skin: dict[tuple[Weight, str], float] = {
        ("frame", s.model): skin_left(pairs, s.grade) for s in match.solutions
    }
    on_skin |= {("skin", s.model): skin_left(pairs, s.grade) for s in other}
    made = replace(match, other=tuple(other), on_skin=on_skin)
    doubtful = max(float(m.mean()) for m in masks) > MOST and not vouched
    return made if doubtful else replace(made, preferred=_preferred(made))


def skin_left(pairs: Evidence, grade: Grade) -> float:
    """Mean CIEDE2000 that a grade leaves between the two pictures' skin."""
    return float(residual(pairs, grade, DE00).mean())


def _preferred(match: Match) -> Weight:
    left = {}
    weights: tuple[Weight, Weight] = ("frame", "skin")
    for weight in weights:
        found: Solution = match.solution(None, weight)
        left[weight] = found.mean + match.on_skin[weight, found.model]
    frame = {w: match.solution(None, w).mean for w in weights}
    against = frame["skin"] > AGAINST * frame["frame"] + ROOM  # what the frame contradicts is not preferred
    return "skin" if left["skin"] < BETTER * left["frame"] and not against else "frame"

"""Match two loaded sides: by charts where both show one, else by what is known of them or by what both saw; and the
same for skin.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from aquin.arrays import Float64
from aquin.colour.grade import Grade
from aquin.jobs.load_side import Loaded
from aquin.match.engine import MODELS, Match, Side, Source, match_given, match_sides
from aquin.match.skin import with_skin
from aquin.measure.skin import Dab, find_skin
from aquin.production.beside import chromaticity

Painted = tuple[tuple[Dab, ...], tuple[Dab, ...]]
"""Skin that was painted in the hero and in the shot."""


@dataclass(frozen=True)
class SkinWish:
    """How skin is found while solving: through which view (ACEScct to display signal), and what was said of it."""

    view: Callable[[Any], Any]
    dabs: Painted = ((), ())
    faces: bool = False


def solve_sides(
    hero: Loaded,
    shot: Loaded,
    hero_grade: Grade | None = None,
    named: Sequence[tuple[Float64, Float64]] = (),
    given: Source | None = None,
    struck: Sequence[tuple[float, float, float]] = (),
) -> Match:
    """Solve the shot to the hero as that is graded: slow, for a worker. `given`: what the production knows of the
    two, which counts where they show no chart; pairs that are named are counted in a chart's already, and decide
    without one. `struck`: colours in the hero of materials that are not to count.

    Raises AquinError when nothing supports a match.
    """
    first, other = _as_filmed(hero, shot, hero_grade or Grade())
    charted = given is not None and given.by.startswith("chart")
    if given is not None and (charted or not named) and (first.reading is None or other.reading is None):
        return match_given(given, other)
    gone = chromaticity(hero_grade or Grade(), struck) if struck else None
    return match_sides(first, other, models=MODELS, named=named, struck=gone)


def solve_for_skin(
    match: Match, hero: Loaded, shot: Loaded, hero_grade: Grade, wish: SkinWish
) -> tuple[Match, bool]:
    """The match with solutions for skin beside its own, and whether there is skin in both: slow, for a worker."""
    first, other = _as_filmed(hero, shot, hero_grade)
    masks = []
    for k, side in enumerate((first, other)):
        masks.append(find_skin(side.linear, wish.view, wish.dabs[k], wish.faces))
    vouched = wish.faces or any(wish.dabs)
    found = with_skin(match, first, other, (masks[0], masks[1]), vouched=vouched)
    return found, bool(found.other)


def _as_filmed(hero: Loaded, shot: Loaded, grade: Grade) -> tuple[Side, Side]:
    """Both sides for the matching core, the hero as it is graded."""
    reading, linear = hero.reading, hero.linear
    if grade != Grade():
        linear = np.asarray(grade.linear(linear), np.float32)
        if reading is not None:
            reading = replace(reading, linear=np.asarray(grade.linear(reading.linear), np.float64))
    return Side(hero.frame.rgb, linear, reading), Side(shot.frame.rgb, shot.linear, shot.reading)

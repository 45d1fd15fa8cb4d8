"""What a matched shoot is judged by: each recorded frame, as graded, against what the hero's camera would have recorded
from there, graded as its recording of that moment is. Everything is judged by this, so it has tests of its own.
"""

import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.grade import Balance
from aquin.errors import AquinError
from aquin.production.heroes import Moment, hero_of, moment_of
from aquin.production.match_work import side_of
from aquin.production.records import Camera, Setup, Shot
from aquin.production.shoot import Shoot, shot_grade
from aquin.production.store import Production
from aquin.simulate.cameras import CAMERAS

TUNING = (15, 16, 17, 18, 21, 22, 23, 24, 25, 26, 27, 28)
"""Seeds of shoots that may be looked at while something is chosen."""
JUDGING = (31, 32, 33, 34, 35, 36, 37, 38)
"""Seeds of shoots that nothing was chosen on."""

BLOCKS = (60, 34)
"""A frame's blocks, columns and rows: noise, grain and a hand's shake are no colour difference."""


@dataclass(frozen=True)
class Judged:
    """One shot. `before`, `after`: median CIEDE2000 over the frame's blocks as filmed and as graded. `off`: (3,) median
    log2 of the graded shot's channels over the target's. `hero`: whether it is of the hero's own camera. `odd`: whether
    the hero's recording of that moment was a mistake itself, so that only `beside_others` has a truth for it.
    """

    shot: Shot
    setup: str
    camera: str
    mistake: str
    before: float
    after: float
    off: np.ndarray
    hero: bool
    odd: bool
    moment: Moment

    @property
    def stops(self) -> float:
        """By how much it is too bright."""
        return Balance.from_factors(np.exp2(self.off)).stops

    @property
    def white(self) -> tuple[float, float]:
        """By how many mired it is too warm, and how many Duv too green."""
        return Balance.from_factors(np.exp2(self.off)).shift


def exposed(seen: np.ndarray, said: dict[str, float], theirs: dict[str, float]) -> np.ndarray:
    """The truth's picture of a shot's view, as bright as the hero's camera really was at that moment.

    It was exposed with the `hero_stops` of the shot's own place (`said`), while the hero's clip had `stops` (`theirs`).
    """
    return seen * 2.0 ** (theirs["stops"] - said["hero_stops"])


def blocks(linear: np.ndarray) -> np.ndarray:
    """(h, w, 3) to (n, 3) means of blocks."""
    return (
        cv2.resize(linear.astype(np.float32), BLOCKS, interpolation=cv2.INTER_AREA)
        .reshape(-1, 3)
        .astype(float)
    )


def difference(target: np.ndarray, graded: np.ndarray) -> tuple[float, np.ndarray]:
    """Median CIEDE2000, and (3,) median log2 of the graded colours over the target's."""
    kept = ((target > 1e-3) & (graded > 1e-3) & (target < 8)).all(axis=1)
    a, b = target[kept], graded[kept]
    return float(np.median(delta_e00(lab_of_ap1(a), lab_of_ap1(b)))), np.median(np.log2(b / a), axis=0)


@dataclass(frozen=True)
class _Seen:
    """(n, 3) blocks: what the hero's camera would have recorded from a shot's place, as bright as the recording of
    `theirs` is, and what was recorded; and what was planted.
    """

    hero: np.ndarray
    own: np.ndarray
    mistake: str


def _seen(desk: Shoot, shot: Shot, theirs: Shot, truth: Path) -> _Seen | None:
    file = truth / f"{shot.name}.npz"
    if not file.exists():
        return None
    said, other = (json.loads((truth / f"{s.name}.json").read_text()) for s in (shot, theirs))
    ref = desk.ref(shot, shot.first + said["zero"])
    if ref is None:
        return None
    try:
        own = blocks(side_of(ref, desk.config_path).linear)
    except AquinError:  # a file that ends before its first frame
        return None
    # the truth is in the main camera's RGB
    to_ap1 = desk.config.to_linear(CAMERAS["Heron"].linear_encoding.name)
    seen = exposed(blocks(to_ap1(np.load(file)["hero"].astype(np.float32))), said, other)
    sound = (own > 1e-3).all(axis=1)
    return _Seen(seen[sound], own[sound], said["mistake"])


def judged(production: Production, desk: Shoot, truth: Path) -> Iterator[Judged]:
    """Every shot that can be judged."""
    for shot in production.all(Shot):
        setup = production.find(Setup, shot.setup_id)
        hero = hero_of(production, setup)
        if shot.kind != "shot" or setup is None or hero is None:
            continue
        own_hero = shot.camera_id == hero.camera_id
        moment = moment_of(production, shot, hero) if not own_hero else Moment(shot, 0, 0, True)
        if (seen := _seen(desk, shot, moment.hero, truth)) is not None:
            target = np.asarray(shot_grade(desk, moment.hero).linear(seen.hero))
            yield _judged(production, desk, shot, moment, seen, target)


def beside_others(production: Production, desk: Shoot, truth: Path) -> Iterator[Judged]:
    """Shots whose moment another recording of the hero's camera shows than the hero, against that recording as it is
    graded, whatever is wrong with it: against what the hero's camera would have recorded from their place as the hero
    is recorded and graded, as far off that as the other recording is.
    """
    for shot in production.all(Shot):
        setup = production.find(Setup, shot.setup_id)
        hero = hero_of(production, setup)
        if shot.kind != "shot" or setup is None or hero is None or shot.camera_id == hero.camera_id:
            continue
        moment = moment_of(production, shot, hero)
        if moment.hero.id == hero.id or not moment.same_time or desk.odd.get(hero.id):
            continue
        seen, other = (_seen(desk, s, hero, truth) for s in (shot, moment.hero))
        if seen is not None and other is not None:
            first = shot_grade(desk, hero)
            there = np.asarray(shot_grade(desk, moment.hero).linear(other.own))
            off = difference(np.asarray(first.linear(other.hero)), there)[1]
            target = np.asarray(first.linear(seen.hero)) * np.exp2(off)
            yield _judged(production, desk, shot, moment, seen, target)


def _judged(
    production: Production, desk: Shoot, shot: Shot, moment: Moment, seen: _Seen, target: np.ndarray
) -> Judged:
    return Judged(
        shot,
        production.get(Setup, shot.setup_id).name,
        production.get(Camera, shot.camera_id).name,
        seen.mistake,
        difference(seen.hero, seen.own)[0],
        *difference(target, np.asarray(shot_grade(desk, shot).linear(seen.own))),
        moment.hero.id == shot.id,
        bool(desk.odd.get(moment.hero.id)),
        moment,
    )

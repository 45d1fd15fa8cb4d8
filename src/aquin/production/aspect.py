"""How a place looks from where a camera stands beside how it looks from where the hero's does: lit otherwise, whatever
the cameras are. Same materials take that for the cameras' difference; one card before both tells the two apart.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np

from aquin.arrays import Float64
from aquin.charts.layout import layout
from aquin.match.materials import match_materials
from aquin.production.grey_cards import one_card
from aquin.production.kept_work import cached
from aquin.production.match_work import Ref, shrunk, side_of
from aquin.production.shoot import hash_of, targets_of
from aquin.production.weighing import at_once

if TYPE_CHECKING:
    from aquin.production.shoot import CellKey, Shoot
    from aquin.workers import Tell

ASPECT = "same materials beside a card"
"""Kind of what is kept."""
VERSION = 1
USUAL = 0.1
"""Stops by which a channel looks otherwise from another place in the usual case: what is found is drawn to nothing as
far as it is less sure than that (chosen on the tuning seeds).
"""
MOST = 0.35
"""Stops by which a place looks brighter or darker from another camera at most: 0.11 is the most that was
seen where materials were sure (decision 034)."""
MOST_WARM = 0.12
"""The same of red over blue: of 115 cells of the tuning seeds 114 lie within 0.03, and the other one's card stood in
another light, 28 mired off.
"""
ROUND = 1.7
"""How many times the card's size is left out about it: the hand that holds it is lit as the card is."""

Corners = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class CardJob:
    """A card in two cameras' frames, each under its grade, with its corners in pixels."""

    key: str
    hero: Ref
    shot: Ref
    corners: tuple[Corners, Corners]
    config: str | None

    @property
    def path(self) -> Path:
        return self.shot.path


def card_job(job: CardJob) -> dict[str, Any]:
    """What the same materials about the card say: `off`, `error` (3,) log2 of the channels; empty where there are none.
    Raises AquinError.
    """
    pictures = []
    for ref, corners in zip((job.hero, job.shot), job.corners, strict=True):
        side = side_of(ref, job.config)
        small, usable = shrunk(side.linear, side.usable())
        scale = small.shape[1] / side.linear.shape[1]
        graded = np.asarray(ref.graded.linear(small), np.float32)
        pictures.append((graded, usable & ~about(np.array(corners) * scale, usable.shape)))
    found = match_materials(pictures[0][0], pictures[1][0], pictures[0][1], pictures[1][1])
    if found is None:
        return {}
    return {"off": np.round(found.off, 4).tolist(), "error": np.round(found.error, 4).tolist()}


def about(corners: Float64, shape: tuple[int, ...]) -> np.ndarray:
    """(h, w) bool of a card's surroundings, and of what holds it from below. `corners`: (4, 2) pixels."""
    middle = corners.mean(axis=0)
    field = middle + ROUND * (corners - middle)
    out = np.zeros(shape[:2], np.uint8)
    cv2.fillPoly(out, [np.round(field).astype(np.int32)], 1)
    half = max(round(float(np.ptp(field[:, 0])) / 8), 4)
    left, top = max(int(middle[0]) - half, 0), max(int(middle[1]), 0)
    out[top:, left : max(int(middle[0]) + half, 0)] = 1
    return out.astype(bool)


def look_about_cards(
    shoot: Shoot, places: Sequence[CellKey], jobs: int | None = None, tell: Tell | None = None
) -> None:
    """Find it for the cells whose cards were one card in one light, filmed at once."""
    wanted: dict[CellKey, tuple[CardJob, Float64]] = {}
    for place in places:
        shoot.aspect[place] = np.zeros(3)
        shoot.contradicted.pop(place, None)
        if place in shoot.one_light and (made := _job(shoot, place)) is not None:
            wanted[place] = made
    found = cached(shoot.production, ASPECT, {j.key: j for j, _ in wanted.values()}, card_job, jobs, tell)
    for place, (job, card) in wanted.items():
        seen = found.get(job.key)
        if seen:
            off, error = (np.array(seen[k], np.float64) for k in ("off", "error"))
            if contradicts(off - card, error):
                del shoot.one_light[place]
                shoot.contradicted[place] = off - card
            else:
                shoot.aspect[place] = USUAL**2 / (USUAL**2 + error**2) * (off - card)


def contradicts(other: Float64, error: Float64) -> bool:
    """Whether things about a card say so much else than the card, (3,) log2 of the channels, that it can't have been
    one card in one light: it was turned away, in a hand's shade, or in another lamp's light in one of the frames.
    """
    level, warm = float(other.mean()), float(other[0] - other[2])
    doubt = 2 * float(error.mean())
    return bool(abs(level) > MOST + doubt or abs(warm) > MOST_WARM + doubt)


def _job(shoot: Shoot, place: CellKey) -> tuple[CardJob, Float64] | None:
    """What is to be looked at, and what the card itself says, (3,) log2 of the channels."""
    target = next(iter(targets_of(shoot, place)), None)
    if target is None or target[0] != place[0]:
        return None
    both = (_grey if shoot.one_light[place] == "grey card" else _chart)(shoot, target, place)
    if both is None:
        return None
    refs, said = [one.ref for one in both], [v for one in both for v in one.said]
    a, b = (np.log2(np.maximum(np.asarray(one.graded), 1e-6)) for one in both)
    job = CardJob(
        hash_of([VERSION, *said]), refs[0], refs[1], (both[0].corners, both[1].corners), shoot.config_path
    )
    return job, np.asarray(np.median(b - a, axis=0), np.float64)


@dataclass(frozen=True)
class _Card:
    """One camera's card in a frame: (n, 3) its greys under the grade, and what the frame is known by."""

    ref: Ref
    corners: Corners
    graded: Float64
    said: list[object]


def _chart(shoot: Shoot, target: CellKey, place: CellKey) -> tuple[_Card, _Card] | None:
    """The greys of the two cameras' charts."""
    if not at_once(shoot, place, target):
        return None
    found = [shoot.reading(p) for p in (target, place)]
    if found[0] is None or found[1] is None or found[0][1]["layout"] != found[1][1]["layout"]:
        return None
    greys = layout(str(found[0][1]["layout"])).neutral
    greys = greys & np.all([np.array(f[1]["usable"], bool) for f in found if f is not None], axis=0)
    made = []
    for at, one in zip((target, place), found, strict=True):
        if one is None or "frame" not in one[1] or not greys.any():
            return None
        shot, held, key = one
        grade = shoot.grade_at(at)
        ref = shoot.ref(shot, int(held["frame"]), grade)
        if ref is None:
            return None
        corners = tuple((float(x), float(y)) for x, y in held["corners"])
        graded = np.asarray(grade.linear(np.array(held["linear"], np.float64)[greys]), np.float64)
        made.append(_Card(ref, corners, graded, [key, held["frame"], shoot.read_as(shot, ref), ref.grade]))
    return made[0], made[1]


def _grey(shoot: Shoot, target: CellKey, place: CellKey) -> tuple[_Card, _Card] | None:
    """Their grey cards, which are held where the charts were."""
    both = one_card(shoot, target, place)
    made = []
    for at, card in zip((target, place), both or (), strict=False):
        found = shoot.reading(at)
        grade, frame = shoot.grade_at(at), card.shot.first + card.shot.frames // 2
        ref = shoot.ref(card.shot, frame, grade)
        if found is None or ref is None:
            return None
        corners = tuple((float(x), float(y)) for x, y in found[1]["corners"])
        graded = np.asarray(grade.linear(card.linear[None]), np.float64)
        said = [*card.linear.tolist(), frame, corners, shoot.read_as(card.shot, ref), ref.grade]
        made.append(_Card(ref, corners, graded, said))
    return (made[0], made[1]) if made else None

"""Other shots of the hero's own camera beside the hero: where they share no points, by the same materials."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.match.drift import from_parts, to_parts
from aquin.match.engine import ALIKE
from aquin.match.materials import Materials
from aquin.production.beside import MATERIALS, Verdict, like_job, like_of, verdict_of
from aquin.production.heroes import hero_of
from aquin.production.kept_work import cached
from aquin.production.records import Setup
from aquin.production.shoot import shot_grade

if TYPE_CHECKING:
    from aquin.production.match_work import SeeJob
    from aquin.production.records import Shot
    from aquin.production.shoot import CellKey, Shoot
    from aquin.workers import Tell

USUAL = (0.5, 0.3, 0.1)
"""Exposure, log2 R/B and green, in stops, by which one camera's shots of a setup differ with the light of the day:
what materials say is drawn to nothing as far as it is less sure than that.
"""


def by_materials(
    shoot: Shoot, places: Sequence[CellKey], jobs: int | None = None, tell: Tell | None = None
) -> dict[str, Verdict]:
    """By the shot's id, by how much it is above its setup's hero under their camera's balance."""
    wanted: dict[str, tuple[Shot, SeeJob]] = {}
    for place in places:
        hero = hero_of(shoot.production, shoot.production.get(Setup, place[0]))
        if hero is None or hero.camera_id != place[1] or shoot.odd.get(hero.id):
            continue
        for shot in shoot.shots.get(place, ()):
            at = shoot.moment(shot)
            if at is None or shoot.moved(shot) is not None or shoot.odd.get(shot.id):
                continue
            theirs = shot_grade(shoot, at.hero).at(at.hero_frame)
            if (job := like_of(shoot, shot, theirs, shoot.grade_at(place))) is not None:
                wanted[job.key] = (shot, job)
    found = cached(shoot.production, MATERIALS, {k: j for k, (_, j) in wanted.items()}, like_job, jobs, tell)
    out: dict[str, Verdict] = {}
    for key, (
        shot,
        job,
    ) in wanted.items():  # that light changed between the two is what is asked for: no doubt
        like = found.get(key, {})
        if not _kin(like):  # a shot of other things: nothing says how its light was
            continue
        made = verdict_of(shoot, shot, like, job.hero.graded, job.shot.graded, 0.0)
        if made is not None:
            share = np.square(USUAL) / (np.square(USUAL) + np.square(made.doubt))
            out[shot.id] = replace(made, off=from_parts(share * to_parts(made.off[None]))[0])
    return out


def _kin(like: Mapping[str, Any]) -> bool:
    """Whether both show so much of the same that two files would be matched by it."""
    if like.get("off") is None:
        return False
    off, error, doubt = (np.array(like[k], np.float64) for k in ("off", "error", "doubt"))
    return Materials(off, error, float(like["likeness"]), doubt=doubt).kinship >= ALIKE

"""Shots into which a viewing LUT is baked: a correction of their own, solved to what their camera's other shots of the
setup look like as they are graded, by the same points. A camera's balance, made for its log codes, only spoils them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.charts.solve import FULL, Solution, best_of, residual
from aquin.colour.grade import Grade as Correction
from aquin.errors import AquinError
from aquin.match.engine import Source
from aquin.production.beside import MATERIALS, SURE, like_job, like_of, verdict_of, without
from aquin.production.heroes import hero_of
from aquin.production.kept_work import cached
from aquin.production.match_work import SeeJob, SolveJob, see_job, solve_job, source_of
from aquin.production.records import Grade, Setup, Shot
from aquin.production.setups import seconds_of
from aquin.production.shoot import SEEN, VERSION, Shoot, frame_of, hash_of
from aquin.production.trims import Trim
from aquin.workers import Tell, each, part

if TYPE_CHECKING:
    from aquin.production.heroes import Moment
    from aquin.production.shoot import CellKey

BAKED = "baked picture"
MODELS = ("gains", "cdl", "cdl+curve", FULL)
"""What such a picture may be given: its tones were bent, so a tone curve is among it."""
UNLIKE = 0.25
"""Stops by which a channel of such a picture differs from its camera's others once it is unbaked."""
NEAREST = 3
"""Others that it is compared with, the nearest in time."""
BETTER = 0.8
"""A correction is taken where it leaves so much of what doing nothing and the camera's balance leave."""
LIKELY, FAR_BETTER = 0.25, 0.4
"""From this sureness on, where the same points are not sure, one is taken that leaves no more than so much: a baked
picture is far off, and points that were matched wrongly agree on nothing that would bring it near.
"""


def unbaked(
    shoot: Shoot,
    places: Sequence[CellKey],
    decided: Mapping[str, Correction],
    jobs: int | None = None,
    tell: Tell | None = None,
) -> list[Trim]:
    """Trims for the shots of cells with a baked picture: what the same points speak for, else as filmed. `decided`:
    grades of shots that were just decided. One that a person made stays.
    """
    every: dict[str, Shot] = {}
    wanted: dict[str, tuple[Shot, Shot, SeeJob]] = {}
    for place in places:
        for shot in shoot.shots.get(place, ()):
            own = shoot.trims.get(shot.id)
            by_hand = own is not None and own.on and not own.values.get("auto")
            if shot.kind != "shot" or by_hand or BAKED not in shoot.odd.get(shot.id, ()):
                continue
            every[shot.id] = shot
            for other in _others(shoot, shot):
                if (job := _job(shoot, other, shot)) is not None:
                    wanted[job.key] = (shot, other, job)
    jobs_by_key = {k: j for k, (_, _, j) in wanted.items()}
    found = cached(shoot.production, SEEN, jobs_by_key, see_job, jobs, part(tell, 0.0, 0.6))
    best: dict[str, tuple[Shot, Shot, Source]] = {}
    for key, (shot, other, seen) in wanted.items():
        points = found.get(key, {}).get("points")
        if points is None or float(points["sure"]) < LIKELY:
            continue
        source = source_of(points)
        # the nearest in time of those that are sure, since light changes; else the surest
        if shot.id not in best or best[shot.id][2].sureness < min(SURE, source.sureness):
            grade = _grade(shoot, other, decided).at(seen.hero.frame)
            hero = np.asarray(grade.linear(source.evidence.hero), np.float64)
            held = replace(source.evidence, hero=hero)
            best[shot.id] = shot, other, Source("points", held, source.sureness)
    work = {SolveJob(shot.name, MODELS, (source,)): (shot, other) for shot, other, source in best.values()}
    out = []
    for task, solved in each(solve_job, list(work), jobs, part(tell, 0.6, 1.0), lambda j: j.label):
        if not isinstance(solved, AquinError):
            trim = _trim(shoot, *work[task], task.sources[0], best_of(solved))
            out += [trim] if trim is not None else []
            if trim is not None or task.sources[0].sureness >= SURE:
                every.pop(work[task][0].id)
    out += [_as_filmed(shoot, s) for s in every.values() if _spoilt(shoot, s)]
    return _beside(shoot, out, decided, jobs)


def _spoilt(shoot: Shoot, shot: Shot) -> bool:
    """Whether its camera's balance would change it."""
    return shoot.grade_at((shot.setup_id, shot.camera_id)) != Correction()


def _as_filmed(shoot: Shoot, shot: Shot) -> Trim:
    """A trim that keeps its camera's balance away."""
    values = Correction().values() | {"auto": True, "unbaked": "as filmed"}
    origin = "as filmed, since its picture is baked and no points say how"
    return _made(shoot, shot, values, origin, 0.5, "nothing")


def _beside(
    shoot: Shoot, trims: Sequence[Trim], decided: Mapping[str, Correction], jobs: int | None
) -> list[Trim]:
    """How bright and white they are beside their heroes' moments, as other shots are: what the light or the crew
    changed from shot to shot is not in their camera's others.
    """
    wanted: dict[str, tuple[Trim, Moment, tuple[Correction, Correction], SeeJob]] = {}
    for trim in trims:
        at = shoot.moment(trim.shot)
        if at is None or at.hero.camera_id == trim.shot.camera_id or shoot.odd.get(at.hero.id):
            continue
        grades = _grade(shoot, at.hero, decided).at(at.hero_frame), Correction.of(trim.record.values)
        if (job := like_of(shoot, trim.shot, *grades)) is not None:
            wanted[trim.shot.id] = trim, at, grades, job
    jobs_by_key = {job.key: job for *_, job in wanted.values()}
    found = cached(shoot.production, MATERIALS, jobs_by_key, like_job, jobs, None)
    out = []
    for trim in trims:
        if trim.shot.id in wanted:
            _, at, grades, job = wanted[trim.shot.id]
            said = verdict_of(shoot, trim.shot, found.get(job.key, {}), *grades, 0.0)
            if said is not None and at.same_time:
                share = UNLIKE**2 / (UNLIKE**2 + said.error**2)
                values = dict(trim.record.values) | without(grades[1], share * said.off).values()
                own = shoot.trims.get(trim.shot.id)
                held = own is not None and own.on and dict(own.values) == values
                origin = f"{trim.record.origin}; beside its hero by {said.by}"
                trim = replace(trim, record=replace(trim.record, values=values, origin=origin), held=held)
        out.append(trim)
    return out


def _others(shoot: Shoot, shot: Shot) -> list[Shot]:
    """Its camera's shots of the setup that nothing speaks against, the nearest in time first; last what the hero's
    camera recorded at that moment.
    """
    at = seconds_of(shot)

    def away(other: Shot) -> float:
        theirs = seconds_of(other)
        return 1e9 if at is None or theirs is None else abs(theirs[0] - at[0])

    own = [
        s
        for s in shoot.shots.get((shot.setup_id, shot.camera_id), ())
        if s.kind == "shot" and s.id != shot.id and not s.trouble and not shoot.odd.get(s.id)
    ]
    out = sorted(own, key=away)[:NEAREST]
    moment = shoot.moment(shot)
    if moment is not None and not shoot.odd.get(moment.hero.id) and moment.hero not in out:
        out.append(moment.hero)
    return out


def _job(shoot: Shoot, other: Shot, shot: Shot) -> SeeJob | None:
    moment = shoot.moment(shot)
    there = moment.hero_frame if moment is not None and moment.hero.id == other.id else frame_of(shoot, other)
    frames = there, frame_of(shoot, shot)
    a, b = shoot.ref(other, frames[0]), shoot.ref(shot, frames[1])
    if a is None or b is None:
        return None
    said = [VERSION, shoot.read_as(other, a), frames[0], shoot.read_as(shot, b), frames[1]]
    return SeeJob(hash_of(said), a, b, shoot.config_path)


def _grade(shoot: Shoot, shot: Shot, decided: Mapping[str, Correction]) -> Correction:
    """What a shot will be graded with."""
    own = shoot.trims.get(shot.id)
    if shot.id in decided:
        return decided[shot.id]
    if own is not None and own.on and not own.values.get("auto"):
        return Correction.of(own.values)
    return shoot.grade_at((shot.setup_id, shot.camera_id))


def _trim(shoot: Shoot, shot: Shot, other: Shot, source: Source, solution: Solution) -> Trim | None:
    """None where it is no clear gain over what the shot has."""
    evidence = source.evidence
    without = min(
        float(residual(evidence, g).mean())
        for g in (Correction(), shoot.grade_at((shot.setup_id, shot.camera_id)))
    )
    left = solution.loo if np.isfinite(solution.loo) else solution.mean
    if left > (BETTER if source.sureness >= SURE else FAR_BETTER) * without:
        return None
    hero = hero_of(shoot.production, shoot.production.find(Setup, shot.setup_id))
    words = "the hero" if hero is not None and hero.id == other.id else other.name
    origin = f"{solution.title} by the same points to {words}, since its picture is baked"
    origin += f": dE00 {without:.1f} to {left:.1f}"
    values = solution.grade.values() | {"auto": True, "unbaked": other.id}
    return _made(shoot, shot, values, origin, 0.1, "the same points")


def _made(shoot: Shoot, shot: Shot, values: dict[str, Any], origin: str, error: float, by: str) -> Trim:
    own = shoot.trims.get(shot.id)
    record = replace(own or Grade("trim", shot_id=shot.id), values=values, origin=origin, on=True)
    held = own is not None and own.on and dict(own.values) == values
    return Trim(shot, record, (0.0, 0.0, 0.0), error, by, held)

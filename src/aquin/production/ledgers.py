"""What ledgers of shots need: frames compared and pictures measured, in workers and kept by content; and the ledgers
themselves.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.colour.grade import Grade as Correction
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence, Row, measure
from aquin.production.beside import Verdict, keep_beside, on_the_axes
from aquin.production.kept_work import Keeping, cached
from aquin.production.match_work import (
    LookJob,
    LookJobs,
    SeeJob,
    look_all,
    see_job,
    source_of,
)
from aquin.production.shoot import (
    LOOK,
    POINTS,
    READING,
    SEEN,
    VERSION,
    CellKey,
    Shoot,
    hash_of,
    needed,
    pair_grades,
    shot_grade,
    targets_of,
)
from aquin.workers import Tell, each, part

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.heroes import Moment
    from aquin.production.records import Shot
    from aquin.production.store import Production

LOOKING = 2
"""How pictures are measured; what was measured otherwise (skin by colour alone) is measured again."""


def compare_frames(
    shoot: Shoot, places: Sequence[CellKey], jobs: int | None = None, tell: Tell | None = None
) -> None:
    """Compare a frame of each shot of cells, and of their heroes' cells, with its hero's; what is known comes from
    the cache.
    """
    wanted: dict[str, SeeJob] = {}
    for place in dict.fromkeys([*places, *(t for p in places for t in targets_of(shoot, p))]):
        for shot in shoot.shots.get(place, ()):
            if (job := shoot.see_job(shot)) is not None:
                wanted[job.key] = job
    shoot.seen |= cached(shoot.production, SEEN, wanted, see_job, jobs, tell)


def known_frames(shoot: Shoot, places: Sequence[CellKey]) -> None:
    """The same from the cache alone."""
    keys = [
        key
        for place in dict.fromkeys([*places, *(t for p in places for t in targets_of(shoot, p))])
        for shot in shoot.shots.get(place, ())
        if (key := shoot.pair_key(shot))
    ]
    held = shoot.production.measured_of(SEEN, keys)
    shoot.seen |= {k: v for k, v in held.items() if "levels" in v}


# ledgers


def measure_cells(
    production: Production,
    config: ColourConfig,
    places: Sequence[CellKey],
    seen_on: tuple[str, str] | None = None,
    jobs: int | None = None,
    tell: Tell | None = None,
    scratch: str = "",
) -> None:
    """Measure what ledgers of cells' shots need under their present grades: frames compared, and pictures. `scratch`:
    where small pictures of a match are kept.
    """
    shoot = Shoot(production, config, scratch=scratch)
    known_charts(shoot)
    compare_frames(shoot, places, jobs, part(tell, 0.0, 0.05))
    keep_beside(shoot, places, jobs, part(tell, 0.05, 0.35))
    wanted: dict[str, LookJob] = {}
    for place in places:
        for shot in shoot.shots.get(place, ()):
            for job in look_jobs(shoot, shot, seen_on or config.default_view()):
                wanted[job.key] = job
    known = production.measured_of(LOOK, wanted)
    groups: dict[tuple[Path, int], list[LookJob]] = {}  # a frame is read once for all of its grades
    for key, job in wanted.items():
        if key not in known:
            groups.setdefault((job.path, job.shot.frame), []).append(job)
    work = [LookJobs(tuple(g)) for g in groups.values()]
    with Keeping(production, LOOK) as keeping:
        for _, result in each(look_all, work, jobs, part(tell, 0.35, 1.0), lambda j: j.path.name):
            if not isinstance(result, AquinError):
                keeping.add(result)


def known_charts(shoot: Shoot) -> None:
    """What was read of all charts, from the cache: where a cell's own chart is in doubt, another setup's stands in."""
    shots = needed(shoot, list(shoot.shots))
    keys = [job.key for s in shots if (job := shoot.chart_job(s)) is not None]
    shoot.readings |= shoot.production.measured_of(READING, keys)


def look_jobs(shoot: Shoot, shot: Shot, seen_on: tuple[str, str]) -> list[LookJob]:
    """The hero's picture under its grade, the shot's as filmed and under its grade; none for what has no hero or
    can't be read.
    """
    at = shoot.moment(shot)
    if at is None:
        return []
    out = []
    for one, frame, grade in (
        (at.hero, at.hero_frame, shot_grade(shoot, at.hero)),
        (shot, at.shot_frame, Correction()),
        (shot, at.shot_frame, shot_grade(shoot, shot)),
    ):
        ref = shoot.ref(one, frame, grade)
        if ref is None:
            return []
        key = hash_of([VERSION, LOOKING, shoot.read_as(one, ref), frame, ref.grade, seen_on])
        out.append(LookJob(key, ref, shoot.config_path, *seen_on))
    return out


def shot_evidence(shoot: Shoot, shot: Shot, at: Moment) -> tuple[Evidence | None, str]:
    """What speaks for a shot, its hero as graded: the same points, its camera's charts, or statistics; from what is
    known.
    """
    grade, (first, _) = shot_grade(shoot, shot), pair_grades(shoot, shot, at)
    place, target = (shot.setup_id, shot.camera_id), (at.hero.setup_id, at.hero.camera_id)
    found = shoot.seen.get(shoot.pair_key(shot), {})
    evidence, by = None, ""
    for kind in ("points", "chart", "statistics"):
        if kind == "chart" and place != target and (chart := shoot.source(target, place)) is not None:
            own = shoot.trims.get(shot.id)
            moved = own.values.get("moved") if own is not None and own.on else None
            if replace(grade, keys=()) == shoot.grade_at(place):
                evidence, by = chart[0].evidence, "chart"
            elif isinstance(moved, list) and len(moved) == 3:  # what the chart would be in this shot's light
                shift = np.exp2(np.array(moved, np.float64))
                evidence, by = replace(chart[0].evidence, shot=chart[0].evidence.shot * shift), "chart+drift"
        elif kind != "chart" and found.get(kind) is not None:
            source = source_of(found[kind])
            if kind == "points" and source.sureness < POINTS:
                continue
            hero = np.asarray(first.linear(source.evidence.hero), np.float64)
            evidence, by = replace(source.evidence, hero=hero), kind
        if evidence is not None:
            break
    return evidence, by


def shot_ledger(
    shoot: Shoot,
    shot: Shot,
    looks: Mapping[str, Any],
    jobs: Sequence[LookJob],
    tolerances: Mapping[str, float] | None = None,
    beside: Verdict | None = None,
) -> tuple[list[Row], str]:
    """A shot's ledger from what is known, and what speaks for it; nothing is read. `beside`: what its picture beside
    its hero's says.
    """
    at = shoot.moment(shot)
    if at is None:
        return [], ""
    evidence, by = shot_evidence(shoot, shot, at)
    grade = pair_grades(shoot, shot, at)[1]
    pictures = None
    if len(jobs) == 3 and all(j.key in looks for j in jobs):
        sides = [{k: float("nan") if v is None else float(v) for k, v in looks[j.key].items()} for j in jobs]
        pictures = (sides[0], sides[1], sides[2])
    if evidence is None:
        if pictures is None:
            return [], ""
        nothing = Evidence(np.ones((1, 3)), np.ones((1, 3)), np.ones(1, bool))
        return [r for r in measure(nothing, Correction(), pictures, tolerances) if r.axis.picture], ""
    rows = on_the_axes(measure(evidence, grade, pictures, tolerances), beside)
    if by == "statistics":
        rows = [r if r.axis.picture or np.isfinite(r.beside) else replace(r, weak=True) for r in rows]
    return rows, by

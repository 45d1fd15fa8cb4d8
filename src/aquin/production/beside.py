"""Each shot beside its hero's moment, under the grades as they were solved: how much brighter, warmer and greener it
still is, by the same points and by the same materials, and how sure that is.

A camera's balance in a setup takes what its shots have in common; what a shot has beyond that is a trim of its own.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.colour.primaries import AP1_LUMA, AP1_TO_XYZ
from aquin.colour.white import ACES_DUV, ACES_MIRED, STOPS_A_MIRED, mired_duv
from aquin.errors import AquinError
from aquin.match.drift import Drift, to_parts
from aquin.match.materials import match_frames
from aquin.production.drifting import apart, drift_in
from aquin.production.kept_work import cached
from aquin.production.match_work import Ref, SeeJob, small_side, thin_small
from aquin.production.named import named_of, said_by, struck_of
from aquin.production.records import Setup
from aquin.production.setups import kelvin
from aquin.production.shoot import hash_of, pair_grades, shot_grade
from aquin.production.told import told_of

if TYPE_CHECKING:
    from aquin.measure.ledger import Evidence, Row
    from aquin.production.heroes import Moment
    from aquin.production.records import Shot
    from aquin.production.shoot import CellKey, Shoot
    from aquin.workers import Tell

MATERIALS = "same materials"
"""Kind of what is kept."""
VERSION = 3
"""Goes up when what is kept means something else."""
UNSURE = 0.12
"""Standard error of a channel's level, in stops, from which other frames of the two are looked at as well: it costs as
much again, and where one frame is sure they say the same.
"""
UNTOLD = 0.35
"""Stops by which a channel is off after charts and settings alone."""
POINTS = 0.03
"""Stops by which the same points are off at full sureness."""
WILD = 2.5
"""Standard errors from which a witness counts less and less."""
SPREAD_OF_POINTS = 3.0
"""What points disagree by is their error times this: they are many, but few things."""
ZONES = (-2.0, 0.0, 2.0)
"""Stops over grey between shadows, mids and lights, whose points are counted apart."""
IN_A_ZONE = 10
NAMED = "what was named"
SURE = 0.5
"""Sureness from which the same points are heard."""


def like_job(job: SeeJob) -> dict[str, Any]:
    """What the same materials say, as plain values: `off`, `error` (3,) log2 of the channels, `likeness`, `materials`;
    empty where there are none. Raises AquinError.
    """
    moment = (
        graded_small(job.hero, job.config, job.scratch),
        graded_small(job.shot, job.config, job.scratch),
    )
    struck = chromaticity(job.hero.graded, job.struck) if job.struck else None
    found = match_frames([moment], struck=struck)
    if job.more and (job.wanders or found is None or found.doubt[0] > UNSURE):
        with suppress(AquinError):  # a file may be damaged there, and sound at the moment
            hero, shot = (_thin([pair[k] for pair in job.more], job.config, job.scratch) for k in (0, 1))
            found = match_frames([moment, *zip(hero, shot, strict=True)], struck=struck) or found
    if found is None:
        return {"off": None}
    return {
        "off": np.round(found.off, 4).tolist(),
        "error": np.round(found.error, 4).tolist(),
        "doubt": np.round(found.doubt, 4).tolist(),
        "likeness": round(found.likeness, 4),
        "materials": [
            {
                "at": np.round(m.at, 3).tolist(),
                "vote": np.round(m.vote, 3).tolist(),
                "share": round(m.share, 4),
            }
            for m in found.materials
        ],
    }


def chromaticity(grade: Correction, colours: Sequence[Sequence[float]]) -> Float64:
    """(n, 2) log2 R/G and B/G under a grade of (n, 3) scene-linear AP1."""
    graded = np.log2(np.maximum(np.asarray(grade.linear(np.array(colours, np.float64)), np.float64), 1e-6))
    return np.asarray(
        np.stack([graded[:, 0] - graded[:, 1], graded[:, 2] - graded[:, 1]], axis=1), np.float64
    )


def graded_small(ref: Ref, config: str | None, scratch: str = "") -> tuple[Float32, np.ndarray]:
    """(h, w, 3) scene-linear AP1 under the frame's grade, small, and (h, w) where nothing was clipped."""
    small, usable = small_side(ref, config, scratch)
    return np.asarray(ref.graded.linear(small), np.float32), usable


def _thin(refs: Sequence[Ref], config: str | None, scratch: str) -> list[tuple[Float32, np.ndarray]]:
    """The same of frames of one file beside the moment, of which no more pixels are read than that."""
    return [
        (np.asarray(ref.graded.linear(linear), np.float32), usable)
        for ref, (linear, usable) in zip(refs, thin_small(refs, config, scratch), strict=True)
    ]


@dataclass(frozen=True)
class Verdict:
    """By how much a shot is above its hero under its cell's grade: (3,) log2 of the channels and their standard
    errors. `by`: who says so.
    """

    off: Float64
    error: Float64
    by: str
    doubt: Float64 = field(default_factory=lambda: np.full(3, 0.5))
    """(3,) standard errors of exposure, of log2 R/B and of green over both, in stops."""

    @property
    def axes(self) -> dict[str, tuple[float, float]]:
        """By axis, in its unit: how far the shot is off, and its standard error."""
        return axes_of([self])[0]


def axes_of(verdicts: Sequence[Verdict]) -> list[dict[str, tuple[float, float]]]:
    """The same of many at once."""
    if not verdicts:
        return []
    offs = np.stack([v.off for v in verdicts])
    white = mired_duv(np.exp2(offs) @ AP1_TO_XYZ.T) - (ACES_MIRED, ACES_DUV)
    out = []
    for verdict, stops, (mired, duv) in zip(verdicts, to_parts(offs)[:, 0], white, strict=True):
        level, warm, green = (float(v) for v in verdict.doubt)
        out.append(
            {
                "exposure": (float(stops), float(np.hypot(LEAST, SURER_OF_LEVEL * level))),
                "warmth": (float(mired), SURER * warm / STOPS_A_MIRED),
                "tint": (1e3 * float(duv), SURER * 1e3 * green * DUV_A_STOP),
            }
        )
    return out


SURER = 0.38
"""What white's standard errors are multiplied by where they are stated: on the tuning seeds true errors were smaller
(`benchmarks/seeds.py`).
"""
SURER_OF_LEVEL, LEAST = 0.46, 0.015
"""The same of exposure, and the stops that it is off whatever is said."""

DUV_A_STOP = 0.053
"""Duv that a stop of green over red and blue moves a neutral by, about (AP1, near the ACES white)."""


def verdicts(
    shoot: Shoot,
    places: Sequence[CellKey],
    trims: Mapping[str, Correction],
    jobs: int | None = None,
    tell: Tell | None = None,
    known: Mapping[str, float] | None = None,
    drifts: Mapping[str, Drift] | None = None,
    mended: Mapping[str, float] | None = None,
) -> dict[str, Verdict]:
    """By the shot's id, of all shots of cells that can be compared. `trims`: grades of the hero cameras' shots that
    were just decided. `known`: stops by which a shot is exposed unlike its siblings, which are taken off first and
    given back. `drifts`: by setup, how its light changes while it is filmed. `mended`: shots of the hero cameras with
    a finding on their light that their trims take back, and the trims' errors in stops; beside others nothing is said.
    """
    wanted: dict[str, tuple[Shot, SeeJob]] = {}
    known, mended = known or {}, mended or {}
    for place in places:
        for shot in shoot.shots.get(place, ()):
            at = shoot.moment(shot)
            if at is None or "baked picture" in shoot.odd.get(shot.id, ()):
                continue
            if shoot.odd.get(at.hero.id) and at.hero.id not in mended:
                continue
            job = like_of(shoot, shot, *_grades(shoot, shot, at, trims, known))
            if job is not None:
                wanted[job.key] = (shot, job)
    found = cached(shoot.production, MATERIALS, {k: j for k, (_, j) in wanted.items()}, like_job, jobs, tell)
    out: dict[str, Verdict] = {}
    for key, (shot, _) in wanted.items():
        at = shoot.moment(shot)
        assert at is not None
        grades = _grades(shoot, shot, at, trims, known)
        light = (drifts or {}).get(shot.setup_id, Drift(()))
        made = verdict_of(shoot, shot, found.get(key, {}), *grades, apart(light, shot, at.hero))
        if made is not None:
            more = mended.get(at.hero.id, 0.0)
            error, doubt = np.hypot(made.error, more), np.hypot(made.doubt, more)
            out[shot.id] = replace(made, off=made.off + known.get(shot.id, 0.0), error=error, doubt=doubt)
    return out


def _grades(
    shoot: Shoot, shot: Shot, at: Moment, trims: Mapping[str, Correction], known: Mapping[str, float]
) -> tuple[Correction, Correction]:
    """The hero's and the shot's, as far as they are decided."""
    own = without(shoot.grade_at((shot.setup_id, shot.camera_id)), np.full(3, known.get(shot.id, 0.0)))
    first = trims.get(at.hero.id) or shot_grade(shoot, at.hero)
    return first.at(at.hero_frame), own


def like_of(shoot: Shoot, shot: Shot, theirs: Correction, own: Correction) -> SeeJob | None:
    """What is to be looked at under two grades; None where it can't be read."""
    at = shoot.moment(shot)
    if at is None:
        return None
    a, b = shoot.ref(at.hero, at.hero_frame, theirs), shoot.ref(shot, at.shot_frame, own)
    if a is None or b is None:
        return None
    frames = [shoot.read_as(at.hero, a), at.hero_frame, shoot.read_as(shot, b), at.shot_frame]
    struck = struck_of(shoot.production, shot)
    moves = any(shot_grade(shoot, s).keys for s in (at.hero, shot))  # other frames have other grades then
    more = [] if moves else [(replace(a, frame=i), replace(b, frame=j)) for i, j in at.more]
    wanders = not kelvin(shot.white).isdigit()
    said = [*frames, a.grade, b.grade, *([struck] if struck else [])]
    if more:
        said += [at.more, wanders]
    key = hash_of([VERSION, *said])
    return SeeJob(key, a, b, shoot.config_path, struck, tuple(more), wanders, shoot.scratch)


_Said = tuple[Float64, Float64, Float64, str]
"""(3,) log2 of the channels, its standard errors, those of `Verdict.doubt`, and who says so."""


def verdict_of(
    shoot: Shoot, shot: Shot, like: Mapping[str, Any], theirs: Correction, own: Correction, drift: float
) -> Verdict | None:
    """All witnesses together; None where none speaks. `theirs`, `own`: the grades of hero and shot; `drift`: stops
    by which light differs between the two, where they were not filmed at one time.
    """
    at = shoot.moment(shot)
    said: list[_Said] = []
    if at is None:
        return None
    if like.get("off") is not None:
        off, error, doubt = (np.array(like[k], np.float64) for k in ("off", "error", "doubt"))
        if at.same_time:
            off = off - shoot.aspect_of((shot.setup_id, shot.camera_id))
        said.append((off, error, doubt, "the same materials"))
    points = shoot.seen.get(shoot.pair_key(shot), {}).get("points")
    if points is not None and float(points["sure"]) >= SURE:
        a = np.asarray(theirs.linear(np.array(points["hero"], np.float64)), np.float64)
        b = np.asarray(own.linear(np.array(points["shot"], np.float64)), np.float64)
        middle, error = by_points(a, b, float(points["sure"]))
        said.append((middle, error, error, "the same points"))
    if (
        said and not at.same_time
    ):  # both are of another light; what a person names is to look alike whatever the light
        off, error, doubt, by = _together(said)
        said = [(off, np.hypot(error, 0.05 + drift), np.hypot(doubt, 0.05 + drift), by)]
    if (named := _named(shoot, shot, at.hero, theirs, own)) is not None:
        said.append((named[0], named[1], named[1], NAMED))
    if not said:
        return None
    off, error, doubt, by = _together(said)
    return Verdict(off, error, by, doubt)


def _together(said: Sequence[_Said]) -> _Said:
    """Several witnesses as one."""
    off, error = agreed([(v, e) for v, e, _, _ in said])
    # where the witnesses disagree, each number is as much surer or less sure as the channels are
    alone = 1 / np.sqrt(np.sum([1 / e**2 for _, e, _, _ in said], axis=0))
    parts = 1 / np.sqrt(np.sum([1 / d**2 for _, _, d, _ in said], axis=0))
    names = [n for _, _, _, n in sorted(said, key=lambda s: float(s[1].mean()))]
    return off, error, parts * max(float(error.mean() / alone.mean()), 1.0), " and ".join(names)


def keep_beside(
    shoot: Shoot, places: Sequence[CellKey], jobs: int | None = None, tell: Tell | None = None
) -> None:
    """Look at all shots of cells beside their heroes under the grades that they have now; what is known is kept."""
    cached(
        shoot.production, MATERIALS, {j.key: j for j in _now(shoot, places).values()}, like_job, jobs, tell
    )


def _named(
    shoot: Shoot, shot: Shot, hero: Shot, theirs: Correction, own: Correction
) -> tuple[Float64, Float64] | None:
    """What the things say that a person named in shot and hero: (3,) and its standard errors."""
    things = [n for n in named_of(shoot.production, shot) if n.hero_id == hero.id]
    if not things:
        return None
    first = np.asarray(theirs.linear(np.array([n.hero for n in things])), np.float64)
    other = np.asarray(own.linear(np.array([n.shot for n in things])), np.float64)
    return said_by(first, other)


def by_points(hero: Float64, shot: Float64, sure: float, least: float = POINTS) -> tuple[Float64, Float64]:
    """(3,) log2 of the shot's channels over the hero's, and its standard errors, from (n, 3) colours of the same
    points. `least`: stops that they are off at full sureness.

    Lights, mids and shadows speak alike, however many points each has: features crowd where light is, and a baked curve
    tells something else there. Where they disagree, that is doubt.
    """
    ratio = np.log2(np.maximum(shot, 1e-6) / np.maximum(hero, 1e-6))
    level = np.log2(np.maximum(hero @ AP1_LUMA, 1e-6) / 0.18)
    zone = np.digitize(level, ZONES)
    parts = [ratio[zone == k] for k in range(len(ZONES) + 1)]
    middles = np.array([np.median(p, axis=0) for p in parts if len(p) >= IN_A_ZONE])
    if not len(middles):
        middles = np.median(ratio, axis=0)[None]
    middle = np.median(middles, axis=0)
    apart = 1.4826 * np.median(np.abs(ratio - np.median(ratio, axis=0)), axis=0) / SPREAD_OF_POINTS
    between = middles.std(axis=0) / np.sqrt(len(middles))
    return np.asarray(middle, np.float64), np.sqrt((least / sure) ** 2 + apart**2 + between**2)


def look_again(shoot: Shoot, shot: Shot) -> None:
    """Look at one shot beside its hero under the grades that they have now, in this thread, where that is not known.
    Raises AquinError.
    """
    at = shoot.moment(shot)
    job = None if at is None else like_of(shoot, shot, *pair_grades(shoot, shot, at))
    if job is not None and job.key not in shoot.production.measured_of(MATERIALS, [job.key]):
        shoot.production.keep_measured(MATERIALS, {job.key: like_job(job)})


def beside_of(shoot: Shoot, places: Sequence[CellKey]) -> dict[str, Verdict]:
    """By shot, from what is known: how far it is from its hero under the grades that they have now."""
    wanted = _now(shoot, places)
    found = shoot.production.measured_of(MATERIALS, [j.key for j in wanted.values()])
    drifts: dict[str, Drift] = {}
    out: dict[str, Verdict] = {}
    for place in places:
        for shot in shoot.shots.get(place, ()):
            at, job = shoot.moment(shot), wanted.get(shot.id)
            if at is None or job is None or job.key not in found:
                continue
            grades = pair_grades(shoot, shot, at)
            if not at.same_time and shot.setup_id not in drifts:
                drifts[shot.setup_id] = drift_in(shoot, shoot.production.get(Setup, shot.setup_id))
            light = 0.0 if at.same_time else apart(drifts[shot.setup_id], shot, at.hero)
            made = verdict_of(shoot, shot, found[job.key], *grades, light)
            if made is not None:
                out[shot.id] = _as_settled(shoot, shot, at, made)
    return out


def _as_settled(shoot: Shoot, shot: Shot, at: Moment, verdict: Verdict) -> Verdict:
    """What witnesses say, with what settling found that they have wrong taken off: more was known then than they say
    (`cell_sum`). What a person names is no witness's error.
    """
    known = told_of(shoot, shot, at.hero)
    if known is None or NAMED in verdict.by:
        return verdict
    wrong, sure = known
    share = float((sure / verdict.doubt).mean())
    return replace(verdict, off=verdict.off - wrong, error=verdict.error * share, doubt=sure)


def _now(shoot: Shoot, places: Sequence[CellKey]) -> dict[str, SeeJob]:
    out: dict[str, SeeJob] = {}
    for place in places:
        for shot in shoot.shots.get(place, ()):
            at = shoot.moment(shot)
            if at is None or shot.camera_id == at.hero.camera_id:
                continue
            job = like_of(shoot, shot, *pair_grades(shoot, shot, at))
            if job is not None:
                out[shot.id] = job
    return out


def under(verdict: Verdict, colours: Float64, was: Correction, now: Correction) -> Verdict:
    """What a verdict becomes when the shot's grade changes. `colours`: (n, 3) of the shot as filmed, AP1."""
    if was == now:
        return verdict
    before, after = (np.maximum(np.asarray(g.linear(colours), np.float64), 1e-6) for g in (was, now))
    return replace(verdict, off=verdict.off + np.median(np.log2(after / before), axis=0))


def drawn_to(evidence: Evidence, grade: Correction, verdict: Verdict) -> Float64:
    """(3,) log2 of the channels by which a chart's colours are to be moved so that they say what the picture says of
    light, as far as the picture is sure. `grade`: the one that the verdict is of.
    """
    pairs = evidence.part(evidence.neutral) if evidence.neutral.any() else evidence
    own = np.maximum(np.asarray(grade.linear(pairs.shot), np.float64), 1e-6)
    said = np.median(np.log2(own / np.maximum(pairs.hero, 1e-6)), axis=0)
    share = UNTOLD**2 / (UNTOLD**2 + verdict.error**2)
    return np.asarray(share * (verdict.off - said))


def on_the_axes(rows: Sequence[Row], verdict: Verdict | None) -> list[Row]:
    """Rows of a ledger with what the picture beside its hero's says, and how sure that is."""
    if verdict is None:
        return list(rows)
    said = verdict.axes
    return [
        replace(r, beside=said[r.axis.name][0], doubt=said[r.axis.name][1]) if r.axis.name in said else r
        for r in rows
    ]


def agreed(said: Sequence[tuple[Float64, Float64]]) -> tuple[Float64, Float64]:
    """(3,) mean of values weighed by their standard errors, each (3,), the wild ones held back; and its standard error,
    which is no smaller than what they disagree by.
    """
    values, errors = (np.array([s[k] for s in said], np.float64) for k in (0, 1))
    weight = 1 / errors**2
    order = np.argsort(errors.mean(axis=1))
    middle = values[order[0]]  # the surest one first
    for _ in range(20):
        away = np.abs(values - middle) / errors
        held = weight * np.where(away > WILD, WILD / np.maximum(away, 1e-9), 1.0)
        before, middle = middle, (held * values).sum(axis=0) / held.sum(axis=0)
        if np.abs(middle - before).max() < 1e-9:
            break
    apart = (held * (values - middle) ** 2).sum(axis=0) / held.sum(axis=0) / max(len(said) - 1, 1)
    return middle, np.sqrt(1 / held.sum(axis=0) + (apart if len(said) > 1 else 0.0))


def without(grade: Correction, off: Float64) -> Correction:
    """The grade that takes back (3,) log2 of the channels."""
    return replace(grade, balance=Balance.from_factors(grade.balance.factors * np.exp2(-off)))

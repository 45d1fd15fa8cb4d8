"""How light changes within a take, and the keys that take it back: its frames against the one that its grade was solved
at, by the same points, and where there are none by the same materials.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour.config import shared_config
from aquin.colour.grade import Grade as Correction
from aquin.colour.over_time import change_at, fewest
from aquin.colour.white import STOPS_A_MIRED
from aquin.match.drift import to_parts
from aquin.match.engine import Side
from aquin.match.materials import match_materials
from aquin.match.points import Searched, match_points
from aquin.production.beside import SURE, by_points
from aquin.production.grading import correction_of, held_grade, trim_of
from aquin.production.kept_work import cached
from aquin.production.match_work import Ref, opened, shrunk
from aquin.production.records import Grade, Shot
from aquin.production.shoot import FOLLOWED, Shoot, frame_of, hash_of
from aquin.production.stale import inputs_of

if TYPE_CHECKING:
    from pathlib import Path

    from aquin.colour.config import ColourConfig
    from aquin.production.store import Entry, Production
    from aquin.workers import Tell

KIND = "light within a take"
WIDE = 640
"""Frames are compared at most so many pixels wide."""
SEARCHED = 320
"""Pixels across in which their points are looked for: frames of one take are alike."""
VERSION = 4
FEWEST, MOST = 5, 13
"""Frames that are looked at first; two a second between."""
FINER, STEEP = 2, 0.08
"""How often frames between are looked at, too, where a channel changes by more stops from one to the next."""
TOLERANCE = 0.03
"""Stops of a channel that keys may leave."""
ONE_CAMERA = 0.01
"""Stops by which the same points of two frames of one take are off at full sureness."""
CHANGES = 0.1
"""Stops of a channel from which a take is said to change."""


@dataclass(frozen=True)
class FollowJob:
    """One take, at frames in order; `origin` is one of them."""

    key: str
    ref: Ref
    frames: tuple[int, ...]
    origin: int
    config: str | None

    @property
    def path(self) -> Path:
        return self.ref.path


def follow_job(job: FollowJob) -> dict[str, Any]:
    """Of those frames that can be told: `frames`, `change` (n, 3) log2 of the channels over the origin, `error` (n,)
    stops, and `by`. Frames that share nothing with the origin are told by their neighbours, and are less sure. Raises
    AquinError.
    """
    known: dict[int, tuple[Float64, float]] = {job.origin: (np.zeros(3), 0.0)}
    pictures: dict[int, Picture] = {}
    words: set[str] = set()
    first: Searched | None = None
    config = shared_config(job.config)
    source = opened(job.ref)
    try:
        to_linear, wanted = config.to_linear(job.ref.encoding), job.frames
        for _ in range(1 + FINER):
            for number in wanted:  # in the order in which they are decoded
                rgb = source.read(min(max(number, source.first), source.last)).rgb
                pictures[number] = shrunk(to_linear(rgb), Side(rgb, rgb).usable(), WIDE)
            first = first or Searched.of(*pictures[job.origin], SEARCHED)
            for number in sorted(wanted, key=lambda n: abs(n - job.origin)):
                words |= _told(number, job.origin, known, pictures, first)
            wanted = _steep(known)
    finally:
        source.close()
    frames = sorted(known)
    return {
        "frames": frames,
        "change": [np.round(known[n][0], 4).tolist() for n in frames],
        "error": [round(known[n][1], 4) for n in frames],
        "by": " and ".join(sorted(words)),
    }


Picture = tuple[Float32, np.ndarray]
"""(h, w, 3) scene-linear AP1, and (h, w) where nothing is clipped."""


def _told(
    number: int,
    origin: int,
    known: dict[int, tuple[Float64, float]],
    pictures: Mapping[int, Picture],
    searched: Searched,
) -> set[str]:
    """Tell one more frame, by the origin or else by the nearest frame that is known; who said so."""
    if number == origin:
        return set()
    near = min(known, key=lambda n: abs(n - number))
    for first in dict.fromkeys((origin, near)):
        said = between(pictures[first], pictures[number], searched if first == origin else None)
        if said is not None:
            known[number] = known[first][0] + said[0], float(np.hypot(known[first][1], said[1]))
            return {said[2]}
    return set()


def _steep(known: Mapping[int, tuple[Float64, float]]) -> tuple[int, ...]:
    """Frames halfway where light changes much from one known frame to the next."""
    frames = sorted(known)
    return tuple(
        (a + b) // 2
        for a, b in pairwise(frames)
        if b - a > 3 and np.abs(known[a][0] - known[b][0]).max() > STEEP
    )


def between(
    first: Picture, other: Picture, searched: Searched | None = None
) -> tuple[Float64, float, str] | None:
    """(3,) log2 of the channels by which one camera's other frame is above its first, its error in stops, and who says
    so; None where they share nothing. `searched`: the first, where it was searched for points before.
    """
    points = match_points(searched or Searched.of(*first, SEARCHED), Searched.of(*other, SEARCHED))
    if points is not None and points.sureness >= SURE:
        off, error = by_points(points.evidence.hero, points.evidence.shot, points.sureness, ONE_CAMERA)
        return off, float(error.mean()), "the same points"
    same = match_materials(first[0], other[0], first[1], other[1])
    if same is None:
        return None
    return np.asarray(same.off, np.float64), float(np.mean(same.error)), "the same materials"


@dataclass(frozen=True)
class Followed:
    """A take's light over time. `change`: (n, 3) log2 of the channels at `frames` over the frame that its grade is
    solved at; `error`: (n,) standard errors in stops. `left`: (n, 3) the same under the keys that its grade has.
    """

    shot: Shot
    frames: tuple[int, ...]
    change: Float64
    error: Float64
    by: str
    left: Float64

    @property
    def span(self) -> float:
        """Stops by which a channel changes over the take, under its grade."""
        return float(np.ptp(self.left, axis=0).max()) if len(self.frames) > 1 else 0.0

    @property
    def changes(self) -> bool:
        """Whether it changes by more than is tolerated, and by more than it is unsure."""
        return self.span > max(CHANGES, 2 * float(self.error.max(initial=0.0)))

    @property
    def parts(self) -> Float64:
        """(n, 3) stops, mired (positive is warmer) and green in stops."""
        return np.asarray(to_parts(self.change) / np.array([1.0, STOPS_A_MIRED, 1.0]), np.float64)

    @property
    def words(self) -> str:
        """How it changes, for people."""
        parts = to_parts(self.left) / np.array([1.0, STOPS_A_MIRED, 1.0])
        stops, mired, green = (_swing(parts[:, k]) for k in range(3))
        said = []
        if abs(stops) >= SEEN_STOPS:
            said.append(f"light {'rises' if stops > 0 else 'falls'} by {abs(stops):.2f} st")
        if abs(mired) >= SEEN_MIRED:
            turns = f"turns {abs(mired):.0f} mired {'warmer' if mired > 0 else 'cooler'}"
            said.append(turns if said else f"white {turns}")
        if not said:
            way = "greener" if green > 0 else "more magenta"
            said.append(f"white turns {way} by {abs(green):.2f} st")
        return f"{' and '.join(said)} within the take"


SEEN_STOPS, SEEN_MIRED = 0.05, 4.0
"""Changes within a take that are put into words."""


def _swing(values: Float64) -> float:
    """(n,) from the earlier to the later of the least and the largest."""
    low, high = int(np.argmin(values)), int(np.argmax(values))
    return float(values[max(low, high)] - values[min(low, high)])


def follow(
    production: Production,
    config: ColourConfig,
    shots: Sequence[Shot],
    jobs: int | None = None,
    tell: Tell | None = None,
    only_known: bool = False,
) -> dict[str, Followed]:
    """By shot, how light changes within takes, looked at in workers and kept. Those that can't be read are left out.
    Raises AquinError.
    """
    shoot = Shoot(production, config)
    wanted = {s.id: job for s in shots if (job := job_of(shoot, s)) is not None}
    if only_known:
        found: Mapping[str, Any] = production.measured_of(KIND, [j.key for j in wanted.values()])
    else:
        found = cached(production, KIND, {j.key: j for j in wanted.values()}, follow_job, jobs, tell)
    out = {}
    for shot in shots:
        values = found.get(wanted[shot.id].key) if shot.id in wanted else None
        if values:
            out[shot.id] = _followed(production, shot, values)
    return out


SCREENED = 0.06
"""Stops by which levels or whites of a take's frames differ from which it is looked at."""


def may_change(levels: Sequence[Sequence[float]]) -> bool:
    """Whether light may change within a take, by what was measured of some of its frames apart (`survey.levels`)."""
    if len(levels) < 2:
        return False
    over = np.ptp(np.array(levels, np.float64), axis=0)
    return bool(np.median(over[:3]) > SCREENED or over[3] > SCREENED)


def job_of(shoot: Shoot, shot: Shot) -> FollowJob | None:
    """None for stills and for what can't be read."""
    origin = frame_of(shoot, shot)
    ref = shoot.ref(shot, origin)
    if ref is None or shot.frames < 2 or shot.kind != "shot" or shot.trouble:
        return None
    frames = frames_of(shot, origin)
    said = [KIND, VERSION, shoot.read_as(shot, ref), origin, frames]
    return FollowJob(hash_of(said), replace(ref, grade="{}"), frames, origin, shoot.config_path)


def frames_of(shot: Shot, origin: int) -> tuple[int, ...]:
    """Evenly over a shot, and the origin."""
    return evenly(shot.first, shot.frames, float(shot.fps or 24), origin)


def evenly(first: int, frames: int, rate: float, origin: int) -> tuple[int, ...]:
    """Frames evenly over a take, first and last among them, and the origin. `rate`: frames a second."""
    count = min(max(round(2 * frames / rate) + 1, FEWEST), MOST, frames)
    even = np.rint(np.linspace(first, first + frames - 1, count)).astype(int)
    return tuple(sorted({*(int(f) for f in even), origin}))


def _followed(production: Production, shot: Shot, values: Mapping[str, Any]) -> Followed:
    frames = tuple(int(f) for f in values["frames"])
    change = np.array(values["change"], np.float64).reshape(-1, 3)
    grade = held_grade(production, shot)
    left = change + (change_at(grade.keys, frames) if grade is not None else 0.0)
    return Followed(shot, frames, change, np.array(values["error"], np.float64), str(values["by"]), left)


def graded_after(
    production: Production, config: ColourConfig, found: Followed, tolerance: float = TOLERANCE
) -> Correction:
    """A shot's grade with the fewest keys that take its change back; without keys where it hardly changes."""
    now = held_grade(production, found.shot) or Correction()
    keys = fewest(found.frames, -found.change, found.error, tolerance)
    return now.followed(frame_of(Shoot(production, config), found.shot), keys)


def keep(production: Production, config: ColourConfig, found: Followed, grade: Correction) -> Entry | None:
    """Make a grade with other keys the shot's own, as a step that can be undone: a trim of Aquin's stays one, which
    later settling may move. None where nothing differs. Raises AquinError.
    """
    shot, own = found.shot, trim_of(production, found.shot)
    if grade == (held_grade(production, shot) or Correction()):
        return None
    ours = own is None or not own.on or bool(own.values.get("auto"))
    more: dict[str, Any] = {}
    if ours:
        held = own.values.get("moved") if own is not None and own.on else None
        more = {"auto": True, "moved": held or [0.0, 0.0, 0.0]}
    words = f"{FOLLOWED}, {len(grade.keys)} keys by {found.by}" if grade.keys else "held still"
    held_words = own.origin.split("; ")[0] if own is not None and own.on else ""
    record = replace(
        own or Grade("trim", shot_id=shot.id),
        values=grade.values() | more,
        origin="; ".join(w for w in (held_words, words) if w),
        on=True,
    )
    made = replace(record, inputs=inputs_of(production, config, record))
    return production.change(f"follow the light in {shot.name}", made)


def own_keys(production: Production, shot: Shot) -> bool:
    """Whether a shot's grade moves."""
    found = correction_of(production, trim_of(production, shot))
    return found is not None and bool(found.keys)

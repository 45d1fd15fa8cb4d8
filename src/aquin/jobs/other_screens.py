"""A production's pictures on other screens, through wrong tags, and as several deliverables at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.colour import acescct
from aquin.colour.difference import delta_e00, lab_of_xyz
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange import picture
from aquin.measure.skin import find_skin
from aquin.production.cut.work import small_picture
from aquin.production.grading import held_grade
from aquin.production.match_work import seen_through
from aquin.production.settings import deliverables_of
from aquin.production.shoot import Shoot
from aquin.screens.encode import web
from aquin.screens.light import SCREENS, Light, Screen, screen_named, seen_on, white_point
from aquin.screens.losses import Losses, Original, losses, original_of
from aquin.screens.players import READINGS, Reading
from aquin.screens.steps import steps
from aquin.screens.tags import wanted_tags
from aquin.workers import each

if TYPE_CHECKING:
    from aquin.arrays import Float32, Float64
    from aquin.colour.config import ColourConfig
    from aquin.look.look import Look
    from aquin.production import Production, Shot
    from aquin.production.settings import Deliverable
    from aquin.workers import Tell

WIDE = 720
"""Pixels across that a picture is looked at on other screens."""
FEW = 480
"""The same where a whole cut is."""


@dataclass(frozen=True, eq=False)
class Graded:
    """A shot's graded frame as a deliverable's signal: `log`, (h, w, 3) ACEScct with its look, `signal`, `skin`
    (h, w) bool, and the light that the deliverable's own display makes.
    """

    shot: Shot
    frame: int
    log: Float32
    signal: Float32
    skin: np.ndarray
    deliverable: Deliverable
    light: Light


def graded_frame(
    production: Production,
    config: ColourConfig,
    shot: Shot,
    deliverable: Deliverable | None = None,
    look: Look | None = None,
    frame: int | None = None,
    wide: int = WIDE,
) -> Graded:
    """A shot's middle frame, or another one. Raises AquinError."""
    shoot = Shoot(production, config)
    number = shot.first + shot.frames // 2 if frame is None else frame
    grade = held_grade(production, shot) or Grade()
    ref = shoot.ref(shot, number, grade)
    if ref is None:
        raise AquinError(
            f"{shot.name} can't be read",
            production.place,
            "Find its media, and choose its camera's encoding in Plan",
        )
    where = deliverable or deliverables_of(production, config)[0]
    light = config.display_light(where.display, where.view)
    log = small_picture(ref, shoot.config_path, wide)
    if look is not None:
        log = np.asarray(look.picture(log), np.float32)
    view = config.view(where.display, where.view)
    linear = np.asarray(acescct.decode(log), np.float32)
    signal = np.clip(np.asarray(view(linear), np.float32), 0, 1)
    skin = find_skin(linear, seen_through(shoot.config_path, where.display, where.view))
    return Graded(shot, number, log, signal, skin, where, light)


def arriving(screen: Screen, signal: Float32) -> Float32:
    """What reaches a screen: through an encode where one lies on the way. Raises AquinError."""
    return web(signal, screen.rate) if screen.rate > 0 else signal


def measured(found: Graded, screens: Sequence[Screen]) -> list[Losses]:
    """What each screen loses of a picture. Raises AquinError."""
    original = original_of(found.signal, found.light)
    return [
        losses(s, found.signal, found.light, found.skin, original, arriving(s, found.signal)) for s in screens
    ]


def on_display(config: ColourConfig, found: Graded, xyz: Float64) -> Float32:
    """(h, w, 3) signal of the deliverable's own display that makes this relative light; what it can't show is cut
    off.
    """
    where = found.deliverable
    turned = config.display_signal(where.display, where.view)(np.asarray(xyz, np.float32))
    return np.clip(np.asarray(turned, np.float32), 0, 1)


def screen_picture(
    config: ColourConfig, found: Graded, screen: Screen, original: Original | None = None
) -> tuple[Float32, Losses]:
    """(h, w, 3) signal: how a picture looks on another screen, to be shown where the deliverable is: as an eye that is
    used to that screen's white has it, the room in it. And what is lost. Raises AquinError.
    """
    came = arriving(screen, found.signal)
    light = seen_on(screen, came, found.light)
    picture_there = on_display(config, found, light / (screen.white + screen.veil))
    return picture_there, losses(screen, found.signal, found.light, found.skin, original, came, light)


def chosen(ids: Sequence[str], changed: dict[str, float] | None = None) -> list[Screen]:
    """Screens by id, all where none is named; `changed`: numbers of one's own for all of them. Raises AquinError."""
    known = [s.id for s in SCREENS]
    for id in ids:
        if id not in known:
            raise AquinError(f"there is no screen '{id}'", None, f"There are: {', '.join(known)}")
    return [screen_named(id, **(changed or {})) for id in (ids or known)]


# wrong tags


@dataclass(frozen=True, eq=False)
class Misread:
    """A picture read wrongly: what it looks like on the deliverable's own screen, and how far it is from it."""

    reading: Reading
    signal: Float32
    moved: float
    black: float
    white: float


def misread(found: Graded, readings: Sequence[Reading] = READINGS) -> list[Misread]:
    """Each wrong reading of a picture: mean CIEDE2000 from how it is meant, and where black and white come to lie, in %
    of signal.
    """
    meant = lab_of_xyz(np.asarray(found.light(found.signal[::3, ::3]), np.float64), white_point())
    ends = np.array([[0.0] * 3, [1.0] * 3])
    out = []
    for reading in readings:
        made = np.asarray(reading.apply(found.signal), np.float32)
        lab = lab_of_xyz(
            np.asarray(found.light(np.ascontiguousarray(made[::3, ::3])), np.float64), white_point()
        )
        low, high = reading.apply(ends)
        moved = float(delta_e00(meant.reshape(-1, 3), lab.reshape(-1, 3)).mean())
        out.append(Misread(reading, made, moved, 100 * float(low.mean()), 100 * float(high.mean())))
    return out


# several deliverables


@dataclass(frozen=True, eq=False)
class Delivered:
    """One deliverable of a picture. `peak`: cd/m2 of its brightest part. `apart`: mean CIEDE2000 from the first one.
    `above`: % of the picture that is brighter than the first one's white. `held`: just noticeable steps that those
    parts have here, between their 5th and 95th percentile; `lost`: % of the steps of the richest one that are gone.
    """

    deliverable: Deliverable
    signal: Float32
    tags: str
    peak: float
    apart: float
    above: float
    held: float
    lost: float


def side_by_side(config: ColourConfig, found: Graded, deliverables: Sequence[Deliverable]) -> list[Delivered]:
    """The same graded picture as each deliverable has it. Raises AquinError."""
    linear = np.asarray(acescct.decode(found.log), np.float32)
    seen = []
    for d in deliverables:
        signal = np.asarray(config.view(d.display, d.view)(linear), np.float32)
        light = config.display_light(d.display, d.view)
        seen.append((d, signal, np.asarray(light(np.clip(signal, 0, 1)), np.float64), light))
    peak_xyz = np.asarray(seen[0][3](np.ones((1, 3), np.float32)), np.float64)[0]
    white = max(float(peak_xyz[1]), 1e-6)
    richest = max((xyz for _, _, xyz, _ in seen), key=lambda xyz: float(np.percentile(xyz[..., 1], 99.9)))
    bright = richest[..., 1] > white
    spans = [_span(100 * xyz[..., 1][bright]) for _, _, xyz, _ in seen]

    def lab_of(xyz: Float64) -> Float64:
        """What of it the first one can show: no channel of light beyond its white."""
        held = np.minimum(xyz[::3, ::3], peak_xyz) / white
        return np.asarray(lab_of_xyz(held, white_point()).reshape(-1, 3))

    first = lab_of(seen[0][2])
    out = []
    for (d, signal, xyz, own), span in zip(seen, spans, strict=True):
        lab = lab_of(xyz)
        lost = 100 * (1 - span / max(spans)) if max(spans) > 0 else 0.0
        above = 100 * float((xyz[..., 1] > white).mean())
        peak = 100 * float(np.percentile(xyz[..., 1], 99.9))
        apart = float(delta_e00(first, lab).mean())
        out.append(Delivered(d, signal, wanted_tags(own).short, peak, apart, above, span, lost))
    return out


def as_shown(config: ColourConfig, one: Delivered, own: Deliverable) -> Float32:
    """(h, w, 3) signal of the display `own` that shows a deliverable's light as far as it can: what is brighter than
    its white is cut off there.
    """
    d = one.deliverable
    light = np.asarray(config.display_light(d.display, d.view)(np.clip(one.signal, 0, 1)), np.float32)
    return np.clip(np.asarray(config.display_signal(own.display, own.view)(light), np.float32), 0, 1)


def _span(light: Float64) -> float:
    """Just noticeable steps between the 5th and the 95th percentile of cd/m2."""
    if light.size < 50:
        return 0.0
    low, high = steps(np.percentile(light, (5, 95)))
    return float(high - low)


# a whole cut


@dataclass(frozen=True)
class WorstJob:
    """One shot under all screens, for a worker."""

    ref: Any
    config: str | None
    deliverable: tuple[str, str]
    look: Any
    screens: tuple[Screen, ...]
    shot_id: str

    @property
    def path(self) -> Path:
        return Path(self.ref.path)


def worst_job(job: WorstJob) -> list[Losses]:
    """Raises AquinError."""
    from aquin.colour.config import shared_config

    config = shared_config(job.config)
    log = small_picture(job.ref, job.config, FEW)
    if job.look is not None:
        log = np.asarray(job.look.picture(log), np.float32)
    linear = np.asarray(acescct.decode(log), np.float32)
    signal = np.clip(np.asarray(config.view(*job.deliverable)(linear), np.float32), 0, 1)
    skin = find_skin(linear, seen_through(job.config, *job.deliverable))
    light = config.display_light(*job.deliverable)
    original = original_of(signal, light)
    return [losses(s, signal, light, skin, original, arriving(s, signal)) for s in job.screens]


def worst_shots(
    production: Production,
    config: ColourConfig,
    shots: Sequence[Shot],
    screens: Sequence[Screen],
    look_of: Callable[[Shot], Look | None] = lambda shot: None,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> dict[str, list[tuple[Shot, Losses]]]:
    """By screen, all shots that can be read, the worst first; in workers."""
    shoot, where = Shoot(production, config), deliverables_of(production, config)[0]
    by_id = {s.id: s for s in shots}
    wanted = []
    for shot in shots:
        frame = shot.first + shot.frames // 2
        ref = None if shot.trouble else shoot.ref(shot, frame, held_grade(production, shot) or Grade())
        if ref is not None:
            place = (where.display, where.view)
            wanted.append(WorstJob(ref, shoot.config_path, place, look_of(shot), tuple(screens), shot.id))
    out: dict[str, list[tuple[Shot, Losses]]] = {s.id: [] for s in screens}
    for job, found in each(worst_job, wanted, jobs, tell, lambda j: j.path.name):
        if not isinstance(found, AquinError):
            for one in found:
                out[one.screen].append((by_id[job.shot_id], one))
    for id in out:
        out[id].sort(key=lambda p: -p[1].badness)
    return out


def write_pictures(
    config: ColourConfig, found: Graded, screens: Sequence[Screen], folder: Path, force: bool = False
) -> list[Path]:
    """Each screen's picture as a PNG for the deliverable's own display. Raises AquinError."""
    out = []
    for screen in screens:
        path = folder / f"{found.shot.name}-{screen.id}.png"
        picture.write(path, screen_picture(config, found, screen)[0], force)
        out.append(path)
    return out

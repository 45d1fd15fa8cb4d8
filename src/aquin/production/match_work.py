"""What workers do for matching: read charts, gather evidence, solve, and measure shots against their heroes. Plain
values in and out.
"""

import hashlib
import json
import os
from collections.abc import Callable, Mapping, Sequence
from contextlib import closing, suppress
from dataclasses import dataclass, replace
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.charts.fits import METRICS
from aquin.charts.layout import layout
from aquin.charts.solve import Solution, solve_all
from aquin.charts.take import Take, read_take
from aquin.colour.baked import baked_view
from aquin.colour.config import ColourConfig, shared_config
from aquin.colour.grade import Grade
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.frames import Decode, open_source
from aquin.frames import Source as Frames
from aquin.match.engine import Side, Source, combined, gather
from aquin.measure.ledger import Evidence
from aquin.measure.looks import clipped_share, facts
from aquin.measure.skin import find_skin

FRAMES = 12
"""Frames of a chart take that are looked at when a whole shoot is matched; Charts looks at more."""


WIDE = 480
"""Materials are looked for in pictures at most this wide."""
MOST_KEPT = 300
"""Small pictures that are kept while a match takes, of 2 MB each: they may lie in memory."""
Small = tuple[Float32, np.ndarray]
"""(h, w, 3) scene-linear AP1, and (h, w) where nothing is clipped."""
ENOUGH = 0.4
"""Sureness of the same points from which statistics are not looked at."""


@dataclass(frozen=True)
class Ref:
    """A frame of a shot and how it is read. `grade`: the values of its grade, as JSON."""

    path: Path
    encoding: str
    range: str
    matrix: str
    frame: int
    raw: str = "{}"
    grade: str = "{}"

    @property
    def graded(self) -> Grade:
        return Grade.of(json.loads(self.grade))


@dataclass(frozen=True, eq=False)
class ChartJob:
    """One chart take to be read."""

    key: str
    take: Take

    @property
    def path(self) -> Path:
        return self.take.path


def read_job(job: ChartJob) -> dict[str, Any]:
    """A chart's colours: `linear` (n, 3), `usable` (n,), `score`, and where its best frame shows it, `frame` and
    `corners` (4, 2) in pixels; empty where none was found.
    """
    seen = read_take(replace(job.take, most=FRAMES))
    reading = seen.reading()
    if reading is None:
        return {}
    best = seen.best
    where = {} if best is None else {"frame": best.number, "corners": np.round(reading.corners, 1).tolist()}
    return where | {
        "layout": reading.layout.name,
        "linear": reading.linear.tolist(),
        "usable": reading.usable.tolist(),
        "score": reading.score,
        "clipped": float(reading.clipped.max()),
    }


@dataclass(frozen=True, eq=False)
class SolveJob:
    """One camera in one setup, and what speaks for it."""

    label: str
    models: tuple[str, ...]
    sources: tuple[Source, ...]
    metric: str = "dE00"


def solve_job(job: SolveJob) -> list[Solution]:
    """Every model's grade and residuals. Raises AquinError when the evidence carries none."""
    return solve_all(combined(job.sources), models=job.models, metric=METRICS[job.metric])


def joined(sources: Sequence[Source]) -> Source:
    """Evidence of one kind from several frames as one; more frames make it surer."""
    parts = [s.evidence for s in sources]
    sure = float(1 - np.prod([1 - s.sureness for s in sources]))
    most = 0.35 if sources[0].by == "statistics" else 0.95
    evidence = Evidence(
        np.concatenate([p.hero for p in parts]),
        np.concatenate([p.shot for p in parts]),
        np.concatenate([p.neutral for p in parts]),
        np.concatenate([p.weights for p in parts]),
    )
    return Source(sources[0].by, evidence, min(sure, most))


@dataclass(frozen=True)
class SeeJob:
    """A frame of a shot beside one of its hero: both as filmed, whatever the grades are, for `see_job`; each under its
    grade for `beside.like_job`.
    """

    key: str
    hero: Ref
    shot: Ref
    config: str | None
    struck: tuple[tuple[float, float, float], ...] = ()
    """Colours, as filmed in the hero, of materials that do not count."""
    more: tuple[tuple[Ref, Ref], ...] = ()
    """Frames of both at other times, for `like_job`."""
    wanders: bool = False
    """Whether the shot's white may change from frame to frame."""
    scratch: str = ""
    """Where small pictures are kept for as long as a match takes; "" where they are not."""

    @property
    def path(self) -> Path:
        return self.shot.path


def see_job(job: SeeJob) -> dict[str, Any]:
    """`points` and `statistics`: evidence as plain values, or None. `levels`: stops of luminance between the
    pictures' quartiles.
    """
    hero, shot = (side_of(ref, job.config) for ref in (job.hero, job.shot))
    if job.scratch:  # while they are read
        for ref in (job.hero, job.shot):
            small_side(ref, job.config, job.scratch)
    found: dict[str, Any] = {"points": None, "statistics": None}
    for by in ("points", "statistics"):
        if found["points"] is not None and found["points"]["sure"] > ENOUGH:
            break  # distributions are believed least
        try:
            sources, _ = gather(hero, shot, by)
        except AquinError:
            continue
        found[by] = values_of(sources[0])
    tones = [
        np.log2(np.maximum(side.linear[::2, ::2] @ AP1_LUMA.astype(np.float32), 2e-4))
        for side in (hero, shot)
    ]
    levels = [np.percentile(t, (25, 50, 75)) for t in tones]
    return found | {"levels": (levels[1] - levels[0]).round(4).tolist()}


@dataclass(frozen=True)
class LookJob:
    """A frame under a grade, as the ledger measures pictures."""

    key: str
    shot: Ref
    config: str | None
    display: str
    view: str

    @property
    def path(self) -> Path:
        return self.shot.path


def look_job(job: LookJob, skin: np.ndarray | None = None) -> dict[str, float | None]:
    """The picture's values by axis; None where there is nothing to measure. `skin`: (h, w) bool, where it is known."""
    side = side_of(job.shot, job.config)
    view = seen_through(job.config, job.display, job.view)
    values = facts(side.linear, job.shot.graded, view, clipped_share(side.signal), mask=skin).values()
    return {k: None if not np.isfinite(v) else round(v, 5) for k, v in values.items()}


@dataclass(frozen=True)
class LookJobs:
    """One frame under several grades."""

    jobs: tuple[LookJob, ...]

    @property
    def path(self) -> Path:
        return self.jobs[0].path


def look_all(group: LookJobs) -> dict[str, dict[str, float | None]]:
    """By key; those that fail are left out."""
    out: dict[str, dict[str, float | None]] = {}
    skin: np.ndarray | None = None  # of the frame as filmed: the same under each grade
    for job in group.jobs:
        with suppress(AquinError):
            if skin is None:
                skin = find_skin(
                    side_of(job.shot, job.config).linear, seen_through(job.config, job.display, job.view)
                )
            out[job.key] = look_job(job, skin)
    return out


def values_of(source: Source) -> dict[str, Any]:
    e = source.evidence
    return {
        "by": source.by,
        "sure": source.sureness,
        "hero": np.round(e.hero, 6).tolist(),
        "shot": np.round(e.shot, 6).tolist(),
        "neutral": e.neutral.tolist(),
        "say": None if e.say is None else np.round(e.say, 4).tolist(),
        "layout": "" if e.reflectance is None else "24-patch",
        "kept": None,
    }


def source_of(values: Mapping[str, Any]) -> Source:
    known = None
    if values.get("layout"):
        chart = layout(str(values["layout"]))
        known = chart.reflectances
        if known is not None and values.get("kept") is not None:
            known = known[np.array(values["kept"], bool)]
        if known is not None and len(known) != len(values["hero"]):
            known = None
    evidence = Evidence(
        np.array(values["hero"], np.float64).reshape(-1, 3),
        np.array(values["shot"], np.float64).reshape(-1, 3),
        np.array(values["neutral"], bool),
        None if values.get("say") is None else np.array(values["say"], np.float64),
        known,
    )
    return Source(str(values["by"]), evidence, float(values["sure"]))


def seen_through(config: str | None, display: str, view: str) -> Any:
    """ACEScct to the signal of a display's view, baked once for each."""
    return _baked(shared_config(config), display, view)


@lru_cache(maxsize=2)
def _baked(config: ColourConfig, display: str, view: str) -> Any:
    return baked_view(config.view(display, view)).process


@lru_cache(maxsize=6)
def _read(ref: Ref, config: ColourConfig, changed: int) -> Side:
    """`changed`: when the file was, so that another file of its name is read anew."""
    source = opened(ref)
    try:
        rgb = source.read(min(max(ref.frame, source.first), source.last)).rgb
    finally:
        source.close()
    return Side(rgb, config.to_linear(ref.encoding)(rgb))


def thin_sides(refs: Sequence[Ref], config: str | None, wide: int) -> list[Side]:
    """Frames of one file as `side_of` has them, of which as few pixels are read as leave them `wide` pixels across.
    Raises AquinError.
    """
    out = []
    with closing(opened(refs[0])) as source:
        for ref in refs:
            number = min(max(ref.frame, source.first), source.last)
            rgb = source.read_thinned(number, max(source.width // wide, 1)).rgb
            out.append(Side(rgb, shared_config(config).to_linear(ref.encoding)(rgb)))
    return out


def shrunk(linear: Float32, usable: np.ndarray, wide: int = WIDE) -> Small:
    """(h, w, 3) scene-linear AP1 and (h, w) bool of what was not clipped, at most `wide` pixels across."""
    h, w = linear.shape[:2]
    size = (min(wide, w), max(round(h * min(wide, w) / w), 2))
    small = cv2.resize(np.asarray(linear, np.float32), size, interpolation=cv2.INTER_AREA)
    whole = cv2.resize(usable.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
    return np.asarray(small, np.float32), whole


def small_side(ref: Ref, config: str | None, scratch: str = "") -> Small:
    """A frame as filmed, small; its grade is not looked at. Raises AquinError."""

    def made() -> Small:
        side = side_of(ref, config)
        return shrunk(side.linear, side.usable())

    return _kept(ref, config, scratch, 1, made)


def thin_small(refs: Sequence[Ref], config: str | None, scratch: str = "") -> list[Small]:
    """The same of frames of one file, of which no more pixels are read than that. Raises AquinError."""
    known: list[Small] = []

    def made(at: int) -> Small:
        if not known:
            known.extend(shrunk(side.linear, side.usable()) for side in thin_sides(refs, config, WIDE))
        return known[at]

    return [_kept(ref, config, scratch, 2, partial(made, k)) for k, ref in enumerate(refs)]


def _kept(ref: Ref, config: str | None, scratch: str, how: int, make: Callable[[], Small]) -> Small:
    """A small picture from where it was kept, else made and kept there; a disk that is full keeps nothing."""
    if not scratch:
        return make()
    name = hashlib.blake2b(repr((replace(ref, grade="{}"), config, how)).encode(), digest_size=16).hexdigest()
    path = Path(scratch, name + ".npy")
    with suppress(OSError, ValueError, EOFError):
        held = np.load(path)
        return held[..., :3], held[..., 3] > 0
    small, usable = make()
    with suppress(OSError):
        if len(os.listdir(scratch)) < MOST_KEPT:
            part = path.with_suffix(f".{os.getpid()}.npy")
            np.save(part, np.dstack([small, usable.astype(np.float32)]))
            part.replace(path)
    return small, usable


def opened(ref: Ref) -> Frames:
    """The frame's file, read as it is to be read. Raises AquinError."""
    decode = Decode.of(json.loads(ref.raw)) if ref.raw != "{}" else None
    return open_source(ref.path, ref.matrix or None, ref.range or None, decode=decode)  # type: ignore[arg-type]


def side_of(ref: Ref, config: str | None) -> Side:
    """A frame as recorded and in scene-linear; its grade is not looked at. Raises AquinError."""
    try:
        changed = ref.path.stat().st_mtime_ns
    except OSError:
        changed = 0  # reading it says what is wrong
    return _read(replace(ref, grade="{}"), shared_config(config), changed)

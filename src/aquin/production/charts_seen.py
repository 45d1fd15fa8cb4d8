"""Charts in recordings that nobody said to show one: cards that come without a camera report.

One look at a few frames, for charts whose patches stand out by themselves. Exposure series are told by what makes them
one: takes of one camera in a row, in which the chart stands still and its greys rise or fall from take to take.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float64
from aquin.charts.find import glimpse, project, sample, unit_to_pixels
from aquin.charts.layout import layout
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.frames.decode import Decode
from aquin.frames.opening import open_source
from aquin.production.kept_work import cached
from aquin.production.measuring import reads
from aquin.production.media import content_there, file_of
from aquin.production.raw import decode_of
from aquin.production.records import Camera, Setup, Shot
from aquin.production.setups import seconds_of
from aquin.production.shoot import hash_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Production
    from aquin.workers import Tell

KIND = "chart seen"
VERSION = 1
SHARES = (0.5, 0.2, 0.8)
"""Where in a take it is looked for, until it is found."""
WIDE = 480
"""Frames are thinned to no less than so many pixels across."""
SURE = 0.7
"""Score from which a chart is told of."""

STILL = 0.03
"""Share of the picture's width that a chart moves by at most from take to take of a series."""
FEWEST = 5
"""Takes of a series that show the chart."""
RISES = 0.01
"""Share of the signal that the greys of a series change by at least from take to take, while nothing is clipped."""
STEPS = (1 / 3, 1 / 2, 2 / 3, 1.0, 4 / 3, 1.5, 2.0, 3.0)
"""Stops that crews film series in (common practice)."""
LEAST_STEP = 0.2
PAUSES = 1.6
"""How many times the usual pause may lie between two takes of a series."""


@dataclass(frozen=True)
class GlimpseJob:
    """One recording, for `glimpse_job`."""

    key: str
    path: Path
    range: str
    matrix: str
    raw: str


def glimpse_job(job: GlimpseJob) -> dict[str, Any]:
    """`score` of the best chart seen, 0 for none, `corners` (4, 2) as shares of width and height, `greys`, (n, 3)
    signal of the layout's neutral patches, and `level`, the median of the middle frame's signal. Raises AquinError.
    """
    decode = Decode.of(json.loads(job.raw)) if job.raw else None
    source = open_source(job.path, job.matrix or None, job.range or None, decode=decode)  # type: ignore[arg-type]
    chart = layout()
    out: dict[str, Any] = {"score": 0.0}
    try:
        for number in dict.fromkeys(source.first + round(share * (source.count - 1)) for share in SHARES):
            rgb = source.read_thinned(number, max(source.width // WIDE, 1)).rgb
            out.setdefault("level", round(float(np.median(rgb[::3, ::3])), 5))
            found = glimpse(rgb, chart)
            if found is None:
                continue
            size = np.array([rgb.shape[1], rgb.shape[0]])
            spots = project(unit_to_pixels(found.corners), chart.cells()[chart.neutral])
            return out | {
                "score": round(found.score, 4),
                "corners": np.round(found.corners / size, 5).tolist(),
                "greys": np.round(sample(rgb, spots), 5).tolist(),
            }
    finally:
        source.close()
    return out


@dataclass(frozen=True)
class Seen:
    """A chart in a shot. `corners`: (4, 2) as shares of width and height; `greys`: (n, 3) signal of its neutrals."""

    shot: Shot
    score: float
    corners: Float64
    greys: Float64
    level: float

    @property
    def there(self) -> bool:
        return self.score >= SURE

    @property
    def wide(self) -> float:
        """How wide the chart is, as a share of the picture."""
        return float(np.ptp(self.corners[:, 0])) if self.there else 0.0


def unsaid(production: Production) -> list[Shot]:
    """Shots among which a chart may be: those of cameras that no chart or card is logged of in that setup."""
    shots = [s for s in production.all(Shot) if s.kind != "reference"]
    said = {(s.camera_id, s.setup_id) for s in shots if s.kind != "shot"}
    return [s for s in shots if s.kind == "shot" and not s.trouble and (s.camera_id, s.setup_id) not in said]


def look_for_charts(
    production: Production,
    jobs: int | None = None,
    tell: Tell | None = None,
    only_known: bool = False,
) -> dict[str, Seen]:
    """By shot, what was seen in those that may show a chart, in workers and kept. Raises AquinError."""
    how = reads(production)
    wanted: dict[str, GlimpseJob] = {}
    for shot in unsaid(production):
        path = file_of(production, shot) or (Path(shot.path) if only_known else None)
        if path is None or not shot.content or not (only_known or path.is_file()):
            continue
        content = shot.content if only_known else content_there(production, shot)
        range_, matrix = ("", "") if shot.floating else (how[shot.id].range, how[shot.id].matrix)
        decode = decode_of(production, shot)
        raw = json.dumps(decode.values()) if decode is not None else ""
        key = hash_of([KIND, VERSION, content, range_, matrix, raw])
        wanted[shot.id] = GlimpseJob(key, path, range_, matrix, raw)
    if only_known:
        found: Mapping[str, Any] = production.measured_of(KIND, [j.key for j in wanted.values()])
    else:
        found = cached(production, KIND, {j.key: j for j in wanted.values()}, glimpse_job, jobs, tell)
    return {
        id: _seen(production.get(Shot, id), found[job.key]) for id, job in wanted.items() if job.key in found
    }


def _seen(shot: Shot, values: Mapping[str, Any]) -> Seen:
    return Seen(
        shot,
        float(values["score"]),
        np.array(values.get("corners", ()), np.float64).reshape(-1, 2),
        np.array(values.get("greys", ()), np.float64).reshape(-1, 3),
        float(values.get("level", 0.0)),
    )


@dataclass(frozen=True)
class Series:
    """Takes of one camera that are an exposure series. `stops`: of each, 0 where its grey is. `measured`: the step from
    take to take and how far single takes lie off even steps in the median, in stops; None where the encoding is not
    known: then they are those of `beside`, another camera's series of as many takes in that setup, or else whole stops
    about the middle take are assumed.
    """

    takes: tuple[Seen, ...]
    stops: tuple[float, ...]
    measured: tuple[float, float] | None
    beside: str = ""

    @property
    def sure(self) -> bool:
        """Whether its stops are more than assumed."""
        return self.measured is not None or bool(self.beside)


def series_seen(
    production: Production, config: ColourConfig, seen: Mapping[str, Seen]
) -> dict[tuple[str, str], Series]:
    """By camera and setup, the exposure series among shots."""
    out: dict[tuple[str, str], Series] = {}
    for (camera_id, setup_id), takes in by_place(production, seen).items():
        camera = production.find(Camera, camera_id)
        if camera is not None and (found := series_among(takes, _linear(config, camera))) is not None:
            out[camera_id, setup_id] = found
    for place, series in out.items():
        others = (
            (production.get(Camera, c).name, o)
            for (c, setup), o in out.items()
            if setup == place[1] and o.measured is not None and len(o.takes) == len(series.takes)
        )
        rises = series.stops[-1] > series.stops[0]
        like = next(((n, o) for n, o in others if (o.stops[-1] > o.stops[0]) == rises), None)
        if series.measured is None and like is not None:
            out[place] = replace(series, stops=like[1].stops, beside=like[0])
    return out


def _linear(config: ColourConfig, camera: Camera) -> Any:
    """Signal to scene-linear as the camera records; None where nobody said how."""
    try:
        return config.to_linear(camera.encoding) if camera.encoding else None
    except AquinError:
        return None


def series_among(seen: Sequence[Seen], to_linear: Any = None) -> Series | None:
    """The exposure series among takes of one camera in one setup, the longest one. `to_linear`: (n, 3) signal to
    scene-linear AP1, where the encoding is known.
    """
    best: list[Seen] = []
    way = 0
    for run in _still(sorted(seen, key=lambda s: (_begins(s.shot), s.shot.path))):
        rises = _direction(run)
        row = _in_row(run, rises) if rises else []
        if sum(s.there for s in row) >= FEWEST and len(row) > len(best):
            best, way = row, rises
    return _in_stops(best, way, to_linear) if best else None


def _begins(shot: Shot) -> float:
    return (seconds_of(shot) or (1e9, 0.0))[0]


def _still(takes: Sequence[Seen]) -> list[list[Seen]]:
    """Takes in a row that show the chart at one place, or none between those and beside them."""
    out: list[list[Seen]] = []
    run: list[Seen] = []
    held: Seen | None = None
    for take in takes:
        moved = take.there and held is not None and np.abs(take.corners - held.corners).max() > STILL
        if moved:
            out.append(run)
            run, held = [], None
        run.append(take)
        held = take if take.there else held
    return [*out, run]


def _in_row(run: Sequence[Seen], rises: int) -> list[Seen]:
    """Of a run, those that follow each other in like pauses and whose pictures rise, or fall (-1), about the ones that
    show the chart: the darkest and the brightest takes of a series show none.
    """
    shown = [k for k, s in enumerate(run) if s.there]
    begins = [_begins(s.shot) for s in run]
    if len(set(begins)) < len(
        begins
    ):  # without timecode their names are in the order in which they were filmed
        begins = [float(k) for k in range(len(run))]
    pause = float(np.median(np.diff(begins[shown[0] : shown[-1] + 1])))

    def goes_on(k: int) -> bool:
        """Whether the take before the k-th belongs to it, too."""
        rise = rises * (run[k].level - run[k - 1].level)
        return 0 < begins[k] - begins[k - 1] <= PAUSES * pause and rise > -RISES / 2

    first, last = shown[0], shown[-1]
    if not all(goes_on(k) for k in range(first + 1, last + 1)):
        return []
    while first > 0 and goes_on(first):
        first -= 1
    while last < len(run) - 1 and goes_on(last + 1):
        last += 1
    return list(run[first : last + 1])


def _direction(run: Sequence[Seen]) -> int:
    """1 where greys rise from take to take, -1 where they fall, 0 where they do neither."""
    shown = [float(s.greys.mean()) for s in run if s.there]
    if len(shown) < FEWEST:
        return 0
    steps = np.diff(shown)
    for way in (1, -1):
        if (way * steps > -RISES / 2).all() and np.median(way * steps) > RISES:
            return way
    return 0


def _in_stops(run: Sequence[Seen], rises: int, to_linear: Any) -> Series:
    """The stops of each take: measured on the grey nearest to 18 %, where the camera's encoding is known."""
    chart = layout()
    middle, step, measured = (len(run) - 1) // 2, float(rises), None
    if to_linear is not None:
        light = np.array([p.xyz[1] for p in chart.patches])[chart.neutral]
        grey = int(np.argmin(np.abs(light - 0.18)))
        lit = {k: to_linear(s.greys[grey][None].astype(np.float32))[0] for k, s in enumerate(run) if s.there}
        stops = {k: float(np.log2(max(v @ AP1_LUMA, 1e-6) / light[grey])) for k, v in lit.items()}
        at, level = np.array(list(stops)), np.array(list(stops.values()))
        apart = at[:, None] - at[None] >= min(3, len(run) - 1)  # single takes are off by a quarter of a stop
        slope = float(
            np.median(((level[:, None] - level[None]) / np.where(apart, at[:, None] - at[None], 1))[apart])
        )
        if abs(slope) > LEAST_STEP:
            step = float(np.copysign(min(STEPS, key=lambda s: abs(s - abs(slope))), slope))
            begins = float(np.median(level - step * at))
            measured = slope, float(np.median(np.abs(level - begins - step * at)))
            middle = min(max(round(-begins / step), 0), len(run) - 1)
    return Series(tuple(run), tuple(round((k - middle) * step, 2) for k in range(len(run))), measured)


def by_place(production: Production, seen: Mapping[str, Seen]) -> dict[tuple[str, str], list[Seen]]:
    """What was seen by camera and setup, setups in their order."""
    order = {s.id: s.position for s in production.all(Setup)}
    groups: dict[tuple[str, str], list[Seen]] = {}
    for one in sorted(seen.values(), key=lambda s: order.get(s.shot.setup_id, 10**6)):
        groups.setdefault((one.shot.camera_id, one.shot.setup_id), []).append(one)
    return groups

"""Charts of a production: which takes there are, what was read from them, and what follows for cameras and setups."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.charts.fits import DE00, Metric
from aquin.charts.identify import Identification, identify
from aquin.charts.latitude import Exposed, Latitude, Limits, latitude, refined_stops
from aquin.charts.layout import names
from aquin.charts.profile import Profile, Step, profile
from aquin.charts.read import LeftOut, Reading
from aquin.charts.take import Take, expose, read_take, to_linear_of
from aquin.colour.encoding import TableCurve
from aquin.errors import AquinError
from aquin.files import write_text
from aquin.frames.raw import ENCODING
from aquin.measure.ledger import Evidence
from aquin.production.grading import balance_of, trim_of
from aquin.production.measuring import Reads, reads
from aquin.production.media import file_of
from aquin.production.raw import decode_of
from aquin.production.records import Camera, Grade, Option, Setup, Shot
from aquin.production.settings import choose_config
from aquin.production.stale import inputs_of
from aquin.workers import Tell, each, part

if TYPE_CHECKING:
    from aquin.charts.solve import Solution
    from aquin.charts.sweep import Sweep
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Entry, Production


TARGETS = {
    "24-patch": "24-patch",
    "crossed wedge": "crossed-wedge",
    "video chart": "video-chart",
    "grey card": "grey-card",
}
"""What crews call a target, and its layout."""

CHARTS = ("chart", "grey card", "series")


@dataclass(frozen=True)
class Mark:
    """What a person decided about a take: the layout, the frame, the corners in that frame, patches to leave out.
    Empty: automatic.
    """

    layout: str = ""
    frame: int | None = None
    corners: tuple[tuple[float, float], ...] = ()
    leave_out: tuple[str, ...] = ()


@dataclass(frozen=True)
class Read:
    """One take with its chart read. `sweep` is None where it could not be; `trouble` then says why."""

    shot: Shot
    take: Take
    sweep: Sweep | None
    trouble: str = ""

    @property
    def reading(self) -> Reading | None:
        return None if self.sweep is None else self.sweep.reading()


def chart_takes(production: Production) -> list[Shot]:
    """Charts and cards by setup, camera and name; exposure series last."""
    setups = {s.id: s.position for s in production.all(Setup)}
    cameras = {c.id: c.position for c in production.all(Camera)}
    shots = [s for s in production.all(Shot) if s.kind in CHARTS]
    return sorted(
        shots,
        key=lambda s: (s.kind == "series", setups.get(s.setup_id, 99), cameras.get(s.camera_id, 99), s.name),
    )


def mark_of(production: Production, shot: Shot) -> Mark:
    """What was decided about a take; spoilt values count as nothing decided."""
    held = production.option(f"chart:{shot.id}", {})
    try:
        return Mark(
            str(held.get("layout", "")),
            None if held.get("frame") is None else int(held["frame"]),
            tuple((float(x), float(y)) for x, y in held.get("corners", ())),
            tuple(str(n) for n in held.get("leave_out", ())),
        )
    except (AttributeError, TypeError, ValueError):
        return Mark()


def keep_mark(production: Production, shot: Shot, mark: Mark, what: str) -> Entry | None:
    """Write what a person decided about a take; it can be undone like everything."""
    return production.change(f"{what} in {shot.name}", Option(asdict(mark), id=f"chart:{shot.id}"))


def take_of(
    production: Production,
    config: ColourConfig,
    shot: Shot,
    mark: Mark | None = None,
    how: Reads | None = None,
) -> Take:
    """How a take is read now. `how`: its part of `reads`, where that is known already. Raises AquinError when its
    file is missing.
    """
    path = file_of(production, shot)
    if path is None:
        raise AquinError("its media folder is not mapped here", Path(shot.path), "Relink the media")
    mark = mark or mark_of(production, shot)
    how = how or reads(production)[shot.id]
    chosen = mark.layout or TARGETS.get(shot.target, shot.target if shot.target in names() else "24-patch")
    raw = decode_of(production, shot)
    plain = shot.floating
    return Take(
        path,
        how.encoding if how.known else linear_of(config, shot) if shot.floating else "",
        chosen,
        "" if plain else how.matrix,
        "" if plain else how.range,
        raw.values() if raw is not None else {},
        mark.corners,
        mark.frame if mark.corners else None,
        config=config.path,
        label=shot.name,
    )


def linear_of(config: ColourConfig, shot: Shot) -> str:
    """A floating-point recording without a decided encoding: what it says of itself, else scene-linear as it is."""
    return config.name_of(shot.said_encoding) or config.name_of("scene_linear") or ENCODING


def read_takes(
    production: Production,
    config: ColourConfig,
    shots: Sequence[Shot],
    jobs: int | None = None,
    tell: Tell | None = None,
) -> list[Read]:
    """Sweep takes in workers, in the order of `shots`; one bad file never stops the others."""
    out: dict[str, Read] = {}
    work: dict[Take, Shot] = {}
    for shot in shots:
        try:
            take = take_of(production, config, shot)
        except AquinError as error:
            out[shot.id] = Read(shot, Take(Path(shot.path)), None, error.line())
            continue
        work[replace(take, raw=_Frozen(take.raw))] = shot
    for take, result in each(read_take, list(work), jobs, tell, lambda t: t.path.name):
        shot = work[take]
        if isinstance(result, AquinError):
            out[shot.id] = Read(shot, take, None, result.line())
        else:
            left = mark_of(production, shot).leave_out
            out[shot.id] = Read(shot, take, without(result, left) if left else result)
    return [out[s.id] for s in shots]


class _Frozen(dict[str, Any]):
    """Settings that can be a key."""

    def __hash__(self) -> int:  # type: ignore[override]
        return hash(tuple(sorted((k, str(v)) for k, v in self.items())))


def without(seen: Sweep, left: Sequence[str]) -> Sweep:
    """The sweep with patches that a person leaves out."""

    def spared(reading: Reading | None) -> Reading | None:
        if reading is None:
            return None
        dropped = reading.dropped or ("",) * len(reading.signal)
        return replace(
            reading,
            dropped=tuple(
                LeftOut.BY_HAND if p.name in left and not d else d
                for p, d in zip(reading.layout.patches, dropped, strict=True)
            ),
        )

    looks = tuple(replace(k, reading=spared(k.reading)) for k in seen.looks)
    best = next((k for k in looks if seen.best is not None and k.number == seen.best.number), None)
    return replace(seen, looks=looks, best=best)


def hero_take(production: Production, shot: Shot) -> Shot | None:
    """The chart take of the setup's hero camera with the same target; None where the setup has no hero or it is this
    camera.
    """
    setup = production.find(Setup, shot.setup_id)
    hero = production.find(Shot, setup.hero_id) if setup is not None and setup.hero_id else None
    if hero is None or hero.camera_id == shot.camera_id:
        return None
    return next(
        (
            s
            for s in chart_takes(production)
            if s.kind == "chart"
            and (s.camera_id, s.setup_id) == (hero.camera_id, shot.setup_id)
            and (s.target or "24-patch") == (shot.target or "24-patch")
        ),
        None,
    )


def evidence_of(
    reading: Reading, hero: Reading | None = None, neutral: float = 1.0, skin: float = 1.0
) -> Evidence:
    """Pairs of the reading with the published colours, or with the hero's reading; neutrals and skin weigh as said.
    Raises AquinError.
    """
    if hero is not None and hero.layout.name != reading.layout.name:
        raise AquinError("hero and shot were read with different charts", None, "Use the same chart for both")
    card = reading.layout
    keep = reading.usable if hero is None else reading.usable & hero.usable
    say = np.ones(len(card.patches))
    say[card.neutral] *= neutral
    say[card.skin] *= skin
    known = card.reflectances
    return Evidence(
        (card.ap1 if hero is None else hero.linear)[keep],
        reading.linear[keep],
        card.neutral[keep],
        say[keep],
        None if known is None else known[keep],
    )


def keep_balance(
    production: Production, config: ColourConfig, shot: Shot, solution: Solution
) -> Entry | None:
    """Make a chart's solution the balance of its camera in its setup. Raises AquinError when the take belongs to
    none.
    """
    if not shot.camera_id or not shot.setup_id:
        raise AquinError(
            f"{shot.name} belongs to no camera or no setup",
            None,
            "Give it both in Shots, then keep the balance",
        )
    old = balance_of(production, shot) or Grade("balance", shot.camera_id, shot.setup_id)
    origin = f"{solution.title} of {shot.name}, {solution.metric} {solution.mean:.2f}"
    made = replace(old, values=solution.grade.values(), origin=origin, on=True, source_id=shot.id)
    made = replace(made, inputs=inputs_of(production, config, made))
    return production.change(f"balance from the chart {shot.name}", made, why=origin)


def followers(production: Production, shot: Shot) -> tuple[list[Shot], list[Shot]]:
    """The camera's other shots in the setup: those that follow its balance, and those that hold a correction of their
    own.
    """
    others = [
        s
        for s in production.all(Shot)
        if s.id != shot.id
        and s.kind not in CHARTS
        and (s.camera_id, s.setup_id) == (shot.camera_id, shot.setup_id)
    ]
    own = [s for s in others if (t := trim_of(production, s)) is not None and t.on]
    return [s for s in others if s not in own], own


def let_follow(production: Production, shots: Sequence[Shot]) -> Entry | None:
    """Take off the shots' own corrections, so that they follow their camera's balance."""
    trims = [t for s in shots if (t := trim_of(production, s)) is not None]
    return production.change(
        f"{len(trims)} shots follow their camera's balance", *(replace(t, on=False) for t in trims)
    )


def series_of(production: Production, camera: Camera) -> list[Shot]:
    """A camera's exposure series by stops."""
    found = [
        s
        for s in production.all(Shot)
        if s.kind == "series" and s.camera_id == camera.id and s.series_stops is not None
    ]
    return sorted(found, key=lambda s: s.series_stops or 0.0)


def read_series(
    production: Production,
    config: ColourConfig,
    camera: Camera,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> list[Read]:
    """A camera's series. The chart stands still in it: where a frame is too dark to find it, it is where it was.
    Raises AquinError.
    """
    shots = series_of(production, camera)
    if len(shots) < 3:
        raise AquinError(
            f"{camera.name} has no exposure series",
            None,
            "Film a chart from 6 under to 6 over in one-stop steps, and give each take its stops in Shots",
        )
    first = sorted(shots, key=lambda s: abs(s.series_stops or 0.0))
    share = 1 / len(shots)
    normal = read_takes(production, config, first[:1], jobs, part(tell, 0, share))
    reading = normal[0].reading
    if reading is None:
        raise AquinError(
            f"no chart was found in {first[0].name}", None, "Mark its corners, or film the series again"
        )
    corners = tuple((float(x), float(y)) for x, y in reading.corners)
    rest = {_fixed(production, config, shot, corners): shot for shot in first[1:]}
    out = {first[0].id: normal[0]}
    for take, result in each(read_take, list(rest), jobs, part(tell, share, 1), lambda t: t.path.name):
        shot = rest[take]
        bad = isinstance(result, AquinError)
        out[shot.id] = Read(shot, take, None if bad else result, result.line() if bad else "")
    return [out[s.id] for s in shots]


def _fixed(production: Production, config: ColourConfig, shot: Shot, corners: Any) -> Take:
    take = take_of(production, config, shot)
    return replace(take, corners=take.corners or corners, still=True, raw=_Frozen(take.raw))


def profile_of(series: Sequence[Read], metric: Metric = DE00) -> Profile:
    """Curve and matrix of a series that was read. Raises AquinError."""
    return profile(steps_of(series), metric)


def steps_of(series: Sequence[Read]) -> list[Step]:
    return [
        Step(float(r.shot.series_stops or 0.0), reading, r.shot.name)
        for r in series
        if (reading := r.reading) is not None
    ]


def keep_profile(
    production: Production, config: ColourConfig, camera: Camera, made: Profile, name: str
) -> Entry | None:
    """Add a measured encoding to a configuration beside the production, use that, and give the camera the encoding.

    The file is named by its content and never written over, so that undo goes back to the one before. Raises
    AquinError.
    """
    note = (
        f"measured by {len(made.curve.stops)} exposures, {made.curve.rms_stops:.3f} stop rms, "
        f"{made.under:+z.1f} to {made.over:+z.1f} stops"
    )
    encoding = made.encoding(name, note)
    if isinstance(encoding.curve, TableCurve):
        table = encoding.clf()
        sign = hashlib.blake2b(table.encode(), digest_size=4).hexdigest()
        beside = production.path.with_name(f"{production.path.stem}-{sign}.clf")
        if not beside.exists():
            write_text(beside, table)
        production.attach(beside)
        encoding = replace(encoding, file=beside.name)
    known = config.with_encodings(encoding)
    text = known.text()
    mark = hashlib.blake2b(text.encode(), digest_size=4).hexdigest()
    path = production.path.with_name(f"{production.path.stem}-{mark}.ocio")
    if not path.exists():
        write_text(path, text)
        known.is_written(path, text)
    production.attach(path)
    choose_config(production, path)
    new = replace(camera, encoding=name.strip(), encoding_note=note)
    return production.change(f"measured encoding for {camera.name}", new, why=note)


def identify_take(config: ColourConfig, read: Read) -> Identification:
    """Which encodings explain a take's chart. Raises AquinError."""
    reading = read.reading
    if reading is None:
        raise AquinError(read.trouble or "no chart was found", read.take.path, "Mark its corners")
    return identify(config, reading.signal, reading.usable_signal, reading.layout, read.shot.floating)


def latitude_of(
    production: Production,
    config: ColourConfig,
    camera: Camera,
    series: Sequence[Read],
    made: Profile | None = None,
    limits: Limits | None = None,
) -> tuple[Latitude, list[Exposed]]:
    """A camera's latitude over its series, by its own encoding or, where that is not known, by the curve just
    measured.
    """
    known = [r for r in series if r.reading is not None and r.sweep is not None]
    if not known:
        raise AquinError(f"no chart of {camera.name}'s series was found", None, "Mark its corners")
    to_linear = to_linear_of(known[0].take)
    readings = [r.reading for r in known]
    if not known[0].take.encoding:
        made = made or profile_of(series)
        space = config.with_encodings(made.encoding("Measured for latitude"))
        to_linear = space.to_linear("Measured for latitude")
        readings = [
            replace(x, linear=np.asarray(to_linear(x.signal.astype(np.float32)), np.float64))
            for x in readings
            if x is not None
        ]
    marked = [float(r.shot.series_stops or 0.0) for r in known]
    stops = refined_stops([(m, x) for m, x in zip(marked, readings, strict=True) if x is not None])
    out = []
    for r, x, s in zip(known, readings, stops, strict=True):
        assert r.sweep is not None and r.sweep.best is not None and x is not None
        seen = replace(r.sweep, best=replace(r.sweep.best, reading=x))
        out.append(expose(r.take, seen, s, to_linear))
    return latitude(camera.name, out, marked, limits), out

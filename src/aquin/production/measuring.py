"""Measuring the production's shots in workers; what was measured is kept by the hash of what it was measured from."""

from __future__ import annotations

import hashlib
import json
from collections import Counter
from collections.abc import Mapping, Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.charts.find import follow, project, unit_to_pixels
from aquin.charts.layout import layout
from aquin.charts.read import Reading, read_chart
from aquin.colour.config import ColourConfig, shared_config
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.frames import Decode, open_source
from aquin.frames.raw import ENCODING as RAW_ENCODING
from aquin.frames.ycbcr import WEIGHTS
from aquin.measure.survey import levels, stride_of, survey
from aquin.production.kept_work import Keeping
from aquin.production.media import content_there, file_of
from aquin.production.raw import decode_of, is_raw
from aquin.production.records import Camera, Shot
from aquin.workers import Tell, each, part

if TYPE_CHECKING:
    from aquin.arrays import Float32
    from aquin.production.store import Production


VERSION = 4
"""Goes up when a survey means something else, so that old ones are not used."""

KIND = "survey"

SWEEP = (0.5, 0.3, 0.7, 0.15, 0.85)
"""Where in a chart take frames are tried, as shares of its length; a chart is mostly held flat in the middle."""

GOOD = 0.95
"""Score of a chart from which no further frame is tried."""

EVEN = 0.02
"""Standard deviation of the signal within which a patch passes for a grey card."""


@dataclass(frozen=True)
class Job:
    """One shot to be measured; everything a worker needs."""

    key: str
    path: Path
    encoding: str
    range: str
    matrix: str
    chart: bool
    card: tuple[tuple[float, float], ...]
    """Where this camera held its chart in the setup, as four corners: a grey card is looked for there."""
    config: str | None
    raw: tuple[tuple[str, Any], ...] = ()


@dataclass(frozen=True)
class Reads:
    """How a shot is read for measuring. `known`: whether its encoding is."""

    encoding: str
    range: str
    matrix: str
    known: bool


def encoding_of(production: Production, shot: Shot) -> str:
    """The encoding that holds for a shot: its own, else its camera's; empty when neither is decided."""
    if is_raw(shot):  # developed straight to scene-linear, whatever its camera records otherwise
        return shot.encoding or RAW_ENCODING
    camera = production.find(Camera, shot.camera_id)
    return shot.encoding or (camera.encoding if camera is not None and not shot.floating else "")


def range_of(production: Production, shot: Shot) -> str:
    """The signal range that holds: the shot's own, else the camera's, else what the file says."""
    camera = production.find(Camera, shot.camera_id)
    return shot.range or (camera.range if camera is not None else "") or shot.file_range


def reads(production: Production) -> dict[str, Reads]:
    """How each shot is read when shots are compared: as its camera's others are.

    A shot that is tagged unlike its camera's others is measured like them, so that a wrong tag does not look like wrong
    light; the audit judges the tag. A person's word for one shot's range goes first.
    """
    ranges: dict[tuple[str, bool], Counter[str]] = {}
    shots = production.all(Shot)
    for shot in shots:
        if not shot.trouble:
            ranges.setdefault((shot.camera_id, bool(shot.codec)), Counter())[range_of(production, shot)] += 1
    out = {}
    for shot in shots:
        camera = production.find(Camera, shot.camera_id)
        usual = camera.encoding if camera is not None else ""
        encoding = usual if usual and not shot.floating else encoding_of(production, shot)
        counts = ranges.get((shot.camera_id, bool(shot.codec)), Counter())
        usual_range = counts.most_common(1)[0][0] if counts else shot.file_range
        out[shot.id] = Reads(
            encoding,
            shot.range or usual_range,
            shot.matrix or (camera.matrix if camera else ""),
            bool(encoding),
        )
    return out


def measure_shots(
    production: Production,
    config: ColourConfig,
    shots: Sequence[Shot] | None = None,
    jobs: int | None = None,
    tell: Tell | None = None,
    only_known: bool = False,
) -> dict[str, dict[str, Any]]:
    """Survey shots, or all of them, and give each one's values by its id; what is known already is not measured
    again.

    Values hold `survey`, `levels` (of its frames apart), `chart` and `card` (None where none is looked for or found),
    `trouble` (what could not be read), or only `trouble`. Charts are measured first, since grey cards are looked for
    where the charts were. Stopping keeps what was measured so far.
    """
    asked = list(production.all(Shot) if shots is None else shots)
    cards = [s for s in asked if s.kind == "grey card"]
    first = [s for s in asked if s.kind != "grey card"]
    share = len(first) / max(len(asked), 1)
    with nullcontext() if only_known else production.at_work("measuring"):
        out = _measure(production, config, first, {}, jobs, part(tell, 0, share), only_known)
        if cards:
            held = _held(production, out)
            out |= _measure(production, config, cards, held, jobs, part(tell, share, 1), only_known)
    return out


def _held(production: Production, measured: Mapping[str, Mapping[str, Any]]) -> dict[tuple[str, str], Any]:
    """Where each camera held its chart in each setup."""
    out: dict[tuple[str, str], Any] = {}
    for id, values in measured.items():
        shot = production.get(Shot, id)
        if values.get("chart"):
            out.setdefault((shot.camera_id, shot.setup_id), values["chart"]["corners"])
    return out


def _measure(
    production: Production,
    config: ColourConfig,
    shots: Sequence[Shot],
    held: Mapping[tuple[str, str], Any],
    jobs: int | None,
    tell: Tell | None,
    only_known: bool,
) -> dict[str, dict[str, Any]]:
    known = production.measured(KIND)
    how = reads(production)
    wanted: dict[str, Job] = {}
    for shot in shots:
        path = file_of(production, shot)
        if only_known:  # what was measured is known by content, also while the drive is away
            path = path or Path(shot.path)
        if path is not None and shot.content and (only_known or path.is_file()):
            card = held.get((shot.camera_id, shot.setup_id), ())
            content = shot.content if only_known else content_there(production, shot)
            wanted[shot.id] = _job(
                path, shot, content, how[shot.id], card, config, decode_of(production, shot)
            )
    missing = {} if only_known else {job.key: job for job in wanted.values() if job.key not in known}
    with Keeping(production, KIND) as keeping:
        for job, result in each(measure_one, list(missing.values()), jobs, tell, lambda j: j.path.name):
            keeping.add({job.key: {"trouble": [result.what]} if isinstance(result, AquinError) else result})
    known = known | keeping.fresh
    return {id: known[job.key] for id, job in wanted.items() if job.key in known}


def _job(
    path: Path, shot: Shot, content: str, how: Reads, card: Any, config: ColourConfig, decode: Decode | None
) -> Job:
    encoding = how.encoding or stand_in(config)
    chart = shot.kind == "chart" and shot.target in ("24-patch", "")
    range_, matrix = ("", "") if shot.floating else (how.range, how.matrix)
    corners = tuple((round(float(x), 1), round(float(y), 1)) for x, y in card)
    said = json.dumps(
        [VERSION, content, encoding, config.meaning(encoding), range_, matrix, chart, corners]
        + ([decode.values()] if decode is not None else [])
    )
    raw = () if decode is None else tuple(decode.values().items())
    key = hashlib.blake2b(said.encode(), digest_size=16).hexdigest()
    where = None if config.path is None else str(config.path)
    return Job(key, path, encoding, range_, matrix, chart, corners, where, raw)


def stand_in(config: ColourConfig) -> str:
    """What a recording without a known encoding is taken for, to compare it with its own camera's others: a video
    encoding.
    """
    known = config.encodings()
    return next((e.name for e in known if e.kind == "sdr-video"), known[0].name)


def measure_one(job: Job) -> dict[str, Any]:
    """In a worker: the survey of one shot and the chart in it."""
    config = shared_config(job.config)
    decode = Decode.of(dict(job.raw)) if job.raw else None
    source = open_source(job.path, job.matrix or None, job.range or None, decode=decode)  # type: ignore[arg-type]
    to_linear = config.to_linear(job.encoding)
    frames: list[Float32] = []  # thinned: one whole picture is held at a time
    troubles: list[str] = []
    shares = SWEEP if job.chart else (0.1, 0.5, 0.9)
    numbers = [source.first + round(share * (source.count - 1)) for share in shares]
    stride = stride_of(source.width, source.height)
    fine = job.chart or bool(job.card)  # patches are read from every pixel
    readings: list[Reading] = []
    card: dict[str, float] | None = None
    # in the order in which they are decoded, unless a chart is looked for where it is held best
    for number in dict.fromkeys([*numbers, source.last] if job.chart else sorted({*numbers, source.last})):
        try:
            if number in numbers:
                frame = source.read(number) if fine else source.read_thinned(number, stride)
                said = frame.warnings
                frames.append(frame.rgb[::stride, ::stride].copy() if fine else frame.rgb)
                if job.chart and not (readings and readings[-1].score > GOOD):
                    _read_chart(frame.rgb, to_linear, readings)
                if job.card:
                    card = _card(frame.rgb, job.card, to_linear, card)
            else:
                said = source.decodes(number)
        except AquinError as error:
            troubles.append(error.what)
            continue
        troubles += [w for w in said if "damaged" in w]
    source.close()
    if not frames:
        return {"trouble": troubles or ["no frame can be read"]}
    matrix = "bt709" if source.signal.matrix == "rgb" else source.signal.matrix
    red, blue = WEIGHTS[matrix]
    black = float(config.from_linear(job.encoding)(np.zeros((1, 3), np.float32))[0, 1])
    luma = (red, 1 - red - blue, blue)
    values = survey(frames, to_linear, luma, black if 0.01 < black < 0.5 else None)
    found: dict[str, Any] = {"chart": _best_chart(readings), "card": card, "trouble": troubles}
    return found | {"survey": values.data(), "levels": levels(frames, to_linear)}


def _card(
    rgb: Float32, corners: Any, to_linear: Any, best: dict[str, float] | None
) -> dict[str, float] | None:
    """A grey card where the chart was held: an even patch there, or the more even one of an earlier frame."""
    step = np.linspace(0.3, 0.7, 21)
    points = project(unit_to_pixels(np.array(corners)), np.stack(np.meshgrid(step, step), -1).reshape(-1, 2))
    x, y = np.rint(points).astype(int).T
    if x.min() < 0 or y.min() < 0 or x.max() >= rgb.shape[1] or y.max() >= rgb.shape[0]:
        return best
    patch = rgb[y, x]
    uneven = float(patch.std(axis=0).max())
    r, g, b = np.log2(np.maximum(np.median(to_linear(patch), axis=0), 1e-5))
    if uneven >= EVEN or abs(r - b) >= 3 or (best is not None and uneven >= best["uneven"]):
        return best
    level = float(np.log2(max(float(np.exp2([r, g, b]) @ AP1_LUMA), 1e-5) / 0.18))
    return {"uneven": uneven, "warm": float(r - b), "green": float(g - (r + b) / 2), "level": level}


def _read_chart(rgb: Float32, to_linear: Any, readings: list[Reading]) -> None:
    """The chart in one more frame; once it was found it is only followed, which is many times quicker."""
    near = follow(rgb, layout(), readings[-1].corners) if readings else None
    where = (None, None) if near is None else (near.corners, near.score)
    reading = read_chart(rgb, to_linear, layout(), *where)
    if reading is not None:
        readings.append(reading)


def _best_chart(readings: Sequence[Reading]) -> dict[str, Any] | None:
    """The reading with the best score, as plain values."""
    if not readings:
        return None
    best = max(readings, key=lambda r: r.score)
    return {
        "score": best.score,
        "signal": best.signal.tolist(),
        "linear": best.linear.tolist(),
        "corners": best.corners.tolist(),
        "clipped": best.clipped.tolist(),
        "uneven": best.light_uneven,
    }

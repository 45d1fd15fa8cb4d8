"""How far over and under cameras may be, from exposure series of files or of a production, and its report."""

from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np

from aquin.charts.latitude import Latitude, Limits, advice, latitude, ranked, refined_stops
from aquin.charts.profile import Step, profile
from aquin.charts.take import expose, to_linear_of
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.exchange.latitude_report import Report, write_latitude
from aquin.jobs.series import SeriesAsk, camera_named, checked_stops, opened, read_files
from aquin.production import Camera, charting
from aquin.production.settings import config_of, policy_of
from aquin.workers import Tell, part


@dataclass(frozen=True, kw_only=True)
class LatitudeAsk(SeriesAsk):
    """`policy`: with a production."""

    encoding: str | None
    policy: str | None
    limits: Limits
    report: Path | None


def latitude_series(ask: LatitudeAsk, tell: Tell | None = None) -> dict[str, Any]:
    if ask.policy not in (None, "bright", "protect"):
        raise AquinError(f"there is no policy '{ask.policy}'", None, "Use bright or protect")
    if ask.report is not None and ask.report.suffix.lower() not in (".pdf", ".html"):
        raise AquinError(
            "a latitude report is written as .pdf or .html", ask.report, "Give it one of these endings"
        )
    troubles: list[str] = []
    if ask.of_production:
        found, title, policy = _latitudes(ask, tell, troubles)
    else:
        found, title, policy = [_latitude_of_files(ask, tell)], ask.camera or ask.files[0].stem, "bright"
    policy = ask.policy or policy
    if ask.report is not None:
        frames = _frames(ask) if ask.of_production else {}
        report = Report(title, date.today().isoformat(), policy, tuple(found), frames)
        write_latitude(ask.report, report, ask.force)
    return {
        "policy": policy,
        "cameras": [latitude_values(x, policy) for x in ranked(found)],
        "troubles": troubles,
        **({"report": str(ask.report)} if ask.report is not None else {}),
    }


def _latitudes(ask: LatitudeAsk, tell: Tell | None, troubles: list[str]) -> tuple[list[Latitude], str, str]:
    found = []
    with opened(ask.files[0]) as production:
        config = config_of(production)
        cameras = [c for c in production.all(Camera) if charting.series_of(production, c)]
        if ask.camera is not None:
            cameras = [camera_named(production, ask.camera, ask.files[0])]
        if not cameras:
            raise AquinError(
                "no camera has an exposure series", ask.files[0], "Log one, and give its takes their stops"
            )
        for k, camera in enumerate(cameras):
            share = part(tell, k / len(cameras), (k + 1) / len(cameras))
            try:
                read = charting.read_series(production, config, camera, ask.jobs, share)
                found.append(charting.latitude_of(production, config, camera, read, limits=ask.limits)[0])
            except AquinError as error:
                troubles.append(f"{camera.name}: {error.line()}")
        title, policy = production.name, policy_of(production)
    if not found:
        raise AquinError(troubles[0], ask.files[0], "")
    return found, title, policy


def _frames(ask: LatitudeAsk) -> dict[str, list[tuple[str, bytes]]]:
    from aquin.jobs.series_frames import series_frames

    with opened(ask.files[0]) as production:
        return series_frames(production, config_of(production))


def _latitude_of_files(ask: LatitudeAsk, tell: Tell | None) -> Latitude:
    config = ColourConfig.find(ask.config, ask.files[0])
    stops = checked_stops(ask.stops, ask.files)
    encoding = config.resolve(ask.encoding) if ask.encoding else ""
    base = ask.take(encoding, config)
    read = read_files(ask.files, stops, base, ask.jobs, tell)
    readings = [(s, r) for s, _, seen in read if (r := seen.reading()) is not None]
    to_linear = to_linear_of(base)
    if not encoding:
        made = profile([Step(s, r) for s, r in readings])
        to_linear = config.with_encodings(made.encoding("Measured for latitude")).to_linear(
            "Measured for latitude"
        )
        readings = [
            (s, replace(r, linear=np.asarray(to_linear(r.signal.astype(np.float32)), np.float64)))
            for s, r in readings
        ]
    true = refined_stops(readings)
    pixels = []
    for (_, take, seen), (_, reading), s in zip(read, readings, true, strict=True):
        assert seen.best is not None
        pixels.append(expose(take, replace(seen, best=replace(seen.best, reading=reading)), s, to_linear))
    return latitude(ask.camera or ask.files[0].stem, pixels, [s for s, _ in readings], ask.limits)


def latitude_values(found: Latitude, policy: str) -> dict[str, Any]:
    return {
        "camera": found.camera,
        "under": found.under,
        "over": found.over,
        "width": found.width,
        "headroom": found.headroom,
        "advice": advice(found, policy),
        "per_stop": [
            {k: (list(v) if isinstance(v, tuple) else v) for k, v in row.__dict__.items()}
            | {"usable": row.usable}
            for row in found.rows
        ],
    }

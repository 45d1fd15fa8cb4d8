"""A camera's curve and matrix from an exposure series: of files, or of a production's camera."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from aquin.charts.families import GREY_U
from aquin.charts.fits import Metric
from aquin.charts.profile import Profile, Step, compare, nearest, profile
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.exchange.profile_file import SUFFIXES, values_of, write_profile
from aquin.jobs.series import SeriesAsk, camera_named, checked_stops, opened, read_files
from aquin.production import charting
from aquin.production.settings import config_of
from aquin.workers import Tell


@dataclass(frozen=True, kw_only=True)
class ProfileAsk(SeriesAsk):
    """`keep`: with a production."""

    out: Path | None
    name: str | None
    keep: bool
    compare: str | None
    metric: Metric
    size: int


def profile_series(ask: ProfileAsk, tell: Tell | None = None) -> dict[str, Any]:
    if ask.out is not None and ask.out.suffix.lower() not in SUFFIXES:
        raise AquinError(
            "this ending names no form of a profile", ask.out, f"Use one of {' '.join(SUFFIXES)}"
        )
    if ask.out is not None and ask.out.exists() and not ask.force:
        raise AquinError(
            "the file exists already", ask.out, "Choose another name, or overwrite it with --force"
        )
    if ask.of_production:
        return _of_production(ask, tell)
    config = ColourConfig.find(ask.config, ask.files[0])
    stops = checked_stops(ask.stops, ask.files)
    base = ask.take("", config)
    read = read_files(ask.files, stops, base, ask.jobs, tell)
    steps = [Step(s, r, t.path.name) for s, t, seen in read if (r := seen.reading()) is not None]
    made = profile(steps, ask.metric)
    return _told(ask, made, steps, config, ask.name or ask.files[0].stem)


def _of_production(ask: ProfileAsk, tell: Tell | None) -> dict[str, Any]:
    with opened(ask.files[0]) as production:
        config = config_of(production)
        camera = camera_named(production, ask.camera, ask.files[0])
        read = charting.read_series(production, config, camera, ask.jobs, tell)
        made = charting.profile_of(read, ask.metric)
        name = ask.name or f"{camera.name} measured"
        data = _told(ask, made, charting.steps_of(read), config, name)
        if ask.keep:
            charting.keep_profile(production, config, camera, made, name)
            data["kept"] = str(production.option("config"))
    return data


def _told(
    ask: ProfileAsk, made: Profile, steps: Sequence[Step], config: ColourConfig, name: str
) -> dict[str, Any]:
    encoding = made.encoding(name)
    proof = write_profile(ask.out, encoding, ask.force, ask.size) if ask.out is not None else None
    known = [compare(made, config, ask.compare)] if ask.compare else nearest(made, config)
    curve = made.curve
    values = values_of(encoding)["curve"]
    assert isinstance(values, dict)
    return {
        "name": encoding.name,
        "curve": {
            "family": curve.family,
            "parameters": {
                k: v for k, v in values.items() if k not in ("family", "linear") and v is not None
            },
            "rms_stops": curve.rms_stops,
        },
        "matrix": [[float(v) for v in row] for row in made.matrix],
        "delta_e00_mean": made.delta_e00_mean,
        "delta_e00_p95": made.delta_e00_p95,
        "stops": [float(s) for s in curve.stops],
        "marked": [s.stops for s in sorted(steps, key=lambda s: s.stops)],
        "latitude": {
            "under": made.under,
            "over": made.over,
            "per_stop": [
                {
                    "stops": float(u),
                    "signal": float(made.curve.encode(np.array([0.18 * 2.0**u]))[0]),
                    "doubt": float(d),
                }
                for u, d in _per_stop(made)
            ],
        },
        "compared": [
            {
                "encoding": c.encoding,
                "largest_stops": c.largest,
                "at": c.at,
                "rms_stops": c.rms,
                "words": c.line(),
            }
            for c in known
        ],
        "warnings": list(made.warnings),
        **({"out": str(ask.out), "proof": proof.line() if proof else ""} if ask.out is not None else {}),
    }


def _per_stop(made: Profile) -> list[tuple[float, float]]:
    low, high = np.ceil(made.curve.low - GREY_U), np.floor(made.curve.high - GREY_U)
    at = np.arange(low, high + 1)
    return [(float(u), float(np.interp(u + GREY_U, made.curve.u, made.curve.doubt))) for u in at]

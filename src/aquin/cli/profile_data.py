"""What `aquin profile`, `identify` and `latitude` compute and how they print it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np

from aquin.charts.fits import Metric
from aquin.charts.identify import Identification, identify
from aquin.charts.latitude import Latitude, Limits, advice, latitude, ranked, refined_stops
from aquin.charts.layout import layout
from aquin.charts.profile import Profile, Step, compare, nearest, profile
from aquin.charts.sweep import Sweep
from aquin.charts.take import Take, expose, read_take, to_linear_of
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.exchange.latitude_report import Report, row_words, write_latitude
from aquin.exchange.profile_file import SUFFIXES, values_of, write_profile
from aquin.workers import each


@dataclass(frozen=True)
class Ask:
    """What the person asked `aquin profile` for."""

    files: tuple[Path, ...]
    stops: str | None
    out: Path | None
    name: str | None
    camera: str | None
    keep: bool
    compare: str | None
    layout: str
    corners: Any
    metric: Metric
    matrix: str | None
    range: str | None
    size: int
    config: Path | None
    jobs: int | None
    force: bool


@dataclass(frozen=True)
class LatitudeAsk:
    """What the person asked `aquin latitude` for."""

    files: tuple[Path, ...]
    stops: str | None
    encoding: str | None
    camera: str | None
    policy: str | None
    limits: str | None
    report: Path | None
    layout: str
    corners: Any
    matrix: str | None
    range: str | None
    config: Path | None
    jobs: int | None
    force: bool


def stops_of(text: str | None, files: Sequence[Path]) -> list[float]:
    """Stops with commas, one a file. Raises AquinError."""
    try:
        found = [float(t) for t in (text or "").split(",") if t.strip()]
    except ValueError:
        found = []
    if len(found) != len(files) or not np.isfinite(found).all():
        raise AquinError(
            f"--stops needs {len(files)} numbers, one for each file", None, "For example: --stops -2,-1,0,1,2"
        )
    if len(set(found)) != len(found):
        raise AquinError("two files have the same stops", None, "Give each exposure once")
    return found


def _series(
    files: Sequence[Path], stops: Sequence[float], base: Take, jobs: int | None, title: str
) -> list[tuple[float, Take, Sweep]]:
    """Read the files; the chart stands where it is in the normal exposure. Raises AquinError."""
    from aquin.cli.main import with_progress

    order = sorted(range(len(files)), key=lambda k: abs(stops[k]))
    takes = [replace(base, path=files[k], label=files[k].name, most=8) for k in order]

    def work(tell: Any) -> list[tuple[float, Take, Sweep]]:
        first = read_take(takes[0])
        if first.best is None or first.best.reading is None:
            raise AquinError("no chart was found in the normal exposure", takes[0].path, "Give its --corners")
        corners = tuple((float(x), float(y)) for x, y in first.best.reading.corners)
        rest = [replace(t, corners=t.corners or corners) for t in takes[1:]]
        where = {t.path: stops[k] for t, k in zip(takes, order, strict=True)}
        out = [(where[takes[0].path], takes[0], first)]
        for take, result in each(_read, rest, jobs, tell, lambda t: t.path.name):
            if isinstance(result, AquinError):
                raise result
            out.append((where[take.path], take, result))
        return sorted(out, key=lambda o: o[0])

    if len(set(files)) != len(files):
        raise AquinError("a file is named twice", None, "Name one file for each exposure")
    return list(with_progress(title, work))


def _read(take: Take) -> Sweep:
    return read_take(take)


def profile_data(ask: Ask) -> dict[str, Any]:
    if ask.out is not None and ask.out.suffix.lower() not in SUFFIXES:
        raise AquinError(
            "this ending names no form of a profile", ask.out, f"Use one of {' '.join(SUFFIXES)}"
        )
    if ask.out is not None and ask.out.exists() and not ask.force:
        raise AquinError(
            "the file exists already", ask.out, "Choose another name, or overwrite it with --force"
        )
    if len(ask.files) == 1 and ask.files[0].suffix == ".aquin":
        return _of_production(ask)
    config = ColourConfig.find(ask.config, ask.files[0])
    stops = stops_of(ask.stops, ask.files)
    base = Take(
        ask.files[0], "", ask.layout, ask.matrix or "", ask.range or "", {}, _corners(ask.corners), None, config=config.path
    )  # fmt: skip
    read = _series(ask.files, stops, base, ask.jobs, "reading the series")
    steps = [Step(s, r, t.path.name) for s, t, seen in read if (r := seen.reading()) is not None]
    made = profile(steps, ask.metric)
    return _told(ask, made, steps, config, ask.name or ask.files[0].stem)


def _of_production(ask: Ask) -> dict[str, Any]:
    from aquin.cli.commands.production import opened
    from aquin.cli.main import with_progress
    from aquin.production import charting
    from aquin.production.settings import config_of

    with opened(ask.files[0]) as production:
        config = config_of(production)
        camera = _camera(production, ask.camera, ask.files[0])
        read = with_progress(
            "reading the series",
            lambda tell: charting.read_series(production, config, camera, ask.jobs, tell),
        )
        made = charting.profile_of(read, ask.metric)
        name = ask.name or f"{camera.name} measured"
        data = _told(ask, made, charting.steps_of(read), config, name)
        if ask.keep:
            charting.keep_profile(production, config, camera, made, name)
            data["kept"] = str(production.option("config"))
    return data


def _camera(production: Any, name: str | None, file: Path) -> Any:
    from aquin.production.records import Camera

    found = [c for c in production.all(Camera) if name is None or c.name == name]
    if name is None and len(found) != 1:
        raise AquinError("a camera must be named", file, f"--camera {' or '.join(c.name for c in found)}")
    if not found:
        names = ", ".join(c.name for c in production.all(Camera))
        raise AquinError(f"there is no camera '{name}'", file, f"There are: {names}")
    return found[0]


def _told(ask: Ask, made: Profile, steps: Sequence[Step], config: ColourConfig, name: str) -> dict[str, Any]:
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
    from aquin.charts.curve import GREY_U

    low, high = np.ceil(made.curve.low - GREY_U), np.floor(made.curve.high - GREY_U)
    at = np.arange(low, high + 1)
    return [(float(u), float(np.interp(u + GREY_U, made.curve.u, made.curve.doubt))) for u in at]


def show_profile(data: dict[str, Any]) -> None:
    c = data["curve"]
    print(f"{data['name']}: {c['family']} curve, {c['rms_stops']:.3f} stop rms")
    if c["parameters"]:
        print("  " + "  ".join(f"{k} {v:.6g}" for k, v in c["parameters"].items()))
    for row in data["matrix"]:
        print("  " + "  ".join(f"{v:8.4f}" for v in row))
    print(f"  colours: dE00 {data['delta_e00_mean']:.2f}, 95 % {data['delta_e00_p95']:.2f}")
    pairs = zip(data["marked"], data["stops"], strict=True)
    print("  stops: " + "  ".join(f"{m:+g} is {s:+.2f}" for m, s in pairs))
    lat = data["latitude"]
    print(f"  supported from {lat['under']:+.1f} to {lat['over']:+.1f} stops of grey")
    for k in data["compared"]:
        print(f"  {k['words']}")
    if data.get("out"):
        print(f"  {data['out']}: {data['proof']}")
    if data.get("kept"):
        print(f"  the production uses {data['kept']} now")
    for w in data["warnings"]:
        print(f"  note: {w}")


def identify_data(
    file: Path,
    layout_name: str,
    corners: Any,
    frame: int | None,
    count: int,
    matrix: str | None,
    range: str | None,
    config_path: Path | None,
) -> dict[str, Any]:
    config = ColourConfig.find(config_path, file)
    take = Take(
        file,
        "",
        layout_name,
        matrix or "",
        range or "",
        {},
        _corners(corners),
        frame,
        most=24,
        config=config.path,
    )
    seen = read_take(take)
    reading = seen.reading()
    if reading is None:
        raise AquinError(
            "no chart was found", file, "Give its --corners, or name another --frame or --layout"
        )
    from aquin.frames import open_source

    source = open_source(file)
    floating = source.signal.floating
    source.close()
    found = identify(config, reading.signal, reading.usable_signal, layout(layout_name), floating)
    return identification_data(found, count)


def identification_data(found: Identification, count: int = 8) -> dict[str, Any]:
    return {
        "ranking": [
            {
                "encoding": c.encoding, "score": c.score, "rms_stops": c.rms_stops, "delta_e00_mean": c.delta_e00,
                "exposure_stops": c.exposure, "same_to_a_chart": list(c.alike), "fits": c.fits,
            }
            for c in found.ranking[:count]
        ],
        "margin": found.margin,
        "confidence": found.confidence,
        "none_fits": found.none_fits,
        "verdict": found.verdict,
    }  # fmt: skip


def show_identification(data: dict[str, Any]) -> None:
    print(data["verdict"] + ("" if data["none_fits"] else f"   (sure {data['confidence']:.2f})"))
    for k, c in enumerate(data["ranking"], 1):
        colours = "" if not np.isfinite(c["delta_e00_mean"]) else f"   dE00 {c['delta_e00_mean']:6.2f}"
        same = f"   same: {', '.join(c['same_to_a_chart'])}" if c["same_to_a_chart"] else ""
        print(
            f"  {k:2}  {c['encoding']:38} steps {c['rms_stops']:.3f} st{colours}   exposure {c['exposure_stops']:+.1f} st{same}"
        )


def limits_of(text: str | None) -> Limits:
    """Limits by name with commas. Raises AquinError."""
    known = Limits().__dict__
    values = dict(known)
    try:
        for item in filter(None, (text or "").split(",")):
            key, _, value = item.partition("=")
            if key.strip() not in known:
                raise ValueError(f"there is no limit '{key.strip()}'")
            values[key.strip()] = type(known[key.strip()])(float(value))
        return Limits(**values)
    except (ValueError, OverflowError) as error:
        raise AquinError(f"--limits can't be used ({error})", None, f"Names: {', '.join(known)}") from error


def latitude_data(ask: LatitudeAsk) -> dict[str, Any]:
    limits = limits_of(ask.limits)
    if ask.policy not in (None, "bright", "protect"):
        raise AquinError(f"there is no policy '{ask.policy}'", None, "Use bright or protect")
    if ask.report is not None and ask.report.suffix.lower() not in (".pdf", ".html"):
        raise AquinError(
            "a latitude report is written as .pdf or .html", ask.report, "Give it one of these endings"
        )
    troubles: list[str] = []
    if len(ask.files) == 1 and ask.files[0].suffix == ".aquin":
        found, title, policy = _latitudes(ask, limits, troubles)
    else:
        found, title, policy = [_latitude_of_files(ask, limits)], ask.camera or ask.files[0].stem, "bright"
    policy = ask.policy or policy
    if ask.report is not None:
        report = Report(title, date.today().isoformat(), policy, tuple(found))
        write_latitude(ask.report, report, ask.force)
    return {
        "policy": policy,
        "cameras": [latitude_values(x, policy) for x in ranked(found)],
        "troubles": troubles,
        **({"report": str(ask.report)} if ask.report is not None else {}),
    }


def _latitudes(ask: LatitudeAsk, limits: Limits, troubles: list[str]) -> tuple[list[Latitude], str, str]:
    from aquin.cli.commands.production import opened
    from aquin.cli.main import with_progress
    from aquin.production import charting
    from aquin.production.records import Camera
    from aquin.production.settings import config_of, policy_of

    found = []
    with opened(ask.files[0]) as production:
        config = config_of(production)
        cameras = [c for c in production.all(Camera) if charting.series_of(production, c)]
        if ask.camera is not None:
            cameras = [_camera(production, ask.camera, ask.files[0])]
        if not cameras:
            raise AquinError(
                "no camera has an exposure series", ask.files[0], "Log one, and give its takes their stops"
            )
        for camera in cameras:
            try:
                read = with_progress(
                    f"reading {camera.name}",
                    lambda tell, c=camera: charting.read_series(production, config, c, ask.jobs, tell),
                )
                found.append(charting.latitude_of(production, config, camera, read, limits=limits)[0])
            except AquinError as error:
                troubles.append(f"{camera.name}: {error.line()}")
        title, policy = production.name, policy_of(production)
    if not found:
        raise AquinError(troubles[0], ask.files[0], "")
    return found, title, policy


def _latitude_of_files(ask: LatitudeAsk, limits: Limits) -> Latitude:
    config = ColourConfig.find(ask.config, ask.files[0])
    stops = stops_of(ask.stops, ask.files)
    encoding = config.resolve(ask.encoding) if ask.encoding else ""
    base = Take(
        ask.files[0], encoding, ask.layout, ask.matrix or "", ask.range or "", {}, _corners(ask.corners), None,
        config=config.path,
    )  # fmt: skip
    read = _series(ask.files, stops, base, ask.jobs, "reading the series")
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
    return latitude(ask.camera or ask.files[0].stem, pixels, [s for s, _ in readings], limits)


def latitude_values(found: Latitude, policy: str) -> dict[str, Any]:
    return {
        "camera": found.camera, "under": found.under, "over": found.over, "width": found.width, "headroom": found.headroom,
        "advice": advice(found, policy),
        "per_stop": [
            {k: (list(v) if isinstance(v, tuple) else v) for k, v in row.__dict__.items()} | {"usable": row.usable}
            for row in found.rows
        ],
    }  # fmt: skip


def show_latitude(data: dict[str, Any]) -> None:
    from aquin.charts.latitude import Row

    for c in data["cameras"]:
        print(
            f"{c['camera']}: usable {c['under']:+.1f} to {c['over']:+.1f} stops, {c['headroom']:.1f} stops over grey before clipping"
        )
        for r in c["per_stop"]:
            row = Row(**{k: v for k, v in r.items() if k != "usable"} | {"faults": tuple(r["faults"])})
            w = row_words(row)
            print(
                f"  {w[0]:>6} is {w[1]:>8}  {w[2]:>12} {w[3]:>6}e-3 Duv  skin {w[4]:>5}  all {w[5]:>5}  noise {w[6]:>5} /{w[7]:>6}  edges {w[8]:>6}  {w[10]}"
            )
        for line in c["advice"]:
            print(f"  {line}")
    for trouble in data["troubles"]:
        print(f"  trouble: {trouble}")
    if data.get("report"):
        print(data["report"])


def _corners(given: Any) -> tuple[tuple[float, float], ...]:
    return () if given is None else tuple((float(x), float(y)) for x, y in given)

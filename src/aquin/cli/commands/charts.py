"""`aquin chart`, `balance`, `profile`, `identify`, `latitude` and `layouts`: what charts say, from files or from a production."""

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.errors import AquinError

AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
Config = Annotated[
    Path | None,
    typer.Option(
        "--config",
        help="A config.ocio file. Without it: the config.ocio beside the file or up to three folders up, else the built-in one.",
    ),
]
LayoutName = Annotated[
    str, typer.Option("--layout", help="Chart layout by name (aquin layouts), or a .json file.")
]
Corners = Annotated[
    str | None,
    typer.Option("--corners", help="x,y four times, in pixels: the first patch's corner, then clockwise."),
]
Matrix = Annotated[str | None, typer.Option(help="Override the YCbCr matrix: bt601, bt709, bt2020.")]
Range = Annotated[str | None, typer.Option(help="Override the signal range: full or legal.")]
Develop = Annotated[
    str | None,
    typer.Option(
        "--develop",
        help="How a raw still is developed: exposure=STOPS,kelvin=K,tint=D,highlights=keep|clip|blend,half",
    ),
]
MetricName = Annotated[str, typer.Option("--metric", help="Colour difference to solve by: dE00 or 'dE ITP'.")]
Jobs = Annotated[int | None, typer.Option("--jobs", min=1, help="Processes to use.")]
Force = Annotated[bool, typer.Option("--force", help="Overwrite OUT.")]
CameraName = Annotated[str | None, typer.Option("--camera", help="A camera of the production.")]


def layouts(as_json: AsJson = False) -> None:
    """List the chart layouts that ship."""
    from aquin.charts.layout import layout, names

    found = [layout(n) for n in names()]
    data = {
        "layouts": [
            {"name": x.name, "title": x.title, "patches": len(x.patches), "source": x.source} for x in found
        ]
    }
    _out(
        data,
        as_json,
        lambda d: [print(f"{x['name']:14} {x['patches']:3} patches  {x['title']}") for x in d["layouts"]],
    )


def chart(
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    encoding: Annotated[
        str, typer.Option("--encoding", help="Encoding of FILE, by a name of the configuration.")
    ],
    layout_name: LayoutName = "24-patch",
    frame: Annotated[
        int | None, typer.Option("--frame", help="Frame number; the first one if left out.")
    ] = None,
    timecode: Annotated[str | None, typer.Option("--timecode", help="Frame by its timecode.")] = None,
    sweep: Annotated[
        bool, typer.Option("--sweep", help="Look at all frames, take the best and average the good ones.")
    ] = False,
    corners: Corners = None,
    hero: Annotated[
        Path | None,
        typer.Option("--hero", help="Solve towards the chart in this file instead of the published colours."),
    ] = None,
    hero_encoding: Annotated[str | None, typer.Option("--hero-encoding")] = None,
    models: Annotated[
        str,
        typer.Option(
            "--models",
            help="Models to solve, with commas: gains,cdl,matrix,root, each also as NAME+warp; or all.",
        ),
    ] = "gains,cdl,matrix,root",
    metric: MetricName = "dE00",
    neutral: Annotated[float, typer.Option("--neutral-weight", help="How much neutrals weigh.")] = 1.0,
    skin: Annotated[float, typer.Option("--skin-weight", help="How much skin patches weigh.")] = 1.0,
    stages: Annotated[
        bool, typer.Option("--stages", help="Also show neutral, hue angle and saturation one by one.")
    ] = False,
    out: Annotated[
        Path | None, typer.Option("--out", help="Write the grade of --model: .cdl .cc .ccc .clf .cube")
    ] = None,
    model: Annotated[
        str | None, typer.Option("--model", help="Which solution --out writes; the best if left out.")
    ] = None,
    matrix: Matrix = None,
    range: Range = None,
    develop: Develop = None,
    config: Config = None,
    force: Force = False,
    as_json: AsJson = False,
) -> None:
    """Find a chart, read it, and solve it against its published colours or against a hero's chart."""
    from aquin.cli import chart_data as shown
    from aquin.cli.main import _clip, _config, _corners, _number, with_progress

    if not all(math.isfinite(w) and 0 <= w <= 100 for w in (neutral, skin)):
        raise AquinError("a weight must lie between 0 and 100", None, "1 is as much as any patch")
    loaded = _config(config, file)
    raw = raw_of(develop)
    clip = _clip(file, encoding, loaded, matrix, range, raw)
    heroes = None
    if hero is not None:
        heroes = _clip(hero, hero_encoding or encoding, loaded)
    ask = shown.Ask(
        layout_name, None if sweep else _number(clip, frame, timecode), sweep, _corners(corners), tuple(shown.chosen_models(models)),
        shown.metric_of(metric), neutral, skin, stages, out, model, force,
    )  # fmt: skip
    if sweep:
        data = with_progress("looking at the frames", lambda tell: shown.chart_data(clip, heroes, ask, tell))
    else:
        data = shown.chart_data(clip, heroes, ask)
    _out(data, as_json, shown.show_chart)
    raise typer.Exit(0 if data["found"] and not data["warnings"] else 1)


def balance(
    file: Annotated[Path, typer.Argument(metavar="PRODUCTION", help="A production file (.aquin).")],
    camera: CameraName = None,
    setup: Annotated[str | None, typer.Option("--setup", help="A setup of the production.")] = None,
    model: Annotated[
        str, typer.Option("--model", help="gains, cdl, matrix, root, each also as NAME+warp.")
    ] = "gains",
    metric: MetricName = "dE00",
    to_hero: Annotated[
        bool, typer.Option("--to-hero", help="Towards the setup's hero camera where its chart is there.")
    ] = False,
    release: Annotated[
        bool, typer.Option("--all-follow", help="Take off shots' own corrections, so that they follow.")
    ] = False,
    jobs: Jobs = None,
    as_json: AsJson = False,
) -> None:
    """Read the chart takes of a production and keep each one's solution as the balance of its camera in its setup."""
    from aquin.cli import chart_data as shown

    data = shown.balance_data(file, camera, setup, model, shown.metric_of(metric), to_hero, release, jobs)
    _out(data, as_json, shown.show_balance)
    raise typer.Exit(0 if not data["troubles"] else 1)


def profile(
    files: Annotated[
        list[Path],
        typer.Argument(metavar="FILES", help="One file per exposure, or a production with --camera."),
    ],
    stops: Annotated[
        str | None, typer.Option("--stops", help="Stops of the files over normal, with commas: -2,-1,0,1,2")
    ] = None,
    out: Annotated[
        Path | None, typer.Option("--out", help="The measured transform: .clf, .cube or .json")
    ] = None,
    name: Annotated[str | None, typer.Option("--name", help="The encoding's name.")] = None,
    camera: CameraName = None,
    keep: Annotated[
        bool, typer.Option("--keep", help="With a production: use the measured encoding for the camera.")
    ] = False,
    compare: Annotated[
        str | None, typer.Option("--compare", help="A known encoding to compare with.")
    ] = None,
    layout_name: LayoutName = "24-patch",
    corners: Corners = None,
    metric: MetricName = "dE00",
    matrix: Matrix = None,
    range: Range = None,
    size: Annotated[int, typer.Option("--size", help="Points of a .cube: 33 or 65.")] = 65,
    config: Config = None,
    jobs: Jobs = None,
    force: Force = False,
    as_json: AsJson = False,
) -> None:
    """Recover a camera's curve and matrix from an exposure series of a chart."""
    from aquin.cli import profile_data as shown
    from aquin.cli.chart_data import metric_of
    from aquin.cli.main import _corners

    ask = shown.Ask(tuple(files), stops, out, name, camera, keep, compare, layout_name, _corners(corners), metric_of(metric), matrix, range, size, config, jobs, force)  # fmt: skip
    data = shown.profile_data(ask)
    _out(data, as_json, shown.show_profile)
    raise typer.Exit(1 if data["warnings"] else 0)


def identify(
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    layout_name: LayoutName = "24-patch",
    corners: Corners = None,
    frame: Annotated[int | None, typer.Option("--frame")] = None,
    count: Annotated[int, typer.Option("--count", min=1, help="How many to list.")] = 8,
    matrix: Matrix = None,
    range: Range = None,
    config: Config = None,
    as_json: AsJson = False,
) -> None:
    """Rank all encodings of the configuration by how well each explains the chart in FILE. Exit 1 when none fits."""
    from aquin.cli import profile_data as shown
    from aquin.cli.main import _corners

    data = shown.identify_data(file, layout_name, _corners(corners), frame, count, matrix, range, config)
    _out(data, as_json, shown.show_identification)
    raise typer.Exit(1 if data["none_fits"] else 0)


def latitude(
    files: Annotated[
        list[Path], typer.Argument(metavar="FILES", help="One file per exposure, or a production.")
    ],
    stops: Annotated[
        str | None, typer.Option("--stops", help="Stops of the files over normal, with commas.")
    ] = None,
    encoding: Annotated[
        str | None, typer.Option("--encoding", help="Encoding of FILES; measured from them if left out.")
    ] = None,
    camera: CameraName = None,
    policy: Annotated[
        str | None, typer.Option("--policy", help="bright or protect; the production's if left out.")
    ] = None,
    limits: Annotated[
        str | None, typer.Option("--limits", help="mired=5.5,duv=2,skin=3,noise=3,resolution=0.8,clipped=1")
    ] = None,
    report: Annotated[Path | None, typer.Option("--report", help="Write it as .pdf or .html")] = None,
    layout_name: LayoutName = "24-patch",
    corners: Corners = None,
    matrix: Matrix = None,
    range: Range = None,
    config: Config = None,
    jobs: Jobs = None,
    force: Force = False,
    as_json: AsJson = False,
) -> None:
    """How far over and under a camera may be: colour shift, noise, resolution and clipping per stop."""
    from aquin.cli import profile_data as shown
    from aquin.cli.main import _corners

    ask = shown.LatitudeAsk(tuple(files), stops, encoding, camera, policy, limits, report, layout_name, _corners(corners), matrix, range, config, jobs, force)  # fmt: skip
    data = shown.latitude_data(ask)
    _out(data, as_json, shown.show_latitude)


def register(app: typer.Typer) -> None:
    """Add these commands to the program."""
    for command in (layouts, chart, balance, profile, identify, latitude):
        app.command()(command)


def raw_of(text: str | None) -> Any:
    """The settings that --develop names. Raises AquinError."""
    from aquin.frames import RawDecode

    if text is None:
        return None
    values: dict[str, Any] = {}
    try:
        for item in filter(None, text.split(",")):
            key, sign, value = item.partition("=")
            key = key.strip()
            if key == "half":
                values[key] = value.strip().lower() not in ("0", "no", "false")
            elif not sign:
                raise ValueError(f"'{item}' has no value")
            else:
                values[key] = value.strip() if key == "highlights" else float(value)
        return RawDecode.of(values)
    except (ValueError, TypeError) as error:
        raise AquinError(
            f"--develop can't be used ({error})",
            None,
            "For example: exposure=1,kelvin=5600,highlights=clip,half",
        ) from error


def _out(data: dict[str, Any], as_json: bool, say: Callable[[dict[str, Any]], Any]) -> None:
    if as_json:
        print(json.dumps(_plain(data), allow_nan=False))
    else:
        say(data)


def _plain(value: Any) -> Any:
    """JSON has no nan: it becomes null."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {k: _plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(v) for v in value]
    return value

"""`aquin chart`, `balance`, `profile`, `identify`, `latitude` and `layouts`: what charts say, from files or from a
production.
"""

import math
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import (
    clip_at,
    config_at,
    corners_in,
    decode_in,
    limits_in,
    metric_in,
    models_in,
    number_in,
    opened,
    stops_in,
)
from aquin.cli.output import printed, with_progress
from aquin.errors import AquinError
from aquin.workers import get_ready


def layouts(as_json: of.AsJson = False) -> None:
    """List the chart layouts that ship."""
    from aquin.charts.layout import layout, names

    found = [layout(n) for n in names()]
    data = {
        "layouts": [
            {"name": x.name, "title": x.title, "patches": len(x.patches), "source": x.source} for x in found
        ]
    }
    printed(data, as_json, _say_layouts)


def _say_layouts(data: dict[str, Any]) -> None:
    for x in data["layouts"]:
        print(f"{x['name']:14} {x['patches']:3} patches  {x['title']}")


HeroFile = Annotated[
    Path | None,
    typer.Option("--hero", help="Solve towards the chart in this file instead of the published colours."),
]
Models = Annotated[
    str,
    typer.Option(
        "--models",
        help="Models to solve, with commas: gains,cdl,matrix,root, each also as NAME+warp; or all.",
    ),
]
Sweep = Annotated[
    bool, typer.Option("--sweep", help="Look at all frames, take the best and average the good ones.")
]
NeutralWeight = Annotated[float, typer.Option("--neutral-weight", help="How much neutrals weigh.")]
SkinWeight = Annotated[float, typer.Option("--skin-weight", help="How much skin patches weigh.")]
Stages = Annotated[
    bool, typer.Option("--stages", help="Also show neutral, hue angle and saturation one by one.")
]
GradeOut = Annotated[
    Path | None, typer.Option("--out", help="Write the grade of --model: .cdl .cc .ccc .clf .cube")
]
Written = Annotated[
    str | None, typer.Option("--model", help="Which solution --out writes; the best if left out.")
]
Encoding = Annotated[
    str, typer.Option("--encoding", help="Encoding of FILE, by a name of the configuration.")
]


def chart(
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    encoding: Encoding,
    layout_name: of.LayoutName = "24-patch",
    frame: of.Frame = None,
    timecode: of.Timecode = None,
    sweep: Sweep = False,
    corners: of.Corners = None,
    hero: HeroFile = None,
    hero_encoding: Annotated[str | None, typer.Option("--hero-encoding")] = None,
    models: Models = "gains,cdl,matrix,root,gains+flare,matrix+flare",
    metric: of.MetricName = "dE00",
    neutral: NeutralWeight = 1.0,
    skin: SkinWeight = 1.0,
    stages: Stages = False,
    out: GradeOut = None,
    model: Written = None,
    matrix: of.Matrix = None,
    range: of.Range = None,
    develop: of.Develop = None,
    layer: of.Layer = None,
    config: of.Config = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """Find a chart, read it, and solve it against its published colours or against a hero's chart."""
    from aquin.cli.words.charts import say_chart
    from aquin.jobs.chart_file import ChartAsk, read_file

    if not all(math.isfinite(w) and 0 <= w <= 100 for w in (neutral, skin)):
        raise AquinError("a weight must lie between 0 and 100", None, "1 is as much as any patch")
    loaded = config_at(config, file)
    clip = clip_at(file, encoding, loaded, matrix, range, decode_in(develop, layer))
    heroes = clip_at(hero, hero_encoding or encoding, loaded) if hero is not None else None
    ask = ChartAsk(
        layout=layout_name,
        number=None if sweep else number_in(clip, frame, timecode),
        sweep=sweep,
        corners=corners_in(corners) or None,
        models=tuple(models_in(models)),
        metric=metric_in(metric),
        neutral=neutral,
        skin=skin,
        stages=stages,
        out=out,
        model=model,
        force=force,
    )
    if sweep:
        data = with_progress("looking at the frames", lambda tell: read_file(clip, heroes, ask, tell))
    else:
        data = read_file(clip, heroes, ask)
    printed(data, as_json, say_chart)
    raise typer.Exit(0 if data["found"] and not data["warnings"] else 1)


def balance(
    file: of.File,
    camera: of.CameraName = None,
    setup: Annotated[str | None, typer.Option("--setup", help="A setup of the production.")] = None,
    model: Annotated[
        str,
        typer.Option(
            "--model", help="gains, cdl, matrix, root, each also as NAME+warp; gains+flare, matrix+flare."
        ),
    ] = "gains",
    metric: of.MetricName = "dE00",
    to_hero: Annotated[
        bool, typer.Option("--to-hero", help="Towards the setup's hero camera where its chart is there.")
    ] = False,
    release: Annotated[
        bool, typer.Option("--all-follow", help="Take off shots' own corrections, so that they follow.")
    ] = False,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    as_json: of.AsJson = False,
) -> None:
    """Read the chart takes of a production and keep each one's solution as the balance of its camera in its setup."""
    from aquin.charts.solve import MODELS
    from aquin.cli.words.charts import balance_data, say_balance
    from aquin.jobs.balance_charts import Wish, balance_charts
    from aquin.production.records import Camera, Setup
    from aquin.production.settings import config_of

    if model not in MODELS:
        raise AquinError(f"there is no model '{model}'", None, f"There are: {', '.join(MODELS)}")
    with opened(file) as production:
        cameras = _named(production.all(Camera), camera, "camera", file)
        setups = _named(production.all(Setup), setup, "setup", file)
        wish = Wish(model, metric_in(metric), cameras, setups, to_hero, release)
        done = with_progress(
            "reading charts",
            lambda tell: balance_charts(production, config_of(production), wish, jobs, tell),
        )
        data = {"balances": [balance_data(production, k) for k in done.kept], "troubles": done.troubles}
    printed(data, as_json, say_balance)
    raise typer.Exit(0 if not data["troubles"] else 1)


def _named(records: list[Any], name: str | None, what: str, file: Path) -> frozenset[str]:
    found = {r.id for r in records if name is None or r.name == name}
    if not found:
        raise AquinError(
            f"there is no {what} '{name}'", file, f"There are: {', '.join(r.name for r in records)}"
        )
    return frozenset(found)


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
    camera: of.CameraName = None,
    keep: Annotated[
        bool, typer.Option("--keep", help="With a production: use the measured encoding for the camera.")
    ] = False,
    compare: Annotated[
        str | None, typer.Option("--compare", help="A known encoding to compare with.")
    ] = None,
    layout_name: of.LayoutName = "24-patch",
    corners: of.Corners = None,
    metric: of.MetricName = "dE00",
    matrix: of.Matrix = None,
    range: of.Range = None,
    size: of.Size = 65,
    config: of.Config = None,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """Recover a camera's curve and matrix from an exposure series of a chart."""
    get_ready()
    from aquin.cli.words.charts import say_profile
    from aquin.jobs.profile_series import ProfileAsk, profile_series

    ask = ProfileAsk(
        files=tuple(files),
        stops=stops_in(stops),
        out=out,
        name=name,
        camera=camera,
        keep=keep,
        compare=compare,
        layout=layout_name,
        corners=corners_in(corners),
        metric=metric_in(metric),
        matrix=matrix,
        range=range,
        size=size,
        config=config,
        jobs=jobs,
        force=force,
    )
    data = with_progress("reading the series", lambda tell: profile_series(ask, tell))
    printed(data, as_json, say_profile)
    raise typer.Exit(1 if data["warnings"] else 0)


def identify(
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    layout_name: of.LayoutName = "24-patch",
    corners: of.Corners = None,
    frame: Annotated[int | None, typer.Option("--frame")] = None,
    count: Annotated[int, typer.Option("--count", min=1, help="How many to list.")] = 8,
    matrix: of.Matrix = None,
    range: of.Range = None,
    config: of.Config = None,
    as_json: of.AsJson = False,
) -> None:
    """Rank all encodings of the configuration by how well each explains the chart in FILE. Exit 1 when none fits."""
    from aquin.cli.words.charts import say_identification
    from aquin.jobs.identify_chart import identify_chart

    data = identify_chart(file, layout_name, corners_in(corners), frame, count, matrix, range, config)
    printed(data, as_json, say_identification)
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
    camera: of.CameraName = None,
    policy: Annotated[
        str | None, typer.Option("--policy", help="bright or protect; the production's if left out.")
    ] = None,
    limits: Annotated[
        str | None, typer.Option("--limits", help="mired=5.5,duv=2,skin=3,noise=3,resolution=0.8,clipped=1")
    ] = None,
    report: Annotated[Path | None, typer.Option("--report", help="Write it as .pdf or .html")] = None,
    layout_name: of.LayoutName = "24-patch",
    corners: of.Corners = None,
    matrix: of.Matrix = None,
    range: of.Range = None,
    config: of.Config = None,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """How far over and under a camera may be: colour shift, noise, resolution and clipping per stop."""
    get_ready()
    from aquin.cli.words.charts import say_latitude
    from aquin.jobs.latitude_series import LatitudeAsk, latitude_series

    ask = LatitudeAsk(
        files=tuple(files),
        stops=stops_in(stops),
        encoding=encoding,
        camera=camera,
        policy=policy,
        limits=limits_in(limits),
        report=report,
        layout=layout_name,
        corners=corners_in(corners),
        matrix=matrix,
        range=range,
        config=config,
        jobs=jobs,
        force=force,
    )
    data = with_progress("reading the series", lambda tell: latitude_series(ask, tell))
    printed(data, as_json, say_latitude)


COMMANDS = (layouts, chart, balance, profile, identify, latitude)

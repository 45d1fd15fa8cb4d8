"""The `aquin` command. Exit 0: done; 1: done with findings; 2: wrong use or unreadable input (one line on stderr)."""

import json
import sys
from pathlib import Path
from typing import Annotated, Any, NoReturn

import typer

from aquin import __version__
from aquin.cli.commands import charts, production, simulate
from aquin.errors import AquinError

UsageError: Any = typer.BadParameter.__base__
"""What the command-line library raises for wrong use; it exports only this child of it."""

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help="Aquin matches the cameras of a multi-camera shoot. Without a command it opens its window.",
)

AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
Config = Annotated[
    Path | None,
    typer.Option(
        "--config",
        help="A config.ocio file. Without it: the config.ocio beside the file or up to three folders up, else the built-in one.",
    ),
]
Matrix = Annotated[str | None, typer.Option(help="Override the YCbCr matrix: bt601, bt709, bt2020.")]
Range = Annotated[str | None, typer.Option(help="Override the signal range: full or legal.")]
LayoutName = Annotated[str, typer.Option("--layout", help="Chart layout by name, or a .json file.")]
Force = Annotated[bool, typer.Option("--force", help="Overwrite OUT.")]


app.add_typer(simulate.app, name="simulate")
production.register(app)
charts.register(app)


@app.callback(invoke_without_command=True)
def main(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
    session: Annotated[
        Path | None, typer.Option("--open", help="Open the window with a production, or a saved session.")
    ] = None,
) -> None:
    if version:
        print(__version__)
        raise typer.Exit
    if context.invoked_subcommand is None:
        from aquin.cli import window

        raise typer.Exit(window.open_window(session))


@app.command()
def demo(
    dir: Annotated[Path | None, typer.Option("--dir", help="Where the demo is built and kept.")] = None,
    no_window: Annotated[bool, typer.Option("--no-window", help="Film all of it and end.")] = False,
    screenshots: Annotated[
        Path | None,
        typer.Option("--screenshots", help="Draw every main view into this folder, without a screen."),
    ] = None,
) -> None:
    """Open the demo shoot. Where it is not there yet, its first takes are filmed now and the rest while the window is open."""
    from aquin.cli import window
    from aquin.own_files import demo_folder
    from aquin.simulate.demo import build_demo, film_first_takes
    from aquin.simulate.logbook import log_demo

    folder = (dir if dir is not None else demo_folder()).absolute()
    if no_window:
        session = with_progress("filming the demo shoot", lambda tell: build_demo(folder, tell))
        with_progress("logging and auditing it", lambda tell: log_demo(folder, tell, audit=True))
    else:
        session = with_progress("filming the first takes", lambda tell: film_first_takes(folder, tell))
        with_progress("logging them", lambda tell: log_demo(folder, tell))
    print(f"demo: {session}", file=sys.stderr)
    if screenshots is not None:
        for path in window.save_screenshots(session, screenshots):
            print(path)
    elif not no_window:
        raise typer.Exit(window.open_window(session, folder))


@app.command()
def levels(
    encoding: Annotated[str, typer.Argument(metavar="ENC")], config: Config = None, as_json: AsJson = False
) -> None:
    """Where grey, white and black of a camera encoding must sit."""
    from aquin.cli.show import levels_data, show_levels
    from aquin.colour.levels import levels_of

    found = levels_data(levels_of(_config(config), encoding))
    _out(found) if as_json else show_levels(found)


@app.command()
def encodings(
    words: Annotated[list[str] | None, typer.Argument(help="Only those that hold all these words.")] = None,
    add: Annotated[
        Path | None,
        typer.Option("--add", help="A camera encoding as JSON: name, primaries, white, log curve."),
    ] = None,
    out: Annotated[Path | None, typer.Option("--out", help="With --add: the config.ocio to write.")] = None,
    config: Config = None,
    force: Force = False,
    as_json: AsJson = False,
) -> None:
    """List the encodings of the configuration, or add one of your own to a copy of it."""
    loaded = _config(config)
    if add is not None:
        from aquin.colour.encoding import CameraEncoding
        from aquin.files import write_safely

        if out is None:
            raise AquinError("--add needs --out", None, "Name the config.ocio to write")
        camera = CameraEncoding.read(add)
        text = loaded.with_encodings(camera).text()
        write_safely(out, lambda p: _put(p, text), force)
        _out({"added": camera.name, "config": str(out)}) if as_json else print(f"{camera.name} is in {out}")
        return
    found = [e for e in loaded.encodings() if e.fits(" ".join(words or []))]
    if as_json:
        _out(
            {
                "config": loaded.label,
                "encodings": [
                    {"name": e.name, "family": e.family, "kind": e.kind, "aliases": e.aliases} for e in found
                ],
            }
        )
    else:
        for e in found:
            print(f"{e.name:44} {e.kind:14} {e.family}")
    raise typer.Exit(0 if found else 1)


@app.command()
def match(
    hero: Annotated[Path, typer.Argument(metavar="HERO")],
    shot: Annotated[Path, typer.Argument(metavar="SHOT")],
    hero_encoding: Annotated[str, typer.Option("--hero-encoding")],
    shot_encoding: Annotated[str, typer.Option("--shot-encoding")],
    out: Annotated[Path, typer.Option("--out", help="The grade: .cdl .cc .ccc .clf .cube")],
    by: Annotated[
        str, typer.Option("--by", help="Evidence: auto, chart, points, statistics or pairs.")
    ] = "auto",
    model: Annotated[
        str | None,
        typer.Option(
            "--model",
            help="gains, cdl, matrix, root, each also as NAME+warp, or full (CDL, tone curve, hue warp); the best CDL if left out.",
        ),
    ] = None,
    layout_name: LayoutName = "24-patch",
    hero_frame: Annotated[int | None, typer.Option("--hero-frame")] = None,
    shot_frame: Annotated[int | None, typer.Option("--shot-frame")] = None,
    weight: Annotated[
        str,
        typer.Option(
            "--weight", help="What counts: frame, skin, or auto: what leaves less where both show skin."
        ),
    ] = "auto",
    again: Annotated[
        bool,
        typer.Option("--second-pass", help="Fit a tone curve and a hue warp to what is left, if that helps."),
    ] = False,
    strength: Annotated[
        float, typer.Option("--strength", help="How much of the correction, in per cent.")
    ] = 100.0,
    pairs: Annotated[
        list[str] | None,
        typer.Option(
            "--pair",
            metavar="X,Y:X,Y",
            help="The same thing in hero and shot, in pixels; may be given again.",
        ),
    ] = None,
    size: Annotated[int, typer.Option("--size", help="Points of a .cube: 33 or 65.")] = 65,
    config: Config = None,
    force: Force = False,
    as_json: AsJson = False,
) -> None:
    """Match SHOT to HERO by charts, by what both saw, or by statistics, and write the grade."""
    from aquin.cli.show import MatchAsk, match_data, show_match
    from aquin.match.engine import BYS
    from aquin.measure.ledger import MAIN

    if by not in BYS:
        raise AquinError(f"there is no evidence called '{by}'", None, f"Use one of {', '.join(BYS)}")
    if weight not in ("auto", "frame", "skin"):
        raise AquinError(f"there is no weight '{weight}'", None, "Use auto, frame or skin")
    if not 0 <= strength <= 100:
        raise AquinError("the strength lies from 0 to 100 %", None, "Name another number")
    loaded = _config(config, hero)
    heroes, shots = _clip(hero, hero_encoding, loaded), _clip(shot, shot_encoding, loaded)
    ask = MatchAsk(
        out,
        by,
        weight,
        model,
        layout_name,
        hero_frame,
        shot_frame,
        strength / 100,
        _pairs(pairs or []),
        size,
        force,
        again,
    )
    data, proof = match_data(heroes, shots, ask, loaded)
    if as_json:
        _out(data)
    else:
        show_match(data, out, proof)
    settled = all(row["within"] for row in data["ledger"] if row["axis"] in MAIN)
    raise typer.Exit(0 if settled and not data["warnings"] else 1)


def _pairs(texts: list[str]) -> tuple[tuple[tuple[float, float], tuple[float, float]], ...]:
    """`X,Y:X,Y` as places. Raises AquinError."""
    out = []
    for text in texts:
        try:
            (ax, ay), (bx, by) = (tuple(float(v) for v in side.split(",")) for side in text.split(":"))
        except ValueError as error:
            raise AquinError(
                f"'{text}' is no pair of places", None, "Write --pair X,Y:X,Y in pixels"
            ) from error
        out.append(((ax, ay), (bx, by)))
    return tuple(out)


@app.command()
def render(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="A picture or movie, or a production.")],
    out: Annotated[Path, typer.Option("--out", help="The picture: .exr .tif .png .dpx")],
    encoding: Annotated[str | None, typer.Option("--encoding", help="How FILE was recorded.")] = None,
    shot: Annotated[
        str | None, typer.Option("--shot", help="A shot of the production, with its grade, regions and all.")
    ] = None,
    grade: Annotated[
        Path | None, typer.Option("--grade", help="A grade on ACEScct: .cdl .cc .ccc .clf .cube")
    ] = None,
    to: Annotated[str | None, typer.Option("--to", help="Encoding of the result.")] = None,
    display: Annotated[str | None, typer.Option("--display")] = None,
    view: Annotated[str | None, typer.Option("--view")] = None,
    frame: Annotated[int | None, typer.Option("--frame")] = None,
    timecode: Annotated[str | None, typer.Option("--timecode")] = None,
    matrix: Matrix = None,
    range: Range = None,
    develop: charts.Develop = None,
    config: Config = None,
    force: Force = False,
    as_json: AsJson = False,
) -> None:
    """One frame through the exact chain, in float: input transform, grade, then an encoding or a display's view."""
    from aquin.cli.show import render_picture, render_shot

    if file.suffix.lower() == ".aquin":
        if shot is None:
            raise AquinError("a production needs a shot", file, "Name it with --shot")
        for name, given in (("encoding", encoding), ("grade", grade), ("matrix", matrix), ("range", range), ("develop", develop), ("config", config)):  # fmt: skip
            if given is not None:
                raise AquinError(f"a production's shot has its own {name}", file, f"Leave --{name} out")
        data = render_shot(file, shot, out, to, display, view, frame, timecode, force)
        _out(data) if as_json else print(f"{data['out']}: frame {data['frame']} as {data['to']}")
        return
    if encoding is None:
        raise AquinError("how the file was recorded is not known", file, "Name it with --encoding")
    loaded = _config(config, file)
    clip = _clip(file, encoding, loaded, matrix, range, charts.raw_of(develop))
    data = render_picture(clip, loaded, out, grade, to, display, view, _number(clip, frame, timecode), force)
    _out(data) if as_json else print(f"{data['out']}: frame {data['frame']} as {data['to']}")


def run() -> NoReturn:
    """Entry point: one clear line for every expected failure."""
    try:
        code = app(standalone_mode=False)
    except AquinError as error:
        _fail(error.line())
    except typer.Abort:
        sys.exit(2)
    except UsageError as error:
        hint = f". See: {error.ctx.command_path} --help" if error.ctx else ""
        _fail(" ".join(error.format_message().split()).rstrip(".") + hint)
    except KeyboardInterrupt:
        _fail("stopped")
    except BrokenPipeError:
        sys.exit(0)
    sys.exit(code if isinstance(code, int) else 0)


def _fail(line: str) -> NoReturn:
    print(f"aquin: {line}", file=sys.stderr)
    sys.exit(2)


def _out(data: dict[str, Any]) -> None:
    print(json.dumps(data, allow_nan=False))


def _config(path: Path | None, beside: Path | None = None) -> Any:
    from aquin.colour.config import ColourConfig

    return ColourConfig.find(path, beside)


def _clip(
    file: Path,
    encoding: str,
    config: Any,
    matrix: str | None = None,
    range: str | None = None,
    raw: Any = None,
) -> Any:
    from aquin.measure.clip import Clip

    if matrix not in (None, "bt601", "bt709", "bt2020"):
        raise AquinError(f"there is no matrix '{matrix}'", None, "Use bt601, bt709 or bt2020")
    if range not in (None, "full", "legal"):
        raise AquinError(f"there is no range '{range}'", None, "Use full or legal")
    return Clip.open(file, encoding, config, matrix, range, raw)  # type: ignore[arg-type]


def _number(clip: Any, frame: int | None, timecode: str | None) -> int | None:
    if timecode is None:
        return frame
    return int(clip.source.number_at(timecode))


def _corners(text: str | None) -> Any:
    if text is None:
        return None
    try:
        numbers = [float(t) for t in text.replace(";", ",").split(",")]
    except ValueError:
        numbers = []
    if len(numbers) != 8:
        raise AquinError(
            "--corners needs eight numbers",
            None,
            "Write x,y four times, with commas: 10,12,200,14,198,150,9,149",
        )
    return [numbers[k : k + 2] for k in (0, 2, 4, 6)]


def with_progress(title: str, work: Any) -> Any:
    """Run `work(tell)` with a progress bar and the time left on stderr."""
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

    with Progress(
        TextColumn(title),
        BarColumn(),
        TimeRemainingColumn(),
        TextColumn("{task.description}"),
        console=Console(stderr=True),
        transient=True,
        disable=not sys.stderr.isatty(),
    ) as bar:
        task = bar.add_task("", total=1.0)
        return work(lambda share, text: bar.update(task, completed=share, description=text))


def _put(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")

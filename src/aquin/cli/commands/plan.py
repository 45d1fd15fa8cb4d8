"""`aquin plan`: the chain and the exposure cards of a production, and what is given to the crew."""

from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import named_config, opened
from aquin.cli.output import printed
from aquin.errors import AquinError

Body = Annotated[str | None, typer.Option("--camera", help="A camera, for the options after it.")]
Encoding = Annotated[
    str | None, typer.Option("--encoding", help="How this camera records, by a name of the configuration.")
]
Note = Annotated[str, typer.Option("--note", help="Why, where the encoding only stands in.")]
Preset = Annotated[
    str | None,
    typer.Option("--preset", help="keep: remember the camera's encoding; use: take the remembered one."),
]
Nearest = Annotated[bool, typer.Option("--nearest", help="Rank the known encodings by this camera's charts.")]
Policy = Annotated[str | None, typer.Option("--policy", help="bright or protect.")]
Stops = Annotated[
    float | None, typer.Option("--stops", help="With --policy: where it puts grey, from the curve's target.")
]
Config = Annotated[Path | None, typer.Option("--config", help="Use this config.ocio for the production.")]
Display = Annotated[str | None, typer.Option("--display", help="With --view: add a deliverable.")]
SheetOut = Annotated[Path | None, typer.Option("--sheet", help="Write the crew sheet: .pdf or .html.")]
LutsOut = Annotated[
    Path | None, typer.Option("--luts", help="Write a monitor LUT of each camera into this folder.")
]

LookName = Annotated[
    str | None, typer.Option("--look", help="Of LUTs: a look by its name, or off; else the one that is on.")
]
LevelSchool = Annotated[
    str | None, typer.Option("--levels", help="School of level targets: bright, restrained, dark or own.")
]


def plan(
    file: of.File,
    camera: Body = None,
    encoding: Encoding = None,
    note: Note = "",
    preset: Preset = None,
    nearest: Nearest = False,
    policy: Policy = None,
    stops: Stops = None,
    config: Config = None,
    display: Display = None,
    view: Annotated[str | None, typer.Option("--view")] = None,
    sheet: SheetOut = None,
    luts: LutsOut = None,
    size: Annotated[int, typer.Option("--size", help="Points of a LUT: 17, 33 or 65.")] = 33,
    range: Annotated[str, typer.Option("--range", help="Codes of a LUT: full or legal.")] = "full",
    look: LookName = None,
    levels: LevelSchool = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """The chain from screens to cameras with its checks, and exposure cards. Exit 1 when a link is not right."""
    from aquin.cli.words.plan import chain_data, say_plan
    from aquin.jobs.crew_sheet import write_sheet
    from aquin.jobs.monitor_luts import write_luts
    from aquin.production.plan import chain_of
    from aquin.production.settings import choose_config, config_of

    with opened(file) as production:
        if config is not None:
            choose_config(production, named_config(config))
        colours = config_of(production)
        _asked(production, colours, policy, stops, levels, display, view)
        data: dict[str, Any] = {}
        if preset is not None:
            _preset(production, colours, _camera(production, camera, file), preset)
        if encoding is not None or nearest:
            body = _camera(production, camera, file)
            if encoding is not None:
                body = replace(body, encoding=colours.resolve(encoding), encoding_note=note)
                production.change(f"encoding of {body.name}", body, why=note)
            data |= {"nearest": _nearest(production, colours, body)} if nearest else {}
        chain = chain_of(production, colours)
        data |= chain_data(chain)
        if luts is not None:
            carried = _look(production, colours, look)
            written = write_luts(colours, chain, luts, 0, size, range, force, carried)
            data["luts"] = [
                {"camera": w.camera, "file": str(w.file), "error_code10": w.error_code10} for w in written
            ]
        if sheet is not None:
            write_sheet(production, chain, sheet, force, colours)
            data["sheet"] = str(sheet)
    printed(data, as_json, say_plan)
    checks = [
        data["working"],
        *(s["check"] for s in data["screens"]),
        *(c for x in data["cameras"] for c in x["checks"]),
    ]
    raise typer.Exit(1 if data["differing"] or any(c["state"] != "right" for c in checks) else 0)


def _asked(
    production: Any,
    colours: Any,
    policy: str | None,
    stops: float | None,
    levels: str | None,
    display: str | None,
    view: str | None,
) -> None:
    """What was decided for the whole production."""
    if policy is not None:
        _policy(production, policy, stops)
    if levels is not None:
        _levels(production, levels)
    if display or view:
        _deliverable(production, colours, display or "", view or "")


def _policy(production: Any, policy: str, stops: float | None) -> None:
    from aquin.production.plan import choose_policy

    if policy not in ("bright", "protect"):
        raise AquinError(f"there is no policy '{policy}'", None, "Use bright or protect")
    choose_policy(production, policy, stops)  # type: ignore[arg-type]


def _levels(production: Any, school: str) -> None:
    from aquin.measure.targets import SCHOOLS
    from aquin.production.levels import choose_school

    if school not in SCHOOLS:
        raise AquinError(f"there is no school '{school}'", None, f"There are: {', '.join(SCHOOLS)}")
    choose_school(production, school)


def _look(production: Any, config: Any, name: str | None) -> Any:
    """The look that monitor LUTs carry: the one that is on for all setups, or the named one."""
    from aquin.cli.opening import look_in
    from aquin.production.looks import look_for

    return look_for(production, config, "") if name is None else look_in(production, config, None, name)


def _deliverable(production: Any, colours: Any, display: str, view: str) -> None:
    from aquin.production.settings import Deliverable, deliverables_of, keep_deliverables

    colours.view(display, view)
    kept = [*deliverables_of(production, colours), Deliverable(display, display, view)]
    keep_deliverables(production, kept, f"deliverable {display}")


def _camera(production: Any, name: str | None, file: Path) -> Any:
    from aquin.production.records import Camera

    cameras = {c.name: c for c in production.all(Camera)}
    if name not in cameras:
        raise AquinError(
            f"there is no camera '{name or ''}'", file, f"There are: {', '.join(cameras) or 'none yet'}"
        )
    return cameras[name]


def _preset(production: Any, config: Any, camera: Any, what: str) -> None:
    from aquin.own_files import remembered_file
    from aquin.production.remembered import Remembered

    kept = Remembered.read(remembered_file())
    if what == "keep":
        kept.keep_camera(camera.name, camera.encoding, camera.range, camera.encoding_note)
    elif what == "use":
        if camera.name not in kept.cameras:
            raise AquinError(
                f"no preset is kept for {camera.name}",
                None,
                f"There are: {', '.join(kept.cameras) or 'none'}",
            )
        held = kept.cameras[camera.name]
        new = replace(
            camera,
            encoding=config.resolve(held["encoding"]),
            range=held.get("range", ""),
            encoding_note=held.get("note", ""),
        )
        production.change(f"{camera.name}: as in earlier productions", new)
    else:
        raise AquinError(f"'{what}' is no use of a preset", None, "Use keep or use")


def _nearest(production: Any, config: Any, camera: Any) -> list[dict[str, Any]]:
    from aquin.production.stand_in import nearest_for

    return [
        {
            "encoding": c.encoding,
            "score": c.score,
            "rms_stops": c.rms_stops,
            "slope": c.slope,
            "delta_e00_mean": c.delta_e00,
        }
        for c in nearest_for(production, config, camera)
    ]


COMMANDS = (plan,)

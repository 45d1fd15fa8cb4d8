"""`aquin plan`: the chain and the exposure cards of a production, and what is given to the crew."""

import json
from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.errors import AquinError

File = Annotated[Path, typer.Argument(metavar="PRODUCTION", help="A production file (.aquin).")]


def plan(
    file: File,
    camera: Annotated[
        str | None, typer.Option("--camera", help="A camera, for the options after it.")
    ] = None,
    encoding: Annotated[
        str | None,
        typer.Option("--encoding", help="How this camera records, by a name of the configuration."),
    ] = None,
    note: Annotated[str, typer.Option("--note", help="Why, where the encoding only stands in.")] = "",
    preset: Annotated[
        str | None,
        typer.Option("--preset", help="keep: remember the camera's encoding; use: take the remembered one."),
    ] = None,
    nearest: Annotated[
        bool, typer.Option("--nearest", help="Rank the known encodings by this camera's charts.")
    ] = False,
    policy: Annotated[str | None, typer.Option("--policy", help="bright or protect.")] = None,
    stops: Annotated[
        float | None,
        typer.Option("--stops", help="With --policy: where it puts grey, from the curve's target."),
    ] = None,
    config: Annotated[
        Path | None, typer.Option("--config", help="Use this config.ocio for the production.")
    ] = None,
    display: Annotated[str | None, typer.Option("--display", help="With --view: add a deliverable.")] = None,
    view: Annotated[str | None, typer.Option("--view")] = None,
    sheet: Annotated[
        Path | None, typer.Option("--sheet", help="Write the crew sheet: .pdf or .html.")
    ] = None,
    luts: Annotated[
        Path | None, typer.Option("--luts", help="Write a monitor LUT of each camera into this folder.")
    ] = None,
    size: Annotated[int, typer.Option("--size", help="Points of a LUT: 17, 33 or 65.")] = 33,
    range: Annotated[str, typer.Option("--range", help="Codes of a LUT: full or legal.")] = "full",
    force: Annotated[bool, typer.Option("--force", help="Overwrite what is there.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")] = False,
) -> None:
    """The chain from screens to cameras with its checks, and exposure cards. Exit 1 when a link is not right."""
    from aquin.cli.commands.production import opened
    from aquin.production.plan import chain_of, choose_policy
    from aquin.production.settings import (
        Deliverable,
        choose_config,
        config_of,
        deliverables_of,
        keep_deliverables,
    )

    with opened(file) as production:
        if config is not None:
            choose_config(production, config)
        colours = config_of(production)
        if policy is not None:
            if policy not in ("bright", "protect"):
                raise AquinError(f"there is no policy '{policy}'", None, "Use bright or protect")
            choose_policy(production, policy, stops)  # type: ignore[arg-type]
        if display or view:
            colours.view(display or "", view or "")
            kept = [
                *deliverables_of(production, colours),
                Deliverable(display or "", display or "", view or ""),
            ]
            keep_deliverables(production, kept, f"deliverable {display}")
        data: dict[str, Any] = {}
        if preset is not None:
            _preset(production, colours, _camera(production, camera, file), preset)
        if encoding is not None or nearest:
            body = _camera(production, camera, file)
            if encoding is not None:
                body = replace(body, encoding=colours.resolve(encoding), encoding_note=note)
                production.change(f"encoding of {body.name}", body, why=note)
            if nearest:
                data["nearest"] = _nearest(production, colours, body)
        chain = chain_of(production, colours)
        data |= chain_data(chain)
        if luts is not None:
            data["luts"] = _luts(production, colours, chain, luts, size, range, force)
        if sheet is not None:
            from aquin.exchange.crew_sheet import write_crew_sheet

            write_crew_sheet(sheet, sheet_of(production, chain), force)
            data["sheet"] = str(sheet)
    print(json.dumps(data, allow_nan=False)) if as_json else _say(data)
    checks = [
        data["working"],
        *(s["check"] for s in data["screens"]),
        *(c for x in data["cameras"] for c in x["checks"]),
    ]
    raise typer.Exit(1 if data["differing"] or any(c["state"] != "right" for c in checks) else 0)


def sheet_of(production: Any, chain: Any) -> Any:
    """The crew sheet of today."""
    from datetime import date

    from aquin.exchange.crew_sheet import Sheet
    from aquin.production.plan import checklist
    from aquin.production.settings import POLICIES, policy_of

    return Sheet(
        production.name,
        date.today().isoformat(),
        POLICIES[policy_of(production)],
        chain,
        tuple(checklist(production)),
    )


def chain_data(chain: Any) -> dict[str, Any]:
    """The chain as plain values."""

    def check(c: Any) -> dict[str, str]:
        return {"name": c.name, "state": c.state, "words": c.words}

    def level(v: Any) -> dict[str, float]:
        return {"signal": v.signal, "code10": v.code10}

    cameras = []
    for c in chain.cameras:
        card = c.card
        cameras.append(
            {
                "camera": c.camera.name,
                "shots": c.shots,
                "checks": [check(x) for x in c.checks],
                "card": None
                if card is None
                else {
                    "encoding": card.levels.encoding,
                    "range": card.range,
                    "grey": level(card.grey),
                    "white": level(card.white),
                    "ceiling": level(card.ceiling),
                    "floor": level(card.floor),
                    "stops_above": card.above,
                    "stops_below": card.below,
                    "asked_stops": card.asked_stops,
                    "asked": level(card.asked),
                    "headroom": card.headroom,
                },
            }
        )
    screens = [
        {
            "name": s.deliverable.name, "display": s.deliverable.display, "view": s.deliverable.view, "check": check(s.check),
            "grey": s.grey, "white": s.white, "reach_stops": s.reach, "plain": s.plain,
        }
        for s in chain.screens
    ]  # fmt: skip
    return {
        "screens": screens,
        "working": check(chain.working),
        "cameras": cameras,
        "differing": list(chain.differing),
    }


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


def _luts(
    production: Any, config: Any, chain: Any, folder: Path, size: int, range: str, force: bool
) -> list[dict[str, Any]]:
    from aquin.exchange.monitor import write_monitor_lut
    from aquin.exchange.names import safe_name

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise AquinError(f"the folder can't be made ({error.strerror})", folder, "Choose another") from error
    out = []
    first = chain.screens[0].deliverable
    for c in chain.cameras:
        if c.card is not None:
            path = folder / f"{safe_name(c.camera.name)}-monitor.cube"
            off = write_monitor_lut(
                path,
                config,
                c.card.levels.encoding,
                first.display,
                first.view,
                size,
                range,
                c.card.asked_stops,
                force,
            )
            out.append({"camera": c.camera.name, "file": str(path), "error_code10": off})
    return out


def _say(data: dict[str, Any]) -> None:
    marks = {"right": "ok", "doubt": "??", "wrong": "!!"}
    for s in data["screens"]:
        print(
            f"screen   {marks[s['check']['state']]} {s['name']}: {s['view']}; {s['check']['words']}, grey at {s['grey']:.1f} %"
        )
    print(f"working  {marks[data['working']['state']]} {data['working']['name']}: {data['working']['words']}")
    for c in data["cameras"]:
        print(f"camera   {c['camera']}, {c['shots']} recordings")
        for check in c["checks"]:
            print(f"           {marks[check['state']]} {check['name']}: {check['words']}")
        if card := c["card"]:
            levels = ", ".join(
                f"{n} {card[n]['signal']:.1f} % ({card[n]['code10']})"
                for n in ("grey", "white", "floor", "ceiling")
            )
            print(
                f"           {levels}; {card['stops_above']:.1f} st above grey, {card['stops_below']} below"
            )
            print(
                f"           asked: grey at {card['asked']['signal']:.1f} % ({card['asked_stops']:+.1f} st), {card['headroom']:.1f} st left above it"
            )
    for line in data["differing"]:
        print(f"note     {line}")
    for c in data.get("nearest", []):
        print(
            f"nearest  {c['encoding']}: {c['rms_stops']:.3f} st rms, slope {c['slope']:.3f}, dE00 {c['delta_e00_mean']:.2f}"
        )
    for lut in data.get("luts", []):
        print(f"LUT      {lut['file']}: within {lut['error_code10']:.1f} codes of 10 bit (99.9 %)")
    if "sheet" in data:
        print(f"sheet    {data['sheet']}")

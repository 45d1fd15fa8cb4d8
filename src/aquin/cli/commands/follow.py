"""`aquin follow`: light that changes within a take, and grades that move with it."""

from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import opened, shot_of
from aquin.cli.output import printed, with_progress
from aquin.errors import AquinError


def follow(
    file: of.File,
    shots: Annotated[list[str] | None, typer.Argument(metavar="[SHOT]...")] = None,
    keep: Annotated[
        bool, typer.Option("--keep", help="Give shots in which light changes the keys that follow it.")
    ] = False,
    forget: Annotated[
        bool, typer.Option("--forget", help="Hold the shots still again, as they are where they were solved.")
    ] = False,
    tolerance: Annotated[
        float, typer.Option("--tolerance", help="Stops of a channel that keys may leave, 0.01 to 1.")
    ] = 0.03,
    out: Annotated[
        Path | None, typer.Option("--out", help="One shot's keys as a change list: .csv .json .ccc")
    ] = None,
    every: Annotated[
        bool, typer.Option("--every", help="With --out: what holds at every frame instead of at keys.")
    ] = False,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """How light changes within shots (all of them if none is named), and the fewest keys that take it back; exit 1 when
    one is left that changes.
    """
    from aquin.jobs.follow_light import follow_light, forget_keys, write_list
    from aquin.production import Shot
    from aquin.production.settings import config_of

    if not 0.01 <= tolerance <= 1:
        raise AquinError(f"{tolerance} is no tolerance", None, "Use 0.01 to 1 stop")
    if keep and forget:
        raise AquinError("--keep and --forget exclude each other", None, "Use one of them")
    if out is not None and len(shots or []) != 1:
        raise AquinError("a change list is of one shot", out, "Name the shot")
    with opened(file, read_only=not (keep or forget)) as production:
        config = config_of(production)
        named = [shot_of(production, n, file) for n in shots or []]
        chosen = named or [s for s in production.all(Shot) if s.kind == "shot" and not s.trouble]
        held = forget_keys(production, config, chosen) if forget else []
        found = with_progress(
            "comparing frames",
            lambda tell: follow_light(production, config, chosen, keep, tolerance, jobs, tell),
        )
        data: dict[str, Any] = {"shots": found, "held_still": held}
        if out is not None:
            data |= {"out": str(out), "rows": write_list(production, named[0], out, every, force)}
    printed(data, as_json, _say)
    if any(s.get("changes") and not s.get("kept") for s in data["shots"]):
        raise typer.Exit(1)


def _say(data: dict[str, Any]) -> None:
    for name in data["held_still"]:
        print(f"{name}: held still again")
    for one in data["shots"]:
        if "trouble" in one:
            print(f"{one['shot']}: {one['trouble']}")
            continue
        sure = max((s["error"] for s in one["seen"]), default=0.0)
        print(
            f"{one['shot']}: {one['words']} (\u00b1{sure:.2f} st, {len(one['seen'])} frames by {one['by']})"
        )
        keys = one["keys"] or (one["proposed"] if one["changes"] else [])
        word = "has" if one["keys"] else "would get"
        for k in keys:
            print(f"  {word} at frame {k['frame']:>7}  {k['stops']:+z.2f} st  {k['mired']:+z.0f} mired")
        if one["changes"] and not one["keys"]:
            print(f"  which leaves {one['left_stops']:.2f} st; keep them with --keep")
    if "out" in data:
        print(f"{data['out']}: {data['rows']} rows")

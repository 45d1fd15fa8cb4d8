"""`aquin beside`: a production's shot beside its hero's moment, and what a person says of the two."""

from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import opened, pairs_in, shot_of
from aquin.cli.output import printed

SAME_HELP = "A place in the hero and the place of the same thing in the shot, in pixels. Repeatable."


def beside(
    file: of.File,
    shot: Annotated[str, typer.Argument(metavar="SHOT")],
    change: Annotated[
        list[int] | None,
        typer.Option("--strike", help="Let a material not count, by its number, or count again. Repeatable."),
    ] = None,
    same: Annotated[list[str] | None, typer.Option("--same", metavar="X,Y:X,Y", help=SAME_HELP)] = None,
    forget: Annotated[bool, typer.Option("--forget", help="Take back what was said of the shot.")] = False,
    as_json: of.AsJson = False,
) -> None:
    """How far a shot is from its hero by its picture: what the same materials, points and named things say."""
    from aquin.jobs.beside_shot import look_beside
    from aquin.production.settings import config_of

    writes = bool(change or same or forget)
    with opened(file, read_only=not writes) as production:
        one = shot_of(production, shot, file)
        places = pairs_in(same or [], "--same")
        data = look_beside(production, config_of(production), one, change or (), places, forget)
    printed(data, as_json, _say)


def _say(data: dict[str, Any]) -> None:
    print(f"{data['shot']} beside {data['hero']}, frames {data['frames'][1]} and {data['frames'][0]}")
    if not data["off"]:
        print("  nothing says how far it is off")
    for axis, v in data["off"].items():
        print(f"  {axis:10} {v['value']:+8.2f} ±{v['error']:.2f}   by {data['by']}")
    off = data["taken_off"]
    if any(off.values()):
        print(
            f"  from this camera's place materials read {off['stops']:+z.2f} st and {off['mired']:+z.0f} mired, "
            "as a card before both tells: it is taken off"
        )
    for m in data["materials"]:
        print(f"  material {m['line']}")
    for n in data["named"]:
        r, g, b = n["stops_as_filmed"]
        print(f"  named      {r:+z.2f} {g:+z.2f} {b:+z.2f} st of red, green, blue as filmed")

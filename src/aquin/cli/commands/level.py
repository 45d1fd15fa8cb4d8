"""`aquin level`: a shot against the production's level targets."""

from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import opened, shot_of
from aquin.cli.output import printed
from aquin.errors import AquinError


def level(
    file: of.File,
    shot_name: of.ShotName,
    school: Annotated[
        str | None, typer.Option("--school", help="bright, restrained, dark or own; else the production's.")
    ] = None,
    target: Annotated[
        list[str] | None,
        typer.Option("--target", help="A range of your own over that: ROW=LOW:HIGH, several times."),
    ] = None,
    keep: Annotated[
        bool, typer.Option("--keep", help="Keep school and ranges as the production's own targets.")
    ] = False,
    settle: Annotated[
        bool,
        typer.Option("--settle", help="Bring it there and keep it; what is matched to a hero goes along."),
    ] = False,
    neutral: Annotated[
        str | None,
        typer.Option("--neutral", metavar="X,Y", help="Something neutral in its middle frame, in pixels."),
    ] = None,
    tie: Annotated[
        str | None,
        typer.Option(
            "--tie", metavar="SHOT", help="Tie this hero to another: its skin level, its neutral; - lets go."
        ),
    ] = None,
    as_json: of.AsJson = False,
) -> None:
    """Where a shot stands against the level targets as its deliverable shows it: tones, neutrals by zones, skin,
    saturation; exit 1 when a row is out of its range.
    """
    from aquin.jobs.level_shot import keep_standing, level_data, stand
    from aquin.measure.targets import SCHOOLS
    from aquin.production.levels import choose_school, targets_in, with_own
    from aquin.production.levels import tie as tie_heroes
    from aquin.production.settings import config_of

    if school is not None and school not in SCHOOLS:
        raise AquinError(f"there is no school '{school}'", None, f"There are: {', '.join(SCHOOLS)}")
    own = dict(_range(t) for t in target or [])
    writes = settle or keep or tie is not None
    with opened(file, read_only=not writes) as production:
        config = config_of(production)
        shot = shot_of(production, shot_name, file)
        targets = with_own(targets_in(production, school), own)
        if keep:
            choose_school(production, targets.school, targets.ranges if own else None)
        if tie is not None:
            tie_heroes(production, shot, None if tie == "-" else shot_of(production, tie, file))
        at = None if neutral is None else _place(neutral, shot.width, shot.height)
        standing = stand(production, config, shot, targets, settle, at)
        went = keep_standing(production, config, shot, standing) if settle else []
        data = level_data(production, shot, standing, went)
    printed(data, as_json, _say)
    if not all(r["within"] for r in data["rows"]):
        raise typer.Exit(1)


def _range(text: str) -> tuple[str, tuple[float, float]]:
    try:
        name, numbers = text.split("=")
        low, high = (float(v) for v in numbers.split(":"))
    except ValueError as error:
        raise AquinError(
            f"'{text}' is no target", None, "For example: --target 'white ceiling=75:85'"
        ) from error
    return name.strip(), (low, high)


def _place(text: str, width: int, height: int) -> tuple[float, float]:
    try:
        x, y = (float(v) for v in text.split(","))
    except ValueError as error:
        raise AquinError(f"'{text}' is no place", None, "Write --neutral X,Y in pixels") from error
    if not (0 <= x < width and 0 <= y < height):
        raise AquinError(f"{text} lies outside of the picture", None, f"It is {width} x {height}")
    return x / max(width - 1, 1), y / max(height - 1, 1)


def _say(data: dict[str, Any]) -> None:
    tied = f", tied to {data['tied_to']}" if data["tied_to"] else ""
    print(f"{data['shot']}: {data['school']}{tied}; neutrals by {data['neutral_by']}")
    for r in data["rows"]:
        low, high = r["target"]
        state = "within" if r["within"] else "off"
        doubt = f" \u00b1{r['doubt']:.1f}" if r["doubt"] else ""
        print(
            f"  {r['axis']:15} {low:7.1f} to {high:5.1f}  {r['before']:7.1f} -> {r['after']:7.1f}{doubt} {r['unit']}"
            f"  {state}" + (f": {r['why']}" if r["why"] else "")
        )
    print(f"  clipped on the screen: {data['clipped_before']:.2f} % -> {data['clipped_after']:.2f} %")
    for line in data["warnings"]:
        print(f"  {line}")
    if data["apart_from_tied"]:
        said = ", ".join(f"{n} {v:+z.1f}" for n, v in data["apart_from_tied"].items())
        print(f"  beside {data['tied_to']}: {said}")
    if data["went_along"]:
        print(f"  along with it go: {', '.join(data['went_along'])}")


COMMANDS = (level,)

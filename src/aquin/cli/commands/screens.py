"""`aquin screens`: pictures on other screens, movies with their tags, and this screen's profile."""

from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import look_in, opened, shot_of
from aquin.cli.output import printed, with_progress
from aquin.errors import AquinError
from aquin.production.address import is_address, place_of

PRODUCTION = ".aquin"


def screens(
    file: Annotated[
        Path,
        typer.Argument(
            metavar="FILE",
            parser=place_of,
            help="A production, a delivered movie, or a monitor profile.",
        ),
    ],
    shot: Annotated[str | None, typer.Option("--shot", help="Of a production: this shot.")] = None,
    frame: of.Frame = None,
    screen: Annotated[
        list[str] | None, typer.Option("--screen", help="Only this screen. Repeatable; all if left out.")
    ] = None,
    look_name: Annotated[
        str | None, typer.Option("--look", help="Through this look, or off; else the one that is on.")
    ] = None,
    cut: Annotated[bool, typer.Option("--cut", help="The worst shots under each screen.")] = False,
    black: Annotated[float | None, typer.Option("--black", help="Black of the screens in cd/m2.")] = None,
    white: Annotated[float | None, typer.Option("--white", help="White of the screens in cd/m2.")] = None,
    lux: Annotated[float | None, typer.Option("--lux", help="Light on the screens in lux.")] = None,
    rate: Annotated[float | None, typer.Option("--rate", help="Mbit/s of the web encode.")] = None,
    meant: Annotated[
        str | None, typer.Option("--meant", help="Display that a movie is for; else BT.709 for BT.1886.")
    ] = None,
    config: of.Config = None,
    out: Annotated[Path | None, typer.Option("--out", help="Folder for a picture of each screen.")] = None,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """What other screens, wrong tags and players make of a picture; the tags of a movie; a monitor's profile."""
    from aquin.cli.words.screens import say

    numbers = {k: v for k, v in (("black", black), ("white", white), ("lux", lux)) if v is not None}
    _check(numbers, rate)
    suffix = file.suffix.lower()
    if suffix in (".icc", ".icm"):
        data, found = _profile(file, config, meant), False
    elif suffix != PRODUCTION and not is_address(file):
        data, found = _movie(file, config, meant)
    else:
        with opened(file, read_only=True) as production:
            chosen = _screens(screen or [], numbers, rate)
            if cut:
                data = _cut(production, chosen, look_name, jobs)
            else:
                data = _shot(production, file, (shot, frame, look_name), chosen, out, force)
        found = False
    printed(data, as_json, say)
    raise typer.Exit(1 if found else 0)


def _check(numbers: dict[str, float], rate: float | None) -> None:
    limits = {"black": (0.0001, 50.0), "white": (1.0, 10000.0), "lux": (0.0, 100000.0)}
    for name, value in numbers.items():
        low, high = limits[name]
        if not low <= value <= high:
            raise AquinError(f"--{name} {value:g} is out of reach", None, f"Use {low:g} to {high:g}")
    if rate is not None and not 0.1 <= rate <= 200:
        raise AquinError(f"--rate {rate:g} is out of reach", None, "Use 0.1 to 200 Mbit/s")
    if numbers.get("black", 0.0) >= numbers.get("white", 1e9):
        raise AquinError("black is as light as white", None, "Give a --black below --white")


def _screens(ids: list[str], numbers: dict[str, float], rate: float | None) -> list[Any]:
    from dataclasses import replace

    from aquin.jobs.other_screens import chosen

    found = chosen(ids, numbers)
    for s in found:
        if s.black >= s.white:
            raise AquinError(f"the black of {s.id} is as light as its white", None, "Give both numbers")
    return [replace(s, rate=rate) if rate is not None and s.rate else s for s in found]


def _shot(
    production: Any,
    file: Path,
    which: tuple[str | None, int | None, str | None],
    screens: list[Any],
    out: Path | None,
    force: bool,
) -> dict[str, Any]:
    from aquin.jobs import other_screens as work
    from aquin.production.settings import config_of, deliverables_of
    from aquin.screens.tags import wanted_tags

    name, frame, look_name = which
    config = config_of(production)
    if name is None:
        raise AquinError("which shot?", file, "Give --shot NAME, or --cut for all of them")
    shot = shot_of(production, name, file)
    look = look_in(production, config, shot, look_name)
    found = work.graded_frame(production, config, shot, None, look, frame)
    deliverables = deliverables_of(production, config)
    data = {
        "shot": shot.name,
        "frame": found.frame,
        "deliverable": found.deliverable.name,
        "look": None if look is None else look.name,
        "screens": [m.data() | {"words": m.words} for m in work.measured(found, screens)],
        "misread": [
            {
                "reading": m.reading.id,
                "name": m.reading.name,
                "moved_dE00": round(m.moved, 2),
                "black": round(m.black, 1),
                "white": round(m.white, 1),
                "mark": m.reading.mark,
                "cure": m.reading.cure,
            }
            for m in work.misread(found)
        ],
        "deliverables": [
            {
                "name": d.deliverable.name,
                "display": d.deliverable.display,
                "view": d.deliverable.view,
                "tags": wanted_tags(config.display_light(d.deliverable.display, d.deliverable.view)).data(),
                "peak": round(d.peak, 1),
                "apart_dE00": round(d.apart, 2),
                "above_first_white": round(d.above, 3),
                "highlight_steps": round(d.held, 1),
                "highlight_steps_lost": round(d.lost, 1),
            }
            for d in work.side_by_side(config, found, deliverables)
        ],
    }
    if out is not None:
        data["out"] = [str(p) for p in work.write_pictures(config, found, screens, out, force)]
    return data


def _cut(production: Any, screens: list[Any], look_name: str | None, jobs: int | None) -> dict[str, Any]:
    from aquin.jobs.other_screens import worst_shots
    from aquin.production.records import Shot
    from aquin.production.settings import config_of

    config = config_of(production)
    shots = [s for s in production.all(Shot) if s.kind == "shot" and not s.trouble]
    found = with_progress(
        "other screens",
        lambda tell: worst_shots(
            production,
            config,
            shots,
            screens,
            lambda s: look_in(production, config, s, look_name),
            jobs,
            tell,
        ),
    )
    return {
        "worst": {
            id: [{"shot": s.name} | one.data() | {"words": one.words} for s, one in ranked[:10]]
            for id, ranked in found.items()
        }
    }


def _movie(file: Path, config_path: Path | None, meant: str | None) -> tuple[dict[str, Any], bool]:
    from aquin.screens.players import BY_ID, players_of
    from aquin.screens.tags import Tags, read_tags

    wanted = Tags(1, 1, 1, "legal") if meant is None else _meant(config_path, file, meant)
    tags = read_tags(file)
    players = players_of(tags, wanted)
    data = {
        "file": str(file),
        "tags": tags.container.data(),
        "picture_tags": tags.picture.data(),
        "differs": tags.differs,
        "wanted": wanted.data(),
        "codec": tags.codec,
        "size": [tags.width, tags.height],
        "bits": tags.bits,
        "players": [
            {
                "player": p.name,
                "right": p.right,
                "why": p.why,
                "makes": [
                    {"reading": m, "mark": BY_ID[m].mark, "cure": BY_ID[m].cure}
                    for m in p.makes
                    if m in BY_ID
                ],
            }
            for p in players
        ],
    }
    # a player that undoes the camera's curve does so whatever the tags are: that alone is no fault of the file
    wrong = tags.differs or any(not p.right for p in players[:2])
    return data, wrong


def _meant(config_path: Path | None, file: Path, display: str) -> Any:
    from aquin.cli.opening import config_at
    from aquin.screens.tags import wanted_tags

    config = config_at(config_path, file)
    known = dict(config.displays())
    if display not in known:
        raise AquinError(f"there is no display '{display}'", None, f"There are: {'; '.join(known)}")
    return wanted_tags(config.display_light(display, known[display][0]))


def _profile(file: Path, config_path: Path | None, meant: str | None) -> dict[str, Any]:
    from aquin.cli.opening import config_at
    from aquin.screens.icc import fit_of, read_profile

    config = config_at(config_path, file)
    profile = read_profile(file)
    display, view = config.default_view()
    if meant is not None:
        known = dict(config.displays())
        if meant not in known:
            raise AquinError(f"there is no display '{meant}'", None, f"There are: {'; '.join(known)}")
        display, view = meant, known[meant][0]
    fit = fit_of(profile, config.display_light(display, view))
    return {
        "profile": profile.name,
        "made": None if profile.made is None else profile.made.isoformat(),
        "display": display,
        "dE00_mean": round(fit.mean, 3),
        "dE00_largest": round(fit.largest, 3),
        "dE00_without": round(fit.without, 3),
        "not_shown": round(fit.outside, 2),
    }


COMMANDS = (screens,)

"""`aquin levels`, `encodings`, `match` and `render`: encodings and single files."""

from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import (
    clip_at,
    config_at,
    decode_in,
    look_in,
    number_in,
    opened,
    pairs_in,
    shot_of,
)
from aquin.cli.output import printed
from aquin.errors import AquinError
from aquin.production.address import is_address, place_of

BY_HELP = "Evidence: auto, chart, points, materials, statistics or pairs."
MODEL_HELP = (
    "gains, cdl, matrix, root, each also as NAME+warp, gains+flare, matrix+flare, matrix+curve, or full (CDL, tone "
    "curve, hue warp); the best that the file can hold if left out."
)
WEIGHT_HELP = "What counts: frame, skin, or auto: what leaves less where both show skin."
AGAIN_HELP = "Fit a tone curve and a hue warp to what is left, if that helps."
PAIR_HELP = "The same thing in hero and shot, in pixels; may be given again."
ONE_OF_ITS_OWN = ("encoding", "grade", "matrix", "range", "develop", "layer", "config")
"""Options that a production's shot answers itself."""


def levels(
    encoding: Annotated[str, typer.Argument(metavar="ENC")],
    config: of.Config = None,
    as_json: of.AsJson = False,
) -> None:
    """Where grey, white and black of a camera encoding must sit."""
    from aquin.cli.words.match import levels_data, say_levels
    from aquin.colour.levels import levels_of

    found = levels_data(levels_of(config_at(config), encoding))
    printed(found, as_json, say_levels)


def trust(
    file: Annotated[Path, typer.Argument(metavar="CONFIG", help="A config.ocio that lies above media.")],
    as_json: of.AsJson = False,
) -> None:
    """Say that a colour configuration may be used for the media below it, as it is now."""
    from aquin.colour.config import ColourConfig
    from aquin.trusted import trust as remember

    found = ColourConfig.load(file)
    remember(file)
    printed(
        {"config": str(file.absolute()), "name": found.label},
        as_json,
        lambda d: print(f"used: {d['config']}"),
    )


def encodings(
    words: Annotated[list[str] | None, typer.Argument(help="Only those that hold all these words.")] = None,
    add: Annotated[
        Path | None,
        typer.Option("--add", help="A camera encoding as JSON: name, primaries, white, log curve."),
    ] = None,
    out: Annotated[Path | None, typer.Option("--out", help="With --add: the config.ocio to write.")] = None,
    config: of.Config = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """List the encodings of the configuration, or add one of your own to a copy of it."""
    loaded = config_at(config)
    if add is not None:
        from aquin.colour.encoding import CameraEncoding
        from aquin.files import write_text

        if out is None:
            raise AquinError("--add needs --out", None, "Name the config.ocio to write")
        camera = CameraEncoding.read(add)
        text = loaded.with_encodings(camera).text()
        write_text(out, text, force)
        done = {"added": camera.name, "config": str(out)}
        printed(done, as_json, lambda d: print(f"{d['added']} is in {d['config']}"))
        return
    found = [e for e in loaded.encodings() if e.fits(" ".join(words or []))]
    data: dict[str, Any] = {
        "config": loaded.label,
        "encodings": [
            {"name": e.name, "family": e.family, "kind": e.kind, "aliases": e.aliases} for e in found
        ],
    }
    printed(data, as_json, _say_encodings)
    raise typer.Exit(0 if found else 1)


def _say_encodings(data: dict[str, Any]) -> None:
    for e in data["encodings"]:
        print(f"{e['name']:44} {e['kind']:14} {e['family']}")


def match(
    hero: Annotated[Path, typer.Argument(metavar="HERO")],
    shot: Annotated[Path, typer.Argument(metavar="SHOT")],
    hero_encoding: Annotated[str, typer.Option("--hero-encoding")],
    shot_encoding: Annotated[str, typer.Option("--shot-encoding")],
    out: Annotated[Path, typer.Option("--out", help="The grade: .cdl .cc .ccc .clf .cube")],
    by: Annotated[str, typer.Option("--by", help=BY_HELP)] = "auto",
    model: Annotated[str | None, typer.Option("--model", help=MODEL_HELP)] = None,
    layout_name: of.LayoutName = "24-patch",
    hero_frame: Annotated[int | None, typer.Option("--hero-frame")] = None,
    shot_frame: Annotated[int | None, typer.Option("--shot-frame")] = None,
    weight: Annotated[str, typer.Option("--weight", help=WEIGHT_HELP)] = "auto",
    again: Annotated[bool, typer.Option("--second-pass", help=AGAIN_HELP)] = False,
    strength: Annotated[
        float, typer.Option("--strength", help="How much of the correction, in per cent.")
    ] = 100.0,
    pairs: Annotated[list[str] | None, typer.Option("--pair", metavar="X,Y:X,Y", help=PAIR_HELP)] = None,
    layer: of.Layer = None,
    hero_layer: Annotated[str | None, typer.Option("--hero-layer", help="The same of the hero.")] = None,
    size: of.Size = 65,
    config: of.Config = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """Match SHOT to HERO by charts, by what both saw, or by statistics, and write the grade."""
    from aquin.cli.words.match import say_match
    from aquin.jobs.match_files import MatchAsk, match_files
    from aquin.match.engine import BYS
    from aquin.measure.ledger import MAIN

    if by not in BYS:
        raise AquinError(f"there is no evidence called '{by}'", None, f"Use one of {', '.join(BYS)}")
    if weight not in ("auto", "frame", "skin"):
        raise AquinError(f"there is no weight '{weight}'", None, "Use auto, frame or skin")
    if not 0 <= strength <= 100:
        raise AquinError("the strength lies from 0 to 100 %", None, "Name another number")
    loaded = config_at(config, hero)
    heroes = clip_at(hero, hero_encoding, loaded, decode=decode_in(None, hero_layer))
    shots = clip_at(shot, shot_encoding, loaded, decode=decode_in(None, layer))
    ask = MatchAsk(
        out,
        by=by,
        weight=weight,
        model=model,
        layout=layout_name,
        hero_frame=hero_frame,
        shot_frame=shot_frame,
        strength=strength / 100,
        named=pairs_in(pairs or []),
        size=size,
        force=force,
        again=again,
    )
    data, proof = match_files(heroes, shots, ask, loaded)
    printed(data, as_json, lambda d: say_match(d, out, proof))
    settled = all(row["within"] for row in data["ledger"] if row["axis"] in MAIN)
    raise typer.Exit(0 if settled and not data["warnings"] else 1)


def render(
    file: Annotated[
        Path,
        typer.Argument(metavar="FILE", parser=place_of, help="A picture, movie or production."),
    ],
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
    matrix: of.Matrix = None,
    range: of.Range = None,
    develop: of.Develop = None,
    layer: of.Layer = None,
    look: Annotated[
        str | None,
        typer.Option("--look", help="Of a shot: a look by its name, or off; else the one that is on."),
    ] = None,
    config: of.Config = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """One frame through the exact chain, in float: input transform, grade, then an encoding or a display's view."""
    from aquin.jobs.render_frame import Target, render_picture, render_shot

    target = Target(out, to, display, view, force)
    if file.suffix.lower() == ".aquin" or is_address(file):
        if shot is None:
            raise AquinError("a production needs a shot", file, "Name it with --shot")
        for name, given in zip(
            ONE_OF_ITS_OWN, (encoding, grade, matrix, range, develop, layer, config), strict=True
        ):
            if given is not None:
                raise AquinError(f"a production's shot has its own {name}", file, f"Leave --{name} out")
        from aquin.production.settings import config_of

        with opened(file, read_only=True) as production:
            one = shot_of(production, shot, file)
            held = config_of(production)
            shown = look_in(production, held, one, look)
            data = render_shot(production, held, one, target, frame, timecode, shown)
    else:
        if encoding is None:
            raise AquinError("how the file was recorded is not known", file, "Name it with --encoding")
        loaded = config_at(config, file)
        clip = clip_at(file, encoding, loaded, matrix, range, decode_in(develop, layer))
        data = render_picture(clip, loaded, grade, target, number_in(clip, frame, timecode))
    printed(data, as_json, lambda d: print(f"{d['out']}: frame {d['frame']} as {d['to']}"))


COMMANDS = (levels, encodings, trust, match, render)

"""How stills of a production are decoded: raw development, and which of a file's pictures is meant."""

from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import decode_in, opened, shot_of
from aquin.cli.output import printed
from aquin.errors import AquinError


def decode(
    file: of.File,
    shot_name: of.ShotName,
    layer: of.Layer = None,
    usual: Annotated[
        bool, typer.Option("--usual", help="As usual again: as shot, or the likeliest picture.")
    ] = False,
    develop: of.Develop = None,
    as_json: of.AsJson = False,
) -> None:
    """How a still of a production is decoded: which picture of several (OpenEXR parts and layers), or how a raw one is
    developed. Without an option it is only shown.
    """
    from aquin.frames import Decode
    from aquin.production.raw import decode_of, is_raw, keep_decode, keep_layer, pictures_of

    if sum((layer is not None, usual, develop is not None)) > 1:
        raise AquinError("that is more than one wish", file, "Use one of --layer, --usual and --develop")
    with opened(file, read_only=layer is None and develop is None and not usual) as production:
        shot = shot_of(production, shot_name, file)
        if layer is not None:
            keep_layer(production, [shot], layer)
        elif develop is not None:
            keep_decode(production, [shot], decode_in(develop))
        elif usual and is_raw(shot):
            keep_decode(production, [shot], Decode())
        elif usual:
            keep_layer(production, [shot], "")
        found = decode_of(production, shot)
        data: dict[str, Any] = {
            "shot": shot.name,
            "raw": is_raw(shot),
            "pictures": list(pictures_of(shot)),
            "decode": None if found is None else found.values(),
        }
    printed(data, as_json, _say)


def _say(data: dict[str, Any]) -> None:
    if data["raw"]:
        print(f"{data['shot']}: {', '.join(f'{k} {v}' for k, v in data['decode'].items())}")
    elif data["pictures"]:
        used = (data["decode"] or {}).get("layer", "")
        for k, name in enumerate(data["pictures"]):
            mark = "used" if name == used else "used, the likeliest" if not used and not k else ""
            print(f"{name:24}  {mark}".rstrip())
    else:
        print(f"{data['shot']} holds one picture, and nothing is left to choose.")


COMMANDS = (decode,)

"""The file that brings the Bench back: its two sides, grade, pairs and painted skin; paths relative to it where they
lie below.
"""

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.desk.bench.state import Decisions, Pair, dabs_of, dabs_values
from aquin.errors import AquinError
from aquin.files import write_text
from aquin.frames import Decode
from aquin.jobs.load_side import ROLES, Side
from aquin.reading import json_of

VERSION = 1
MOST_BYTES = 1_000_000


def session_values(config: ColourConfig, now: Decisions, folder: Path) -> dict[str, Any]:
    """Everything that opens this again; paths relative to `folder` where they lie below it."""
    data: dict[str, Any] = {"version": VERSION}
    if config.path is not None:
        data["config"] = _relative(config.path, folder)
    for role in ROLES:
        side = now.side(role)
        if side is not None:
            data[role] = asdict(side) | {"file": _relative(Path(side.file), folder)}
    data["grade"] = now.grade.values()
    if now.pairs:
        data["pairs"] = [[list(a), list(b)] for a, b in now.pairs]
    if any(now.dabs):
        data["skin"] = [dabs_values(side) for side in now.dabs]
    if now.struck:
        data["struck"] = [list(c) for c in now.struck]
    if now.faces:
        data["faces"] = True
    return data


def write_session(path: Path, config: ColourConfig, now: Decisions) -> None:
    """Raises AquinError."""
    write_text(path, json.dumps(session_values(config, now, path.parent), indent=2) + "\n", force=True)


def read_session(path: Path) -> tuple[ColourConfig, Decisions]:
    """A session file: its configuration and decisions. Raises AquinError."""
    try:
        data = json_of(path, MOST_BYTES)
        if data.get("version") != VERSION:
            raise ValueError("it was written by another version")
        config = ColourConfig.load(path.parent / data["config"] if data.get("config") else None)
        sides = {role: _side(data[role], path.parent) for role in ROLES if data.get(role)}
        named: tuple[Pair, ...] = tuple(
            ((float(a[0]), float(a[1])), (float(b[0]), float(b[1]))) for a, b in data.get("pairs") or ()
        )
        hero_dabs, shot_dabs = (dabs_of(side) for side in data.get("skin") or ((), ()))
        grade = Grade.of(data.get("grade") or {})
        both = (hero_dabs, shot_dabs)
        struck = tuple((float(r), float(g), float(b)) for r, g, b in data.get("struck") or ())
        return config, Decisions(
            sides.get("hero"), sides.get("shot"), grade, named, both, bool(data.get("faces")), struck
        )
    except OSError as error:
        raise AquinError(f"the session can't be read ({error.strerror})", path, "Check the name") from error
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise AquinError(f"this is no session of Aquin ({error})", path, "Open the files again") from error


def _side(entry: Any, folder: Path) -> Side:
    corners = entry.get("corners")
    return Side(
        str((folder / entry["file"]).absolute()),
        str(entry["encoding"]),
        entry.get("frame"),
        entry.get("matrix"),
        entry.get("range"),
        None if corners is None else tuple((float(x), float(y)) for x, y in corners),
        tuple(Decode.of(dict(entry["raw"])).values().items()) if entry.get("raw") else (),
        str(entry.get("shot_id") or ""),
    )


def _relative(path: Path, folder: Path) -> str:
    try:
        return str(path.relative_to(folder.absolute()))
    except ValueError:
        return str(path)

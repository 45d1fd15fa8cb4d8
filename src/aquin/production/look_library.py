"""Looks kept over productions, in the person's data folder: one file each, a ZIP of its numbers and its LUT."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_data_path

from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.look.look import Look
from aquin.look.lut import MOST_BYTES, SUFFIXES, open_lut
from aquin.production.looks import Held, keep_look, screen_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.records import Grade
    from aquin.production.store import Production

SUFFIX = ".aquinlook"
NUMBERS = "look.json"


def library_folder() -> Path:
    """Where looks are kept over productions; AQUIN_STATE moves it with the rest."""
    import os

    base = os.environ.get("AQUIN_STATE")
    return (Path(base) if base else user_data_path("aquin")) / "looks"


def library() -> list[Path]:
    folder = library_folder()
    return sorted(folder.glob(f"*{SUFFIX}")) if folder.is_dir() else []


def save_look(held: Held, path: Path, force: bool = False) -> None:
    """Write a look with its file as one file. Raises AquinError."""
    if held.look is None:
        raise AquinError(f"the look can't be saved: {held.trouble}", path, "Mend it first")
    lut = held.look.lut
    files = {NUMBERS: json.dumps(held.look.values(), indent=1).encode()}
    if lut is not None:
        try:
            files[lut.path.name] = lut.path.read_bytes()
        except OSError as error:
            raise AquinError(
                f"its file can't be read ({error.strerror})", lut.path, "Find it again"
            ) from error

    def put(target: Path) -> None:
        with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as out:
            for name, data in files.items():
                out.writestr(name, data)

    path.parent.mkdir(parents=True, exist_ok=True)
    write_safely(path, put, force)


def take_look(production: Production, config: ColourConfig, path: Path, name: str = "") -> Grade:
    """Take a look out of such a file into a production. Raises AquinError."""
    numbers, data = _read(path)
    held = numbers.get("lut")
    lut = None
    if isinstance(held, dict):
        content = str(held.get("content", ""))
        suffix = Path(str(held.get("file", ""))).suffix.lower()
        if suffix not in SUFFIXES or data is None or not content.isalnum():
            raise AquinError("the look's file is missing in it", path, "Save it again")
        target = production.path.parent / f"{production.path.stem}-look-{content[:8]}{suffix}"
        if not target.exists():
            _put(target, data)
        production.attach(target)
        lut = open_lut(
            target, str(held["takes"]), str(held["gives"]), config, screen_of(production, config), content
        )
    try:
        look = Look.of(numbers | ({"name": name} if name else {}), lut)
    except (ValueError, KeyError, TypeError) as error:
        raise AquinError(f"this is no look ({error})", path, "Save it again") from error
    return keep_look(production, look, "take a look from the library")


def _put(target: Path, data: bytes) -> None:
    def put(path: Path) -> None:
        path.write_bytes(data)

    write_safely(target, put, False)


def _read(path: Path) -> tuple[dict[str, object], bytes | None]:
    try:
        if path.stat().st_size > MOST_BYTES:
            raise AquinError("the file is too large for a look", path, "Save it again")
        with zipfile.ZipFile(io.BytesIO(path.read_bytes())) as held:
            infos = {i.filename: i for i in held.infolist()}
            if (
                NUMBERS not in infos
                or len(infos) > 2
                or any(i.file_size > MOST_BYTES for i in infos.values())
            ):
                raise AquinError("this is no look", path, "Save it again")
            numbers = json.loads(held.read(NUMBERS))
            other = next((n for n in infos if n != NUMBERS), None)
            data = held.read(other) if other is not None else None
    except (OSError, zipfile.BadZipFile, ValueError, KeyError) as error:
        raise AquinError(f"this is no look ({error})", path, "Save it again") from error
    if not isinstance(numbers, dict):
        raise AquinError("this is no look", path, "Save it again")
    return numbers, data

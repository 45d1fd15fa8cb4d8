"""Colour configurations that lie above media and that this person has said may be used: by place and content, so that
one that came from elsewhere, or was changed since, is asked about first. AQUIN_TRUST names folders whose configurations
are used unasked.
"""

import hashlib
import json
import os
from contextlib import suppress
from pathlib import Path

from aquin.errors import AquinError
from aquin.files import write_text
from aquin.own_files import state_folder

MOST_BYTES = 32 * 2**20
"""Of a configuration."""
KEPT = 500


class Unasked(AquinError):
    """A configuration was found that nobody has said may be used. `path`: its file."""

    def __init__(self, path: Path) -> None:
        super().__init__(
            "a colour configuration lies above the media, and nobody has said yet that it may be used",
            path,
            "To use it: aquin trust FILE, or --config FILE; the built-in one: --config builtin",
        )
        self.path = path


def ask_first(path: Path) -> None:
    """Raises Unasked for a configuration that is not trusted as it is now."""
    if not is_trusted(path):
        raise Unasked(path.absolute())


def is_trusted(path: Path) -> bool:
    full = path.absolute()
    folders = [Path(f) for f in os.environ.get("AQUIN_TRUST", "").split(os.pathsep) if f]
    if any(full.is_relative_to(f) for f in folders):
        return True
    return _known().get(str(full)) == _mark(full)


def trust(path: Path) -> None:
    """Remember that a configuration may be used as it is now. Raises AquinError."""
    full = path.absolute()
    known = _known()
    known.pop(str(full), None)
    known[str(full)] = _mark(full)
    newest = dict(list(known.items())[-KEPT:])
    write_text(_file(), json.dumps(newest, indent=1), force=True)


def _file() -> Path:
    return state_folder() / "trusted.json"


def _known() -> dict[str, str]:
    with suppress(OSError, ValueError):
        held = json.loads(_file().read_text(encoding="utf-8"))
        if isinstance(held, dict):
            return {str(k): str(v) for k, v in held.items()}
    return {}


def _mark(path: Path) -> str:
    try:
        if path.stat().st_size > MOST_BYTES:
            raise AquinError("the colour configuration is too large", path, "At most 32 MB")
        return hashlib.blake2b(path.read_bytes(), digest_size=16).hexdigest()
    except OSError as error:
        raise AquinError(
            f"the colour configuration can't be read ({error.strerror})", path, "Check its permissions"
        ) from error

"""Where this person's releases were written on this machine: a production does not keep a machine's folders."""

from __future__ import annotations

import json
from pathlib import Path

from aquin.files import write_text
from aquin.own_files import state_folder

MOST = 500


def remembered(seal: str) -> Path | None:
    """Where the release of a seal was written, whether it still lies there or not."""
    found = _read().get(seal)
    return None if found is None else Path(found)


def remember(seal: str, folder: Path) -> None:
    """Raises AquinError."""
    kept = _read()
    kept.pop(seal, None)
    kept[seal] = str(folder.absolute())
    text = json.dumps(dict(list(kept.items())[-MOST:]), indent=1)
    write_text(_file(), text, force=True)


def _file() -> Path:
    return state_folder() / "releases.json"


def _read() -> dict[str, str]:
    """A file that is missing or broken remembers nothing."""
    try:
        if _file().stat().st_size > 5_000_000:
            return {}
        data = json.loads(_file().read_text(encoding="utf-8"))
        return {str(k): str(v) for k, v in data.items()}
    except (OSError, ValueError, AttributeError, RecursionError):
        return {}

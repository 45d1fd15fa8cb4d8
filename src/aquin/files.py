"""Files written so that they are whole or untouched."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from aquin.errors import AquinError


def write_text(path: Path, text: str, force: bool = False) -> None:
    """Write a text file safely, in UTF-8. Raises AquinError."""
    write_safely(path, lambda p: _put(p, text), force)


def _put(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")


def write_safely(path: Path, write: Callable[[Path], None], force: bool = False) -> None:
    """Let `write` fill a temporary file beside `path`, then rename it, so that `path` is whole or untouched.

    An existing file is only replaced with `force`. Raises AquinError naming the file and the next step.
    """
    path = Path(path)
    if path.exists() and not force:
        raise AquinError("the file exists already", path, "Choose another name, or overwrite it with --force")
    if not path.parent.is_dir():
        raise AquinError("the folder does not exist", path.parent, "Make it, or connect its drive again")
    try:
        handle, name = tempfile.mkstemp(prefix=".aquin-", suffix=path.suffix, dir=path.parent)
        os.close(handle)
    except OSError as error:
        raise AquinError(
            f"cannot write into the folder ({error.strerror})", path.parent, "Choose another"
        ) from error
    temporary = Path(name)
    try:
        write(temporary)
        with temporary.open("rb+") as done:
            os.fsync(done.fileno())
        mask = os.umask(0)
        os.umask(mask)
        temporary.chmod(0o666 & ~mask)
        temporary.replace(path)
    except OSError as error:
        raise AquinError(
            f"writing failed ({error.strerror or error})", path, "Free some space or choose another folder"
        ) from error
    finally:
        temporary.unlink(missing_ok=True)

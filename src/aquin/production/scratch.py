"""A folder for what a match keeps only while it takes."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

PREFIX = "aquin-match-"


@contextmanager
def scratch() -> Iterator[str]:
    """A folder that goes with the block, as do those of programs that were killed; "" on a disk that takes none."""
    for old in Path(tempfile.gettempdir()).glob(f"{PREFIX}*"):
        with suppress(OSError):  # another person's
            if _ended(old):
                shutil.rmtree(old)
    made = ""
    with suppress(OSError):
        made = tempfile.mkdtemp(prefix=f"{PREFIX}{os.getpid()}-")
    try:
        yield made
    finally:
        if made:
            shutil.rmtree(made, ignore_errors=True)


def _ended(folder: Path) -> bool:
    """Whether the program that made it is no more."""
    number = folder.name.removeprefix(PREFIX).partition("-")[0]
    if not number.isdigit():
        return False
    try:
        os.kill(int(number), 0)
    except ProcessLookupError:
        return True
    except (OSError, OverflowError):
        pass
    return False

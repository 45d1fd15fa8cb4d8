"""A copy of a production that came back: an .aquin file, or a release, which holds one."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from aquin.errors import AquinError
from aquin.production.store import Production

COPY = "production.aquin"
"""What a release calls the copy in it."""


@contextmanager
def returned(path: Path) -> Iterator[Production]:
    """Open for reading only. Raises AquinError."""
    if path.is_dir() or path.name == "release.json":
        path = (path if path.is_dir() else path.parent) / COPY
        if not path.is_file():
            raise AquinError(
                "this folder holds no copy of a production", path, "Name an .aquin file, or a release"
            )
    found = Production.open(path, read_only=True)
    try:
        yield found
    finally:
        found.close()

"""A release as it comes: a folder, or a .zip of one, which is unpacked for as long as it is looked at."""

from __future__ import annotations

import shutil
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from aquin.errors import AquinError
from aquin.release.manifest import MANIFEST, MOST_FILES, inside

MOST_UNPACKED = 60 * 1024**3
RATIO = 400
"""How much smaller a file may be packed: text shrinks to a tenth."""
_REMEDY = "Ask whoever made the release for it again"


@contextmanager
def release_at(path: Path) -> Iterator[Path]:
    """The folder of a release; of a .zip, one that is gone afterwards. Raises AquinError."""
    if path.is_dir():
        yield path
        return
    if path.name == MANIFEST and path.is_file():
        yield path.parent
        return
    if path.suffix.lower() != ".zip" or not path.is_file():
        raise AquinError("this is no release", path, "Name its folder, or its .zip")
    with tempfile.TemporaryDirectory(prefix="aquin-release-") as kept:
        _unpack(path, Path(kept))
        found = [p.parent for p in (Path(kept) / MANIFEST, *Path(kept).glob(f"*/{MANIFEST}")) if p.is_file()]
        if not found:
            raise AquinError("the .zip holds no release", path, _REMEDY)
        yield found[0]


def _unpack(path: Path, target: Path) -> None:
    try:
        with zipfile.ZipFile(path) as packed:
            members = [m for m in packed.infolist() if not m.is_dir()]
            total = sum(m.file_size for m in members)
            if len(members) > MOST_FILES or total > MOST_UNPACKED:
                raise ValueError("it would unpack to more than any release holds")
            if total > RATIO * max(path.stat().st_size, 1):
                raise ValueError("it is packed more tightly than any release is")
            for member in members:
                inside(member.filename)
                out = target / member.filename
                out.parent.mkdir(parents=True, exist_ok=True)
                with packed.open(member) as source, out.open("wb") as stream:
                    shutil.copyfileobj(source, stream, 1 << 20)
    except (zipfile.BadZipFile, ValueError, RuntimeError, NotImplementedError, EOFError) as error:
        raise AquinError(f"the .zip can't be used ({error})", path, _REMEDY) from error
    except OSError as error:
        words = error.strerror or str(error)
        raise AquinError(f"the .zip can't be unpacked ({words})", path, "Free some space in /tmp") from error

"""Open any supported file by what it is."""

import re
from pathlib import Path

from aquin.errors import AquinError
from aquin.frames.decode import Decode
from aquin.frames.model import Matrix, Range, Source
from aquin.frames.raw import SUFFIXES as RAW
from aquin.frames.raw import open_raw

STILLS = {".exr", ".dpx", ".tif", ".tiff", ".png", ".jpg", ".jpeg"}
MOVIES = {".mkv", ".mov", ".mp4", ".m4v", ".mxf", ".avi", ".webm", ".hevc", ".ts"}
SUFFIXES = STILLS | MOVIES | RAW

_PATTERN = re.compile(r"%0?(\d*)d|(#+)")
_NUMBERED = re.compile(r"^(.*?)(\d+)(\.[A-Za-z]+)$")


def open_source(
    path: str | Path,
    matrix: Matrix | None = None,
    range: Range | None = None,
    alone: bool = False,
    decode: Decode | None = None,
) -> Source:
    """Open a still, a numbered sequence or a movie.

    A sequence is named by any one of its files, or by a pattern (`name.####.exr`, `name.%04d.exr`); with `alone` a
    numbered still is just itself. `matrix` and `range` override what the file says; `decode` is how a raw still is
    developed and which picture of a still is meant, and does not matter to other files. Raises AquinError.
    """
    path = Path(path)
    if not path.exists() and _PATTERN.search(path.name):
        members = _members_of_pattern(path)
        if not members:
            raise AquinError("no file fits this pattern", path, "Check the folder and the number of digits")
        path = members[min(members)]
    if not path.exists():
        raise AquinError("the file does not exist", path, "Check the name, or whether its drive is connected")
    if path.is_dir():
        raise AquinError("this is a folder", path, "Name a file in it")
    suffix = path.suffix.lower()
    if suffix not in SUFFIXES:
        raise AquinError(
            "this kind of file is not supported", path, f"Use one of {' '.join(sorted(SUFFIXES))}"
        )
    try:
        if path.stat().st_size == 0:
            raise AquinError("the file is empty", path, "Copy it again from its card")
        with path.open("rb") as stream:
            stream.read(1)
    except OSError as error:
        raise AquinError(
            f"the file can't be read ({error.strerror})", path, "Check its permissions"
        ) from error
    layer = decode.layer if decode is not None else ""
    if layer and suffix not in STILLS:
        raise AquinError(f"this file holds one picture, not '{layer}'", path, "Leave the layer out")
    if suffix in MOVIES:
        from aquin.frames.movies import open_movie

        return open_movie(path, matrix, range)
    if suffix in RAW:
        if matrix not in (None, "rgb"):
            raise AquinError("a raw still has no YCbCr matrix", path, "Leave the matrix out")
        return open_raw({0: path} if alone else siblings(path), path, decode)
    from aquin.frames.stills import open_stills

    return open_stills({0: path} if alone else siblings(path), path, matrix, range, layer)


def members(path: Path) -> dict[int, Path]:
    """The files that make one source: a still's whole numbered sequence, or a movie alone."""
    return siblings(path) if path.suffix.lower() in STILLS | RAW else {0: path}


def siblings(path: Path) -> dict[int, Path]:
    """All files of the numbered sequence that `path` belongs to, by number; `{0: path}` when it stands alone."""
    match = _NUMBERED.match(path.name)
    if not match:
        return {0: path}
    stem, digits, suffix = match.groups()
    found: dict[int, Path] = {}
    for other in path.parent.iterdir():
        twin = _NUMBERED.match(other.name)
        if twin and twin[1] == stem and twin[3] == suffix and _same_padding(twin[2], digits):
            found[int(twin[2])] = other
    return found if len(found) > 1 else {0: path}


def _same_padding(a: str, b: str) -> bool:
    return len(a) == len(b) or (a[0] != "0" and b[0] != "0")


def _members_of_pattern(path: Path) -> dict[int, Path]:
    mark = _PATTERN.search(path.name)
    if not mark or not path.parent.is_dir():
        return {}
    width = len(mark[2]) if mark[2] else int(mark[1] or 1)
    head, tail = path.name[: mark.start()], path.name[mark.end() :]
    wanted = re.compile(re.escape(head) + rf"(\d{{{width},}})" + re.escape(tail) + "$")
    return {int(m[1]): p for p in path.parent.iterdir() if (m := wanted.match(p.name))}

"""Where media lie: named roots, each workstation's own folder for them, and finding files again that were moved or
renamed.
"""

from __future__ import annotations

import errno
import hashlib
import os
import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from stat import S_ISREG
from typing import TYPE_CHECKING

from aquin import cluster
from aquin.errors import AquinError
from aquin.frames.opening import SUFFIXES, members
from aquin.production.people import workstation
from aquin.production.records import Place, Root, Shot

if TYPE_CHECKING:
    from aquin.production.store import Production


PIECE = 256 * 1024
"""Bytes that are hashed at the start, in the middle and at the end of a file."""


def root_folder(production: Production, root: Root) -> Path | None:
    """A root on this workstation: where it was mapped to, else beside the production file; None where it is nowhere."""
    if root.id in production.lent:
        return production.lent[root.id]
    here = workstation()
    for place in production.all(Place):
        if place.root_id == root.id and place.workstation == here and Path(place.folder).is_dir():
            return Path(place.folder)
    if root.beside:
        folder = production.path.parent / root.beside
        if folder.is_dir():
            return folder
    return None


def shared_roots(production: Production) -> tuple[cluster.Root, ...]:
    """The production's folders that are here, with where other workstations have them."""
    out = []
    for root in production.all(Root):
        folder = root_folder(production, root)
        if folder is not None:
            places = {p.workstation: p.folder for p in production.all(Place) if p.root_id == root.id}
            out.append(cluster.Root(root.name, str(folder), places))
    return tuple(out)


def file_of(production: Production, shot: Shot) -> Path | None:
    """The shot's file on this workstation (it may be missing), or None where its root is not connected."""
    folder = root_folder(production, production.get(Root, shot.root_id))
    return None if folder is None else folder / shot.path


def root_for(production: Production, folder: Path) -> tuple[Root, Place | None]:
    """The root that a folder is or lies in, else a new one with its place on this workstation."""
    folder = folder.absolute()
    for root in production.all(Root):
        known = root_folder(production, root)
        if known is not None and folder.is_relative_to(known.absolute()):
            return root, None
    base = production.path.parent
    names = {r.name for r in production.all(Root)}
    name = folder.name or "media"
    name = next(n for n in (name, *(f"{name} {k}" for k in range(2, 1000))) if n not in names)
    if folder.is_relative_to(base):
        return Root(name, str(folder.relative_to(base))), None
    root = Root(name)
    return root, Place(root.id, workstation(), str(folder))


def content_of(path: Path) -> tuple[int, float, str]:
    """Bytes, time of change, and a hash of what a file or sequence holds.

    The hash (BLAKE2b, 16 bytes) covers size, beginning, middle and end of a file; of a sequence the number of
    files, all their sizes, and its first and last file. Raises OSError.
    """
    numbered = members(path)
    files = [numbered[n] for n in sorted(numbered)]
    stats = [f.stat() for f in files]
    if not all(S_ISREG(s.st_mode) for s in stats):
        raise OSError(errno.EINVAL, "a pipe or a device is no file", str(path))
    sizes = [s.st_size for s in stats]
    digest = hashlib.blake2b(repr(sizes).encode(), digest_size=16)
    for file, size in {files[0]: sizes[0], files[-1]: sizes[-1]}.items():
        with file.open("rb") as stream:
            for at in (0, max(size // 2 - PIECE // 2, 0), max(size - PIECE, 0)):
                stream.seek(at)
                digest.update(stream.read(PIECE))
    return sum(sizes), max(s.st_mtime for s in stats), digest.hexdigest()


HOLDS = 5.0
"""Seconds for which a file that was looked at counts as unchanged."""

_there: dict[tuple[Path, str], tuple[float, str]] = {}


def content_there(production: Production, shot: Shot) -> str:
    """The hash of what the shot's file holds now: as it was logged, unless its size or time of change say otherwise and
    so does what it holds. What is measured is kept by this, so that a file that was replaced is never taken for the
    one that was logged.
    """
    path = file_of(production, shot)
    if path is None or not shot.content:
        return shot.content
    known = _there.get((path, shot.content))
    if known is not None and time.monotonic() - known[0] < HOLDS:
        return known[1]
    found = shot.content
    try:
        if differs(path, shot):
            found = content_of(path)[2]
    except OSError:
        pass  # away: what was measured is known by what was logged
    _there[path, shot.content] = time.monotonic(), found
    return found


def differs(path: Path, shot: Shot) -> bool:
    """Whether a file has changed since it was logged, by its size and time; sequences by their first file. Raises
    OSError.
    """
    stat = path.stat()
    several = shot.codec == "" and shot.frames > 1
    return stat.st_mtime > shot.modified + 1e-3 or (not several and stat.st_size != shot.bytes)


@dataclass(frozen=True)
class Relinked:
    """What a search found: shots with their new paths, and shots that stayed missing."""

    found: tuple[Shot, ...]
    missing: tuple[Shot, ...]


def missing_shots(production: Production) -> list[Shot]:
    """Shots whose file is not where it should be on this workstation."""
    folders = {root.id: root_folder(production, root) for root in production.all(Root)}
    out = []
    for shot in production.all(Shot):
        folder = folders[shot.root_id]
        if folder is None or not (folder / shot.path).is_file():
            out.append(shot)
    return out


def relink(production: Production, folder: Path) -> Relinked:
    """Look for missing media in a folder and write down where they are now; of a production that is open for reading
    only, a release's, it is known while it is open. Raises AquinError.

    Where the files of a root lie as they did, only the root moves. Others are found by name and size, or by size
    alone, and taken only when what they hold has the same hash.
    """
    folder = folder.absolute()
    if not folder.is_dir():
        raise AquinError(
            "the folder does not exist", folder, "Check the name, or whether its drive is connected"
        )
    missing = missing_shots(production)
    files = _files_by_size(folder)
    puts: list[Root | Place | Shot] = []
    found: dict[str, Shot] = {}
    for root in production.all(Root):
        lost = [s for s in missing if s.root_id == root.id]
        base = _moved(lost, folder, files)
        if base is None:
            continue
        for shot in lost:
            if _same(shot, base / shot.path):
                found[shot.id] = shot
        if production.read_only:
            production.lent[root.id] = base
        else:
            puts += _placed(production, root, base)
    if production.read_only and found:
        production._tell()
    left = [s for s in missing if s.id not in found]
    if left and not production.read_only:
        root, place = root_for(production, folder)
        base = root_folder(production, root) or folder
        renamed = {}
        for shot in left:
            at = _find(shot, files)
            if at is not None:
                renamed[shot.id] = replace(shot, root_id=root.id, path=str(at.relative_to(base)))
        if renamed:
            puts += [root] if production.find(Root, root.id) is None else []
            puts += [place] if place is not None else []
            puts += renamed.values()
            found |= renamed
    if puts:
        production.change(f"relink {len(found)} shots", *puts, why=f"media were found in {folder.name}")
    return Relinked(tuple(found.values()), tuple(s for s in missing if s.id not in found))


def _files_by_size(folder: Path) -> dict[int, list[Path]]:
    sizes: dict[int, list[Path]] = {}
    for path in walk(folder):
        sizes.setdefault(path.stat().st_size, []).append(path)
    return sizes


def walk(folder: Path) -> Iterable[Path]:
    """All files of supported kinds below a folder; hidden ones and folders that can't be read are left out."""
    for where, folders, names in os.walk(folder):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        for name in sorted(names):
            if not name.startswith(".") and Path(name).suffix.lower() in SUFFIXES:
                yield Path(where) / name


def _moved(lost: list[Shot], folder: Path, files: Mapping[int, list[Path]]) -> Path | None:
    """The folder in which the lost files lie under their old paths, tried on what the search found."""
    for shot in lost[:20]:
        tail = Path(shot.path).parts
        for paths in files.values():
            for path in paths:
                if path.parts[-len(tail) :] == tail and _same(shot, path):
                    return Path(*path.parts[: -len(tail)])
    return None


def _same(shot: Shot, path: Path) -> bool:
    try:
        return path.is_file() and content_of(path)[2] == shot.content
    except OSError:
        return False


def _find(shot: Shot, files: Mapping[int, list[Path]]) -> Path | None:
    """A file with the shot's content; of several alike, the one with its name."""
    several = shot.codec == "" and shot.frames > 1  # a sequence: its bytes are those of all its files
    pool = [p for paths in files.values() for p in paths] if several else files.get(shot.bytes, [])
    name = Path(shot.path).name
    for path in sorted(pool, key=lambda p: p.name != name):
        if several and (path.suffix != Path(shot.path).suffix or min(members(path).values()) != path):
            continue
        if _same(shot, path):
            return path
    return None


def _placed(production: Production, root: Root, base: Path) -> list[Root | Place]:
    """The records that put a root at a folder on this workstation."""
    out: list[Root | Place] = []
    parent = production.path.parent
    if base.is_relative_to(parent):
        out.append(replace(root, beside=str(base.relative_to(parent))))
    here = workstation()
    known = next((p for p in production.all(Place) if p.root_id == root.id and p.workstation == here), None)
    if known is not None:
        out.append(replace(known, folder=str(base)))
    elif not base.is_relative_to(parent):
        out.append(Place(root.id, here, str(base)))
    return out

"""Getting media into the log: folders, files and sequences, with cameras and setups proposed from what they say."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from stat import S_ISREG
from typing import TYPE_CHECKING

from aquin.errors import AquinError
from aquin.frames.opening import STILLS, SUFFIXES, members
from aquin.production.kept_work import Keeping
from aquin.production.looking import Looked, look_at
from aquin.production.media import differs, file_of, root_folder, root_for, walk
from aquin.production.records import Camera, Place, Record, Root, Setup, Shot
from aquin.production.setups import propose_setups
from aquin.workers import Tell, each

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Production


LOOKED, VERSION = "looked", 1
"""Kind of what is kept while an ingest runs; the version goes up when it means something else."""
LOOK = 60.0
"""Seconds that looking at one file may take."""

_CARD = re.compile(r"^([A-Z])_?\d{2,4}")
_FROM_FILE = (
    *("start", "rate", "first", "frames", "width", "height", "bits", "floating", "codec", "trouble", "bytes"),
    *(
        "modified",
        "content",
        "metadata",
        "said_encoding",
        "file_matrix",
        "file_range",
        "matrix_from",
        "range_from",
    ),
)
"""What follows from the file alone and is read again when it changes."""


@dataclass(frozen=True)
class Intake:
    """What an ingest did."""

    added: tuple[Shot, ...] = ()
    changed: tuple[Shot, ...] = ()
    known: int = 0
    cameras: tuple[Camera, ...] = ()
    setups: tuple[Setup, ...] = ()
    troubles: tuple[str, ...] = ()


def media_in(paths: Iterable[Path]) -> list[Path]:
    """All media named or in the folders named, each sequence by its lowest file. Raises AquinError for what is no
    media.
    """
    found: dict[Path, None] = {}
    for path in paths:
        path = path.absolute()
        if not path.exists():
            raise AquinError("it does not exist", path, "Check the name, or whether its drive is connected")
        if path.is_dir():
            for file in _lowest(walk(path)):
                found[file] = None
        elif path.suffix.lower() in SUFFIXES:
            files = members(path)
            found[files[min(files)]] = None
        else:
            raise AquinError(
                "this kind of file is not supported", path, f"Use one of {' '.join(sorted(SUFFIXES))}"
            )
    return list(found)


def _lowest(files: Iterable[Path]) -> list[Path]:
    """One file for each sequence among all files of some folders."""
    out: list[Path] = []
    groups: dict[tuple[object, ...], tuple[int, Path]] = {}
    for path in files:
        match = re.match(r"^(.*?)(\d+)(\.[A-Za-z]+)$", path.name)
        if path.suffix.lower() not in STILLS or match is None:
            out.append(path)
            continue
        padded = len(match[2]) if match[2].startswith("0") else 0
        key = (path.parent, match[1], match[3], padded or len(match[2]))
        known = groups.get(key)
        if known is None or int(match[2]) < known[0]:
            groups[key] = (int(match[2]), path)
    return sorted(out + [path for _, path in groups.values()])


def ingest(
    production: Production,
    paths: Sequence[Path],
    config: ColourConfig,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> Intake:
    """Log all media in some folders and files as one step that can be undone. Raises AquinError.

    Files that are logged and have not changed are left alone. A file that can't be opened is logged with its trouble.
    """
    files = media_in(paths)
    if not files:
        raise AquinError(
            "there are no media", paths[0] if paths else None, f"Supported are {' '.join(sorted(SUFFIXES))}"
        )
    known = {file_of(production, s): s for s in production.all(Shot)}
    unfit = {f: why for f in files if (why := _unfit(f))}
    fresh = [f for f in files if f not in unfit and (f not in known or _differs(f, known[f]))]
    with production.at_work("logging media"):
        looked = _look(production, fresh, jobs, tell)
    roots = _roots(production, paths, [one.path for one in looked])
    added, changed = [], []
    for one in looked:
        root = roots.of(one.path)
        old = known.get(one.path)
        if old is None:
            path = str(one.path.relative_to(roots.folders[root.id]))
            added.append(Shot(root.id, path, **(one.fields | _kind_of(one.path))))
        else:
            changed.append(replace(old, **{k: v for k, v in one.fields.items() if k in _FROM_FILE}))
    cameras, added = _cameras(production, added, config)
    thumbs = {
        s.content: one.thumb for s, one in _pairs(added + changed, looked, roots) if one.thumb and s.content
    }
    production.keep_measured("thumb", thumbs)
    setups, added = propose_setups(production.all(Setup), production.all(Shot), added, thumbs)
    puts: list[Record] = [*roots.new, *cameras, *setups, *added, *changed]
    production.change(f"log {len(added)} shots" + (f", {len(changed)} again" if changed else ""), *puts)
    troubles = [f"{_shown(f)}: {why}" for f, why in unfit.items()]
    troubles += [f"{s.path}: {s.trouble}" for s in added + changed if s.trouble]
    left = len(files) - len(fresh) - len(unfit)
    return Intake(tuple(added), tuple(changed), left, tuple(cameras), tuple(setups), tuple(troubles))


def _look(production: Production, files: Sequence[Path], jobs: int | None, tell: Tell | None) -> list[Looked]:
    """What files say, by name. What an ingest that was stopped or killed had looked at is not read again."""
    keys = {path: _key(path) for path in files}
    held = production.measured_of(LOOKED, [k for k in keys.values() if k])
    thumbs = production.measured_of("thumb", {str(v.get("content", "")) for v in held.values()})
    out = []
    for path in files:
        fields = held.get(keys[path])
        if fields is not None:
            out.append(Looked(path, fields, thumbs.get(str(fields.get("content", "")), "")))
    there = {one.path for one in out}
    with Keeping(production, LOOKED) as keeping, Keeping(production, "thumb") as pictures:
        rest = [p for p in files if p not in there]
        for item, result in each(look_at, rest, jobs, tell, lambda p: p.name, LOOK):
            if not isinstance(result, Looked):
                out.append(Looked(item, {"name": item.stem, "trouble": result.what}))
                continue
            out.append(result)
            if result.thumb and result.fields.get("content"):
                pictures.add({result.fields["content"]: result.thumb})
            if keys[item]:
                keeping.add({keys[item]: result.fields})
    return sorted(out, key=lambda one: one.path)


def _key(path: Path) -> str:
    """Changes with the file; empty where it can't be asked, and for one of a sequence, whose others may change."""
    try:
        found = path.stat()
    except OSError:
        return ""
    if path.suffix.lower() in STILLS:
        return ""
    return f"{path}|{found.st_size}|{found.st_mtime_ns}|{VERSION}"


def _unfit(path: Path) -> str:
    """Why a file can't be logged at all; empty where it can."""
    try:
        str(path).encode("utf-8")
        regular = S_ISREG(path.stat().st_mode)
    except UnicodeEncodeError:
        return "its name is no text in UTF-8; rename it"
    except OSError as error:
        return f"it can't be read ({error.strerror})"
    return "" if regular else "a pipe or a device is no file"


def _shown(path: Path) -> str:
    """A name that can be shown, whatever letters it has."""
    return str(path).encode("utf-8", "replace").decode("utf-8")


def _differs(path: Path, shot: Shot) -> bool:
    """Whether a file has changed since it was logged, or could not be opened then, or can't be asked now."""
    try:
        return bool(shot.trouble) or differs(path, shot)
    except OSError:
        return True


class _Roots:
    def __init__(self, known: dict[str, Root], folders: dict[str, Path], new: list[Root | Place]) -> None:
        self.known, self.folders, self.new = known, folders, new

    def of(self, path: Path) -> Root:
        fits = [id for id, folder in self.folders.items() if path.is_relative_to(folder)]
        return self.known[max(fits, key=lambda id: len(self.folders[id].parts))]


def _roots(production: Production, paths: Sequence[Path], files: Sequence[Path]) -> _Roots:
    """A root for every folder named, and for the folders of files named."""
    known: dict[str, Root] = {}
    folders: dict[str, Path] = {}
    new: list[Root | Place] = []
    for root in production.all(Root):
        folder = root_folder(production, root)
        if folder is not None:
            known[root.id], folders[root.id] = root, folder.absolute()
    for path in paths:
        folder = path.absolute() if path.is_dir() else path.absolute().parent
        if any(folder.is_relative_to(f) for f in folders.values()):
            continue
        root, place = root_for(production, folder)
        taken = {r.name for r in known.values()}
        if root.name in taken:
            root = replace(
                root, name=next(f"{root.name} {k}" for k in range(2, 1000) if f"{root.name} {k}" not in taken)
            )
        known[root.id], folders[root.id] = root, folder
        new.append(root)
        if place is not None:
            new.append(place)
    return _Roots(known, folders, new)


def _pairs(shots: list[Shot], looked: list[Looked], roots: _Roots) -> Iterable[tuple[Shot, Looked]]:
    by_path = {one.path: one for one in looked}
    for shot in shots:
        one = by_path.get(roots.folders[shot.root_id] / shot.path)
        if one is not None:
            yield shot, one


def _kind_of(path: Path) -> dict[str, str]:
    """What a folder's name says about a file: stills kept for reference are no shots."""
    said = " ".join(part.lower() for part in path.parent.parts[-2:])
    return {"kind": "reference"} if "reference" in said else {}


def _cameras(
    production: Production, added: list[Shot], config: ColourConfig
) -> tuple[list[Camera], list[Shot]]:
    """A camera for each shot: by what its file says, or the letter of its card, or its folder. Encodings by
    majority.
    """
    known = {c.name: c for c in production.all(Camera)}
    taken = {camera_key(s): s.camera_id for s in production.all(Shot) if s.camera_id}
    groups: dict[str, list[int]] = defaultdict(list)
    for k, shot in enumerate(added):
        if shot.kind != "reference":
            groups[camera_key(shot)].append(k)
    out, cameras = list(added), list[Camera]()
    for key in sorted(groups):
        id = taken.get(key)
        if id is None:
            name = f"Camera {key}" if len(key) == 1 else key
            camera = known.get(name)
            if camera is None:
                encoding = _majority(config, [added[k].said_encoding for k in groups[key]])
                camera = Camera(name, encoding, position=len(known) + len(cameras))
                cameras.append(camera)
            id = camera.id
        for k in groups[key]:
            out[k] = replace(out[k], camera_id=id)
    return cameras, out


def camera_key(shot: Shot) -> str:
    """What shots of one camera have in common before anybody has said so: the letter of the card, else the folder."""
    for word in (shot.reel, *reversed(Path(shot.path).parent.parts), shot.name):
        if match := _CARD.match(word):
            return match[1]
    folders = Path(shot.path).parent.parts
    return folders[0] if folders else shot.metadata.get("Model", "") or "Camera"


def _majority(config: ColourConfig, said: Iterable[str]) -> str:
    """The encoding that most log files of a camera name, where the configuration knows it."""
    counts: Counter[str] = Counter()
    for name in filter(None, map(config.name_of, said)):
        counts[name] += 1
    return counts.most_common(1)[0][0] if counts else ""

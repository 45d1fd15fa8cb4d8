"""The file of an OpenColorIO configuration: read, and the files that it names."""

import copy
import hashlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import PyOpenColorIO as ocio

from aquin.errors import AquinError
from aquin.reading import check_file

MOST_BYTES = 100_000_000
"""Of a file that a configuration names."""


_TEXTS: dict[tuple[bytes, Path], Any] = {}
"""Configurations by their files' bytes and folders: reading one holds the interpreter for 40 to 70 ms."""


def parsed(path: Path) -> Any:
    """An OpenColorIO configuration of its own. Raises ocio.Exception or OSError."""
    key = hashlib.blake2b(path.read_bytes()).digest(), path.absolute().parent
    if key not in _TEXTS:
        read = ocio.Config.CreateFromFile(str(path))
        read.validate()
        _keep(key, read)
    return copy.deepcopy(_TEXTS[key])


def written(path: Path, text: str, config: Any) -> None:
    """A configuration that was written to `path` as `text` needs not be read again. What was added to it was made by
    `as_read`. Raises ocio.Exception.
    """
    folder = path.absolute().parent
    made = copy.deepcopy(config)
    made.setWorkingDir(str(folder))
    made.validate()
    _keep((hashlib.blake2b(text.encode()).digest(), folder), made)


def _keep(key: tuple[bytes, Path], config: Any) -> None:
    if len(_TEXTS) >= 8:
        _TEXTS.clear()
    _TEXTS[key] = config


def as_read(space: Any) -> Any:
    """A colour space as it is once it was written and read: with the digits that a file has for its numbers. One with a
    table of its own, which can't be written, stays as it is.
    """
    steps = space.getTransform(ocio.COLORSPACE_DIR_TO_REFERENCE)
    if isinstance(steps, ocio.GroupTransform) and any(isinstance(s, ocio.Lut1DTransform) for s in steps):
        return space
    alone = ocio.Config.CreateRaw()
    alone.addColorSpace(space)
    return ocio.Config.CreateFromStream(alone.serialize()).getColorSpace(space.getName())


def check_files(config: Any, path: Path) -> None:
    """Refuse a configuration that names what is no file, or one without end: a device, a pipe. Raises AquinError."""
    context = config.getCurrentContext()
    for src in files_named(config):
        try:
            there = Path(context.resolveFileLocation(src))
            check_file(there, MOST_BYTES)
        except (ocio.Exception, ocio.ExceptionMissingFile, OSError):
            continue  # missing: said when it is used
        except ValueError as error:
            raise AquinError(
                f"the colour configuration names {src[:80]}, which can't be used ({error})",
                path,
                "Use another configuration",
            ) from error


def files_missing(config: Any) -> dict[str, str]:
    """Colour spaces with a transform whose file is not there, and that file."""
    context, out = config.getCurrentContext(), {}
    for space in _spaces(config):
        for src in _files_in(_both_ways(space)):
            try:
                there = Path(context.resolveFileLocation(src)).is_file()  # it remembers files that were there
            except (ocio.Exception, ocio.ExceptionMissingFile):
                there = False
            if not there:
                out[space.getName()] = src
    return out


def _spaces(config: Any) -> list[Any]:
    names = config.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
    return [s for s in map(config.getColorSpace, names) if s is not None]


def _both_ways(space: Any) -> list[Any]:
    both = (ocio.COLORSPACE_DIR_TO_REFERENCE, ocio.COLORSPACE_DIR_FROM_REFERENCE)
    return [space.getTransform(d) for d in both]


def files_named(config: Any) -> Iterator[str]:
    """The files of all transforms of a configuration."""
    waiting = [t for space in _spaces(config) for t in _both_ways(space)]
    for look in config.getLooks():
        waiting += [look.getTransform(), look.getInverseTransform()]
    directions = (ocio.TRANSFORM_DIR_FORWARD, ocio.TRANSFORM_DIR_INVERSE)
    waiting += [t.getTransform(d) for t in config.getNamedTransforms() for d in directions]
    views = (ocio.VIEWTRANSFORM_DIR_TO_REFERENCE, ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE)
    waiting += [t.getTransform(d) for t in config.getViewTransforms() for d in views]
    yield from _files_in(waiting)


def _files_in(waiting: list[Any]) -> Iterator[str]:
    """The files of these transforms and of what they are made of; the list is emptied."""
    while waiting:
        transform = waiting.pop()
        if isinstance(transform, ocio.GroupTransform):
            waiting += list(transform)
        elif isinstance(transform, ocio.FileTransform):
            yield str(transform.getSrc())

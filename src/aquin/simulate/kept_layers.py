"""Layers of stages, and what stops light in them, kept in a folder: for runs that film the same places in many
processes (tests, benchmarks).
"""

import fcntl
import os
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import fields
from pathlib import Path
from typing import Any, TypeVar
from uuid import uuid4
from zipfile import BadZipFile

import numpy as np

from aquin.simulate.world.see import Layer
from aquin.simulate.world.trace import Solid

FOLDER = "AQUIN_STAGES"
"""Names the folder; nothing is kept where it is not set. Nobody asks whether the places have changed since: it is made
anew for each run.
"""
_STATIC = "static"
Made = TypeVar("Made")

Layers = tuple[Layer, dict[str, Layer]]
"""What stands still, and each group that moves."""


def layers_of(name: str, make: Callable[[], Layers]) -> Layers:
    """The layers of a stage, read where they are kept, else made and kept."""
    return _kept(name, make, _arrays, _layers)


def solid_of(name: str, make: Callable[[], Solid]) -> Solid:
    """The same of what stops light in a place."""
    return _kept(name, make, Solid.arrays, Solid.of)


def _kept(
    name: str,
    make: Callable[[], Made],
    arrays: Callable[[Made], dict[str, Any]],
    made_of: Callable[[Mapping[str, np.ndarray]], Made],
) -> Made:
    folder = os.environ.get(FOLDER)
    if not folder:
        return make()
    path = Path(folder) / f"{name}.npz"
    with suppress(OSError, ValueError, KeyError, BadZipFile):
        return made_of(_read(path))
    with _one_at_a_time(path):
        with suppress(OSError, ValueError, KeyError, BadZipFile):
            return made_of(_read(path))  # another one has made it meanwhile
        made = make()
        _write(path, arrays(made))
    return made


@contextmanager
def _one_at_a_time(path: Path) -> Iterator[None]:
    """Others that want to make the same wait, unless the folder can't be written."""
    try:
        lock = os.open(path.with_suffix(".lock"), os.O_RDWR | os.O_CREAT)
    except OSError:
        yield
        return
    try:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield
    finally:
        os.close(lock)


def _write(path: Path, arrays: dict[str, Any]) -> None:
    """Whole or not at all; a folder that can't be written keeps nothing."""
    part = path.with_name(f"{uuid4().hex}.npz")
    try:
        np.savez(part, **arrays)
        part.replace(path)
    except OSError:
        part.unlink(missing_ok=True)


def _read(path: Path) -> dict[str, np.ndarray]:
    with np.load(path) as data:
        return {name: data[name] for name in data.files}


def _arrays(layers: Layers) -> dict[str, Any]:
    static, groups = layers
    arrays: dict[str, Any] = {"names": np.array(list(groups), dtype=str)}
    for key, layer in ((_STATIC, static), *((f"group{k}", g) for k, g in enumerate(groups.values()))):
        for field in fields(Layer):
            value = getattr(layer, field.name)
            if isinstance(value, slice):
                value = np.array([value.start, value.stop])
            if value is not None:
                arrays[f"{key} {field.name}"] = value
    return arrays


def _layers(arrays: Mapping[str, np.ndarray]) -> Layers:
    groups = {str(name): _layer(arrays, f"group{k}") for k, name in enumerate(arrays["names"])}
    return _layer(arrays, _STATIC), groups


def _layer(arrays: Mapping[str, np.ndarray], key: str) -> Layer:
    """Raises KeyError where one is missing."""
    values: dict[str, Any] = {
        field.name: arrays[f"{key} {field.name}"]
        for field in fields(Layer)
        if field.name != "swing" or f"{key} swing" in arrays
    }
    for name in ("rows", "columns"):
        values[name] = slice(*(int(n) for n in values[name]))
    return Layer(**values)

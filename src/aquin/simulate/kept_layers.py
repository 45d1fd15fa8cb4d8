"""Layers of stages kept in a folder, for runs that film the same places in many processes (tests, benchmarks)."""

import os
from collections.abc import Callable, Mapping
from dataclasses import fields
from pathlib import Path
from typing import Any
from uuid import uuid4
from zipfile import BadZipFile

import numpy as np

from aquin.simulate.world.see import Layer

FOLDER = "AQUIN_STAGES"
"""Names the folder; nothing is kept where it is not set. Nobody asks whether the places have changed since: it is made
anew for each run.
"""
_STATIC = "static"

Layers = tuple[Layer, dict[str, Layer]]
"""What stands still, and each group that moves."""


def layers_of(name: str, make: Callable[[], Layers]) -> Layers:
    """The layers of a stage, read where they are kept, else made and kept."""
    folder = os.environ.get(FOLDER)
    if not folder:
        return make()
    path = Path(folder) / f"{name}.npz"
    try:
        return _read(path)
    except (OSError, ValueError, KeyError, BadZipFile):
        made = make()
        _write(path, made)
        return made


def _write(path: Path, layers: Layers) -> None:
    """Whole or not at all; a folder that can't be written keeps nothing."""
    part = path.with_name(f"{uuid4().hex}.npz")
    static, groups = layers
    arrays: dict[str, Any] = {"names": np.array(list(groups), dtype=str)}
    for key, layer in ((_STATIC, static), *((f"group{k}", g) for k, g in enumerate(groups.values()))):
        for field in fields(Layer):
            value = getattr(layer, field.name)
            if isinstance(value, slice):
                value = np.array([value.start, value.stop])
            if value is not None:
                arrays[f"{key} {field.name}"] = value
    try:
        np.savez(part, **arrays)
        part.replace(path)
    except OSError:
        part.unlink(missing_ok=True)


def _read(path: Path) -> Layers:
    with np.load(path) as data:
        arrays = {name: data[name] for name in data.files}
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
